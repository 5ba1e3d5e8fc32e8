package rilvan.server.web;

import java.util.List;
import java.util.concurrent.CompletableFuture;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.check.Observed;
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

    /** Makes all checks of a service once, as the network is now. */
    @PostMapping("/services/{name}/checks")
    CompletableFuture<List<CheckView>> check(@PathVariable String name) {
        if (estate.service(name).isEmpty()) {
            throw new Problems.NotFound("no service named '" + name + "' stands");
        }
        return prober.look(explainer.checks(name)).thenApply(seen -> seen.stream().map(CheckView::of).toList());
    }
}
