package rilvan.server.api;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.check.LinkState;
import rilvan.core.check.Observed;
import rilvan.core.network.Network.Link;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Recorded;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.monitoring.HealthMonitor;
import rilvan.server.monitoring.LinkComparison;
import rilvan.server.store.ServiceHealth;

/** What the network does now, looked at when somebody asks. */
@RestController
@RequestMapping("/api/v1")
public class CheckController {

    private final StoredPlanningSource source;
    private final LinkComparison links;
    private final HealthMonitor monitor;
    private final ServiceHealth health;
    private final Sight sight;

    public CheckController(StoredPlanningSource source, LinkComparison links, HealthMonitor monitor, ServiceHealth health, Sight sight) {
        this.sight = sight;
        this.monitor = monitor;
        this.health = health;
        this.source = source;
        this.links = links;
    }

    /**
     * The result of a check.
     *
     * @param wanted whether it must be so; otherwise it must not
     * @param path of a failed check: the devices that a packet passed, there and back; empty where that was not asked
     */
    public record CheckView(String observation, boolean wanted, String from, String to, String observer, String target, String covers, boolean passed,
            String value, String path) {

        static CheckView of(Observed seen) {
            return new CheckView(seen.check().observation(), seen.check().wanted(), seen.check().start(), seen.check().end(), seen.observer(), seen.target(),
                    seen.covers().name(), seen.passed(), seen.value(), seen.path());
        }
    }

    /**
     * A link as it is now.
     *
     * @param differences what the two ends do not agree on, in words
     */
    public record LinkView(String a, String b, boolean up, List<String> differences) {}

    /** Compares the two ends of every link that one sees, as the devices tell now. */
    @PostMapping("/network/checks")
    @Requires(value = Role.LOOK, scoped = true)
    @Recorded.Not("a look at the network")
    CompletableFuture<List<LinkView>> compareLinks(Caller caller) {
        return links.look(sight.links(caller, links.all())).thenApply(states -> states.stream().map(CheckController::view).toList());
    }

    private static LinkView view(LinkState state) {
        Link link = state.link();
        return new LinkView(link.a().device() + " " + link.a().port(), link.b().device() + " " + link.b().port(), state.up(), state.wrong());
    }

    /**
     * A service whose last checks did not all pass, or that is out of date.
     *
     * @param failures the failed checks, in words; empty where all passed
     * @param outOfDate where the service would say something else today, in words; empty where it is up to date. Its checks are those of today
     */
    public record FailingView(String service, OffsetDateTime checkedAt, String failures, String outOfDate) {}

    /** The services whose last checks did not all pass, or that are out of date. */
    @GetMapping("/failing-services")
    @Requires(value = Role.LOOK, scoped = true)
    List<FailingView> failing(Caller caller) {
        return health.failing(sight.scopes(caller)).stream().map(row -> new FailingView(row.service(), row.checkedAt(), row.failures(), row.outOfDate())).toList();
    }

    /** Makes all checks of a service, and of the services that it contains, once, as the network is now. */
    @PostMapping("/services/{name}/checks")
    @Requires(value = Role.LOOK, scoped = true)
    @Recorded.Not("a look at the network")
    CompletableFuture<List<CheckView>> check(@PathVariable String name, Caller caller) {
        if (source.service(name).filter(service -> sight.sees(caller, service)).isEmpty()) {
            throw new Problems.NotFound("there is no service named '" + name + "'");
        }
        return monitor.lookAtWhole(name).thenApply(seen -> seen.stream().map(CheckView::of).toList());
    }
}
