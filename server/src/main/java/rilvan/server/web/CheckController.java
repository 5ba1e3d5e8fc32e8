package rilvan.server.web;

import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.check.Check;
import rilvan.core.check.LinkState;
import rilvan.core.check.Observed;
import rilvan.core.network.Network.Link;
import rilvan.core.order.Explainer;
import rilvan.server.checks.Prober;
import rilvan.server.estate.StoredEstate;

/** What the network does now, looked at when somebody asks. */
@RestController
@RequestMapping("/api/v1")
public class CheckController {

    private final StoredEstate estate;
    private final Explainer explainer;
    private final Prober prober;

    public CheckController(StoredEstate estate, Explainer explainer, Prober prober) {
        this.estate = estate;
        this.explainer = explainer;
        this.prober = prober;
    }

    /**
     * A check that was made.
     *
     * @param wanted whether it must be so; otherwise it must not
     * @param holds whether it was as it must be
     */
    public record CheckView(String observation, boolean wanted, String from, String to, String observer, String target, String proves, boolean holds,
            String seen) {

        static CheckView of(Observed seen) {
            return new CheckView(seen.check().observation(), seen.check().wanted(), seen.check().start(), seen.check().end(), seen.observer(), seen.target(),
                    seen.proves().name(), seen.holds(), seen.seen());
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
    CompletableFuture<List<LinkView>> links() {
        List<Link> links = estate.network().links();
        List<Check> checks = links.stream().flatMap(link -> Stream.of(LinkState.check(link.a(), link.b()), LinkState.check(link.b(), link.a()))).toList();
        return prober.look(checks).thenApply(seen -> IntStream.range(0, links.size())
                .mapToObj(i -> view(LinkState.of(links.get(i), seen.get(2 * i), seen.get(2 * i + 1)))).toList());
    }

    private static LinkView view(LinkState state) {
        Link link = state.link();
        return new LinkView(link.a().device() + " " + link.a().port(), link.b().device() + " " + link.b().port(), state.up(), state.wrong());
    }

    /** Makes all checks of a service once, as the network is now. */
    @PostMapping("/services/{name}/checks")
    CompletableFuture<List<CheckView>> check(@PathVariable String name) {
        if (estate.service(name).isEmpty()) {
            throw new Problems.NotFound("no service named '" + name + "' stands");
        }
        return prober.look(explainer.checks(name)).thenApply(seen -> seen.stream().map(CheckView::of).toList());
    }
}
