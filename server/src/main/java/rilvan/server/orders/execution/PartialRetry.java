package rilvan.server.orders.execution;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.springframework.dao.CannotAcquireLockException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.ledger.Owner;
import rilvan.core.model.ServiceDocument;
import rilvan.core.plan.Explainer;
import rilvan.core.plan.OrderDocument;
import rilvan.core.pool.Allocation;
import rilvan.core.transaction.Action.Blame;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;
import rilvan.server.orders.history.FaultRecord;
import rilvan.server.orders.history.FaultRecord.OwnerRecord;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.orders.history.PlanRecord.ServiceRecord;
import rilvan.server.orders.intake.OrderLimits;
import rilvan.server.orders.intake.Planning;
import rilvan.server.orders.intake.Planning.Preview;
import rilvan.server.store.Inventory.LedgerRow;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Orders.PartRow;
import rilvan.server.store.Services;
import tools.jackson.core.type.TypeReference;

/**
 * Plans the next attempt of an order with {@code atomic: service}, without the services at fault. At fault are the owners of the node that
 * the device's error names; where it names none, all services of the order on that device; the services whose checks failed; and every
 * service that refers to one of these.
 */
@Component
class PartialRetry {

    private static final TypeReference<List<Owner>> OWNERS = new TypeReference<>() {};
    private static final Pattern NAMED = Pattern.compile("/(?:[\\w.-]+:)?([\\w.-]+)((?:\\[[^\\]]*])*)");
    private static final Pattern KEY = Pattern.compile("\\[[^=\\]]+=\\s*['\"]?([^'\"\\]]*)['\"]?\\s*]");

    private final Orders orders;
    private final Services services;
    private final Planning planning;
    private final Journal journal;
    private final Explainer explainer;
    private final Json json;
    private final TransactionTemplate transactions;

    PartialRetry(Orders orders, Services services, Planning planning, Journal journal, Explainer explainer, Json json, TransactionTemplate transactions) {
        this.orders = orders;
        this.services = services;
        this.planning = planning;
        this.journal = journal;
        this.explainer = explainer;
        this.json = json;
        this.transactions = transactions;
    }

    /** Somebody else drives the order. */
    static final class Overtaken extends RuntimeException {}

    /**
     * Writes down what is left of an order without those at fault.
     *
     * @param known the order's plan so far; where another one is stored, this was done already and its answer lost
     * @param failing services whose checks failed
     * @return the order's plan from now on; nothing where nothing is left of it
     */
    Optional<PlanRecord> without(long order, long epoch, PlanRecord known, Blame blame, Set<String> failing, String why) {
        OrderRow row = orders.order(order).orElseThrow();
        PlanRecord before = journal.plan(row);
        if (!before.names().equals(known.names())) {
            return Optional.of(before);
        }
        OrderDocument document = OrderDocument.read(Document.read(row.document()));
        Set<String> left = new LinkedHashSet<>(before.services().stream().map(ServiceRecord::name).toList());
        Map<String, String> out = new LinkedHashMap<>();
        List<Wish> wishes = wishes(order, blame);
        atFault(wishes, blame, failing, before).forEach(service -> before.whole(service).forEach(each -> out.put(each, why + whose(wishes, before))));
        while (true) {
            left.removeAll(out.keySet());
            if (left.isEmpty()) {
                return Optional.empty();
            }
            OrderDocument rest = document.only(left);
            try {
                Preview preview = planning.preview(rest, OrderLimits.NONE);
                return preview.plan().changesNothing() ? Optional.empty() : Optional.of(write(order, epoch, before, preview, out));
            } catch (ValidationFailure e) {
                Map<String, String> dependent = dependent(e, rest);
                if (dependent.isEmpty()) {
                    return Optional.empty();
                }
                dependent.forEach((service, message) -> before.whole(service).forEach(each -> out.putIfAbsent(each, message)));
            }
        }
    }

    /** Services that cannot stand without those that are left out already, by what is said of their fields. */
    private static Map<String, String> dependent(ValidationFailure refused, OrderDocument rest) {
        Map<String, String> dependent = new LinkedHashMap<>();
        refused.problems().forEach(problem -> {
            rest.serviceAt(problem.pointer()).ifPresent(service -> dependent.putIfAbsent(service, problem.message()));
        });
        return dependent;
    }

    private PlanRecord write(long order, long epoch, PlanRecord before, Preview preview, Map<String, String> out) {
        PlanRecord fresh = planning.record(preview.plan(), List.of()).orElseThrow();
        List<Allocation> taken = new ArrayList<>(before.taken().stream().filter(each -> !out.containsKey(each.service())).toList());
        fresh.taken().stream().filter(each -> !taken.contains(each)).forEach(taken::add);
        PlanRecord plan = new PlanRecord(fresh.services(), taken, fresh.moved(), fresh.given(), fresh.checks(), fresh.gaps());
        transactions.executeWithoutResult(status -> {
            if (orders.replan(order, epoch, preview.plan().summary(), json.write(plan), json.write(plan.kinds())) == 0) {
                throw new Overtaken();
            }
            orders.dropParts(order);
            planning.putParts(order, preview);
            services.giveBack(before.taken().stream().filter(each -> out.containsKey(each.service())).toList());
            if (!services.take(fresh.taken().stream().filter(each -> !before.taken().contains(each)).toList())) {
                throw new CannotAcquireLockException("another order has taken a number meanwhile");
            }
            out.forEach((service, why) -> orders.leaveOut(order, service, why));
        });
        return plan;
    }

