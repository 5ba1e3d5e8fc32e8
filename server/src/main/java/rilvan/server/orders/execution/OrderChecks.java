package rilvan.server.orders.execution;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.check.Check;
import rilvan.core.check.LinkState;
import rilvan.core.check.Observed;
import rilvan.core.network.Network.Link;
import rilvan.server.monitoring.Baseline;
import rilvan.server.monitoring.CheckRunner;
import rilvan.server.monitoring.LinkComparison;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.CheckRow;

/**
 * The checks of an order: a baseline of services and links before it, then the checks of its own services, then those of other services
 * on the same devices.
 */
final class OrderChecks {

    private static final long LINKS_SECONDS = 5;
    private static final int MOST_SERVICES_TOLD = 10;

    private final CheckRunner checkRunner;
    private final Baseline baseline;
    private final LinkComparison links;
    private final Orders orders;
    private final Duration rest;
    private Baseline.Before before = Baseline.Before.NONE;
    private List<Link> linksUp = List.of();
    private volatile boolean ended;

    /**
     * @param rest how long the network may take to take up a change
     */
    OrderChecks(CheckRunner checkRunner, Baseline baseline, LinkComparison links, Orders orders, Duration rest) {
        this.checkRunner = checkRunner;
        this.baseline = baseline;
        this.links = links;
        this.orders = orders;
        this.rest = rest;
    }

    /**
     * What was seen came to.
     *
     * @param failing services that may be at fault for what does not hold
     */
    record Verdict(boolean passed, String summary, Set<String> failing) {}

    /**
     * Looks how what stands on the devices of an order does, and how their links are, before any of it is changed.
     *
     * @return what there is to say of services beside the order; empty where there is none
     */
    String takeBaseline(PlanRecord plan, Set<String> devicesToChange) {
        // A neighbour that does not answer keeps no order waiting: its links are not compared then.
        CompletableFuture<List<LinkState>> linksNow = links.look(links.on(devicesToChange)).completeOnTimeout(List.of(), LINKS_SECONDS, TimeUnit.SECONDS);
        before = baseline.look(devicesToChange, plan.names()).join();
        linksUp = linksNow.join().stream().filter(each -> each.wrong().isEmpty()).map(LinkState::link).toList();
        List<Observed> beside = before.beside(plan.names());
        if (beside.isEmpty()) {
            return "";
        }
        long services = beside.stream().map(each -> each.check().service()).distinct().count();
        String wrong = Observed.failures(beside);
        return beside.size() + (beside.size() == 1 ? " check of " : " checks of ") + services + (services == 1 ? " other service" : " other services") + " on these devices"
                + (wrong.isEmpty() ? "" : "; failing already: " + wrong)
                + (before.left() == 0 ? "" : "; " + before.left() + (before.left() == 1 ? " service was" : " services were") + " not checked, or only in part");
    }

    /**
     * First the checks of the order's own services. Once these pass the change has shown its effect, and what was well beside it is looked at
     * again; where the order is for nothing that can be seen, the network is given time.
     */
    CompletableFuture<List<Observed>> make(PlanRecord plan) {
        ended = false;
        List<Check> beside = before.beside(plan.names()).stream().filter(Observed::passed).map(Observed::check).toList();
        boolean asksNothing = plan.checks().isEmpty();
        return checkRunner.make(plan.checks(), plan.changesWhatStood(), () -> !ended).thenCompose(own ->
                ended || own.stream().anyMatch(each -> !each.passed()) ? CompletableFuture.completedFuture(own)
                        : checkRunner.make(beside, asksNothing, () -> !ended).thenCompose(others -> linksAfter(own.isEmpty() && others.isEmpty()).thenApply(worse ->
                                Stream.of(own, others, worse).flatMap(List::stream).toList())));
    }

    /**
     * The links that were well before and are not any more, looked at twice: the second end may be a moment behind the first.
     *
     * @param first whether nothing was looked at yet, so that the network is given time
     */
    private CompletableFuture<List<Observed>> linksAfter(boolean first) {
        if (linksUp.isEmpty()) {
            return CompletableFuture.completedFuture(List.of());
        }
        return (first ? afterARest() : worse()).thenCompose(worse -> worse.isEmpty() ? CompletableFuture.completedFuture(worse) : afterARest());
    }

    private CompletableFuture<List<Observed>> afterARest() {
        return CompletableFuture.supplyAsync(this::worse, CompletableFuture.delayedExecutor(rest.toMillis(), TimeUnit.MILLISECONDS, checkRunner.threads())).thenCompose(seen -> seen);
    }

    private CompletableFuture<List<Observed>> worse() {
        return links.look(linksUp).thenApply(now -> now.stream().filter(each -> !each.wrong().isEmpty()).map(LinkState::asObserved).toList());
    }

    /** Nobody waits for it any more. */
    void end() {
        ended = true;
    }

    boolean hasEnded() {
        return ended;
    }

    /** Keeps what was seen, before beside after. */
    void keep(long order, List<Observed> seen) {
        List<CheckRow> rows = new ArrayList<>();
        Map<Check, Observed> earlier = before.byCheck();
        for (Observed each : seen) {
            Optional<Observed> then = Optional.ofNullable(earlier.get(each.check().subject()));
            rows.add(new CheckRow(order, rows.size() + 1, each.check().service(), each.check().observation(), each.observer(), each.target(), each.covers().name(),
                    each.passed(), each.value(), then.map(Observed::passed).orElse(null), then.map(Observed::value).orElse(null), each.path()));
        }
        orders.addChecks(rows);
    }

    static Verdict verdict(PlanRecord plan, List<Observed> seen) {
        Map<String, List<Observed>> failed = seen.stream().filter(each -> !each.passed()).collect(Collectors.groupingBy(each -> each.check().service()));
        // A check of another service may fail because of any service of the order.
        Set<String> failing = plan.names().containsAll(failed.keySet()) ? failed.keySet() : plan.names();
        String summary = seen.isEmpty() ? "no checks" : failed.isEmpty() ? Observed.passes(seen) + (plan.gaps().isEmpty() ? "" : "; " + plan.gaps())
                : failed.keySet().stream().sorted(Comparator.comparing((String name) -> !plan.names().contains(name)).thenComparing(String::isEmpty).thenComparing(name -> name))
                        .limit(MOST_SERVICES_TOLD).map(service -> verdictOn(plan, service) + Observed.failures(failed.get(service))).collect(Collectors.joining("; "))
                        + (failed.size() > MOST_SERVICES_TOLD ? "; and " + (failed.size() - MOST_SERVICES_TOLD) + " more services" : "");
        return new Verdict(failed.isEmpty(), summary, failing);
    }

    private static String verdictOn(PlanRecord plan, String service) {
        return plan.names().contains(service) ? (plan.names().size() == 1 ? "the service" : service) + " does not work: "
                : service.isEmpty() ? "breaks links that were up before: "
                : "breaks " + service + ", which this order does not change: passed before, fails now: ";
    }
}
