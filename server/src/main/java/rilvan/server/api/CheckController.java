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
    private final HealthMonitor watch;
    private final ServiceHealth health;

    public CheckController(StoredPlanningSource source, LinkComparison links, HealthMonitor watch, ServiceHealth health) {
        this.watch = watch;
        this.health = health;
        this.source = source;
        this.links = links;
    }

    /**
     * A check that was made.
     *
     * @param wanted whether it must be so; otherwise it must not
     * @param holds whether it was as it must be
     * @param way where it was not: the devices that a packet came through, there and back; empty where that was not looked at
     */
    public record CheckView(String observation, boolean wanted, String from, String to, String observer, String target, String proves, boolean holds,
            String seen, String way) {

        static CheckView of(Observed seen) {
            return new CheckView(seen.check().observation(), seen.check().wanted(), seen.check().start(), seen.check().end(), seen.observer(), seen.target(),
                    seen.proves().name(), seen.holds(), seen.seen(), seen.way());
        }
    }

    /**
     * A link as it is now.
     *
     * @param wrong what is not as it should be, in words
     */
    public record LinkView(String a, String b, boolean up, List<String> wrong) {}

    /** Compares the two ends of every link, as the devices tell now. */
    @PostMapping("/network/checks")
    CompletableFuture<List<LinkView>> compareLinks() {
        return links.look(links.all()).thenApply(states -> states.stream().map(CheckController::view).toList());
    }

    private static LinkView view(LinkState state) {
        Link link = state.link();
        return new LinkView(link.a().device() + " " + link.a().port(), link.b().device() + " " + link.b().port(), state.up(), state.wrong());
    }

    /**
     * A service that was not seen working when it was last looked at.
     *
     * @param wrong what was not as it must be, in words
     */
    public record AilingView(String service, OffsetDateTime at, String wrong) {}

    /** The services that did not work when they were last looked at. */
    @GetMapping("/network/ailing")
    List<AilingView> ailing() {
        return health.wrong().stream().map(row -> new AilingView(row.service(), row.at(), row.wrong())).toList();
    }

    /** Makes all checks of a service once, as the network is now. */
    @PostMapping("/services/{name}/checks")
    CompletableFuture<List<CheckView>> check(@PathVariable String name) {
        if (source.service(name).isEmpty()) {
            throw new Problems.NotFound("no service named '" + name + "' stands");
        }
        return watch.look(name).thenApply(seen -> seen.stream().map(CheckView::of).toList());
    }
}