    private static Set<String> atFault(List<Wish> wishes, Blame blame, Set<String> failing, PlanRecord plan) {
        if (blame.device().isEmpty()) {
            return failing;
        }
        String device = blame.device().get();
        Set<String> named = plan.names();
        Set<String> owners = new LinkedHashSet<>(wishes.stream().map(wish -> wish.owner().service()).toList());
        owners.retainAll(named);
        if (!owners.isEmpty()) {
            return owners;
        }
        Set<String> there = new LinkedHashSet<>(plan.services().stream().filter(service -> service.devices().containsKey(device)
                || service.kind().equals("REMOVE")).map(ServiceRecord::name).toList());
        return there.isEmpty() ? named : there;
    }

    /**
     * That somebody wants a node which a device complains of.
     *
     * @param exact whether the device named just this node, and not one above it
     */
    private record Wish(Owner owner, String device, Path path, String value, boolean exact) {}

    private List<Wish> wishes(long order, Blame blame) {
        List<Wish> wishes = new ArrayList<>();
        List<Path> named = blame.paths().stream().map(PartialRetry::path).filter(path -> !path.isRoot()).toList();
        for (PartRow part : orders.parts(order)) {
            if (blame.device().equals(Optional.of(part.device())) && !named.isEmpty()) {
                for (LedgerRow entry : journal.ledgerAfter(part)) {
                    Path path = Path.parse(entry.path());
                    if (named.stream().anyMatch(at -> at.covers(path))) {
                        json.read(entry.ownersJson(), OWNERS).forEach(owner ->
                                wishes.add(new Wish(owner, part.device(), path, entry.value(), named.contains(path))));
                    }
                }
            }
        }
        return wishes;
    }

    /** What a device complained of, each fault with the services of the order that want the node at fault. */
    private List<FaultRecord> faults(long order, Blame blame) {
        OrderRow row = orders.order(order).orElseThrow();
        PlanRecord plan = journal.plan(row);
        List<String> named = OrderDocument.read(Document.read(row.document())).services().stream().map(ServiceDocument::name).toList();
        return blame.faults().stream().map(fault -> new FaultRecord(blame.device().orElse(""), fault.tag(), fault.path(), fault.message(),
                wishes(order, new Blame(blame.device(), List.of(fault))).stream().map(wish -> owner(wish, plan, named)).distinct().toList())).toList();
    }

    /** Stores what devices complained of with the order that fails for it, or that tried it. */
    void keepFaults(long order, long epoch, List<Blame> blames) {
        orders.faults(order, epoch, json.write(blames.stream().flatMap(blame -> faults(order, blame).stream()).toList()));
    }

    private OwnerRecord owner(Wish wish, PlanRecord plan, List<String> named) {
        Owner owner = wish.owner();
        String pointer = parameter(wish, plan).map(at -> "/parameters/" + at).orElse("");
        String service = owner.service();
        for (Optional<ServiceRecord> container = container(service, plan); container.isPresent(); container = container(service, plan)) {
            pointer = explainer.outward(document(container.get()), service, pointer);
            service = container.get().name();
        }
        int index = named.indexOf(service);
        pointer = index < 0 ? "" : "/services/" + index + pointer;
        return new OwnerRecord(owner.service(), owner.clause(), owner.model(), owner.origin(), pointer);
    }

    private static Optional<ServiceRecord> container(String service, PlanRecord plan) {
        return plan.service(service).map(ServiceRecord::componentOf).flatMap(plan::service);
    }

    private static ServiceDocument document(ServiceRecord service) {
        return new ServiceDocument(service.name(), service.tenant(), service.model(), Optional.of(service.modelVersion()), service.parameters(), Set.of(), true,
                Optional.ofNullable(service.componentOf()));
    }

    private String whose(List<Wish> wishes, PlanRecord plan) {
        String whose = wishes.stream().sorted(Comparator.comparing(wish -> !wish.exact())).map(wish -> whose(wish, plan))
                .distinct().limit(3).collect(Collectors.joining(", "));
        return whose.isEmpty() ? "" : "; the node belongs to " + whose;
    }

    private String whose(Wish wish, PlanRecord plan) {
        Owner owner = wish.owner();
        return owner.service() + parameter(wish, plan).map(at -> ", " + at).orElse("") + " (" + owner.clause() + ", " + owner.model() + " " + owner.origin() + ")";
    }

    /** The parameter that just this value comes from; absent where the model works it out. */
    private Optional<String> parameter(Wish wish, PlanRecord plan) {
        return !wish.exact() ? Optional.empty()
                : plan.service(wish.owner().service()).flatMap(service -> explainer.parameter(document(service), wish.device(), wish.owner().origin(), wish.path(), wish.value()));
    }

    /** A path as a device names it (RFC 6241 §4.3, error-path), in our own terms: without prefixes, keys by their values. */
    static Path path(String named) {
        Path path = Path.ROOT;
        Matcher step = NAMED.matcher(named);
        while (step.find()) {
            List<String> keys = new ArrayList<>();
            KEY.matcher(step.group(2)).results().forEach(key -> keys.add(key.group(1)));
            path = path.child(Step.of(step.group(1), keys.toArray(String[]::new)));
        }
        return path;
    }
}
