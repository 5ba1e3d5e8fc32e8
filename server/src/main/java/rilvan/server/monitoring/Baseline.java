package rilvan.server.monitoring;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.function.Function;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import rilvan.core.check.Check;
import rilvan.core.check.CheckSelection;
import rilvan.core.check.Observed;
import rilvan.core.document.ValidationFailure;
import rilvan.core.plan.Explainer;
import rilvan.server.store.Services;

/**
 * The results of checks before an order changes anything: of the services that it changes, and of other services on the same devices. A
 * check of another service that passed then must pass after the order too.
 */
@Component
public class Baseline {

    private final Services services;
    private final Explainer explainer;
    private final CheckRunner checkRunner;

    public Baseline(Services services, Explainer explainer, CheckRunner checkRunner) {
        this.services = services;
        this.explainer = explainer;
        this.checkRunner = checkRunner;
    }

    /**
     * What was seen.
     *
     * @param left services that were not looked at, or not wholly, since there are too many checks
     */
    public record Before(List<Observed> seen, int left) {

        public static final Before NONE = new Before(List.of(), 0);

        /** What was seen of services other than these. */
        public List<Observed> beside(Set<String> ordered) {
            return seen.stream().filter(each -> !ordered.contains(each.check().service())).toList();
        }

        /** What each check came to, by its subject, for what is made again. */
        public Map<Check, Observed> byCheck() {
            return seen.stream().collect(Collectors.toMap(each -> each.check().subject(), Function.identity(), (one, same) -> one));
        }
    }

    /**
     * Looks once at what must be so, and must not be so, for the services on some devices; where there is much, at what begins or
     * ends there first.
     *
     * @param ordered services that the order names; their checks come first
     */
    public CompletableFuture<Before> look(Set<String> devices, Set<String> ordered) {
        List<String> standing = services.on(devices).stream().sorted(Comparator.comparing(name -> !ordered.contains(name))).toList();
        List<Check> all = new ArrayList<>();
        int worked = 0;
        // What is not going to be looked at is not worked out either: a device may carry thousands.
        for (int there = 0; worked < standing.size() && there < CheckSelection.ENOUGH; worked++) {
            List<Check> checks = checks(standing.get(worked));
            there += (int) checks.stream().filter(check -> check.touches(devices)).count();
            all.addAll(checks);
        }
        List<Check> chosen = CheckSelection.of(all, devices).checks();
        chosen = chosen.subList(0, Math.min(CheckSelection.ENOUGH, chosen.size()));
        Set<Check> made = Set.copyOf(chosen);
        long partly = all.stream().filter(check -> !made.contains(check)).map(Check::service).distinct().count();
        int left = standing.size() - worked + (int) partly;
        return checkRunner.look(chosen).thenApply(seen -> new Before(seen, left));
    }

    /** A service that cannot be worked out any more, such as after a change of the network, has none that could be made. */
    private List<Check> checks(String service) {
        try {
            return explainer.checks(service);
        } catch (ValidationFailure e) {
            return List.of();
        }
    }
}
