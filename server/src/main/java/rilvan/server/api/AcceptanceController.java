package rilvan.server.api;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.http.HttpHeaders;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.draft.Assignment;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.network.Device;
import rilvan.core.plan.Explainer;
import rilvan.core.plan.Explainer.Because;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.drafts.DraftBook;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Drifts;
import rilvan.server.store.Drifts.DriftRow;

/** What somebody has changed on a device becomes what its service wants, by way of a draft. */
@RestController
@RequestMapping("/api/v1/drafts/{name}/acceptances")
public class AcceptanceController {

    private final Drifts drifts;
    private final Explainer explainer;
    private final StoredPlanningSource source;
    private final DraftBook drafts;
    private final DraftViews views;
    private final Sight sight;

    AcceptanceController(Drifts drifts, Explainer explainer, StoredPlanningSource source, DraftBook drafts, DraftViews views, Sight sight) {
        this.drifts = drifts;
        this.explainer = explainer;
        this.source = source;
        this.drafts = drafts;
        this.views = views;
        this.sight = sight;
    }

    /** A node that has drifted. */
    public record Acceptance(String device, String path) {}

    /**
     * Adds to a draft that the service of a node that has drifted wants just what was found there: for a node that has one service, and that says just what one of its parameters says. The order
     * that carries it out changes nothing on the device.
     */
    @PostMapping
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "Somebody else's entry would be replaced, or is being carried out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "accept drift in draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> accept(@PathVariable String name, @RequestBody Acceptance acceptance, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        act.about("device", acceptance.device()).after(acceptance);
        views.isThere(caller, name);
        Device device = source.network().device(acceptance.device()).filter(each -> caller.seesSite(each.site()))
                .orElseThrow(() -> new ValidationFailure("/device", "there is no device named '" + acceptance.device() + "'"));
        List<DriftRow> seen = sight.seenDrift(caller, drifts.on(device.name()));
        DriftRow row = seen.stream().filter(each -> each.path().equals(acceptance.path())).findFirst().orElseThrow(() -> new ValidationFailure("/path", "'" + acceptance.path() + "' has not drifted on " + device.name()
                + (seen.isEmpty() ? "; nothing has" : "; drifted: " + String.join(", ", seen.stream().map(DriftRow::path).toList()))));
        if (row.found() == null || row.ordered() == null) {
            throw new ValidationFailure("/path", row.found() == null ? "the node is gone from the device, which no value says; restore it, leave it, or change the service" : "the node was put there, which no value of a service says");
        }
        List<Because> because = explainer.explain(device, row.path()).stream().flatMap(each -> each.because().stream()).toList();
        if (because.size() != 1 || because.get(0).parameter().isEmpty()) {
            throw new ValidationFailure("/path", because.size() == 1 ? "the node says nothing that one parameter of " + because.get(0).owner().service() + " says as well: it is worked out; restore it, leave it, or change the service"
                    : "the node has several services: " + String.join(", ", because.stream().map(each -> each.owner().service()).distinct().toList()));
        }
        Service service = source.service(because.get(0).owner().service()).orElseThrow(() -> new ValidationFailure("/path", "its service is not there any more"));
        if (service.componentOf().isPresent()) {
            throw new ValidationFailure("/path", "the node is of " + service.name() + ", a component of " + service.componentOf().get() + "; change that");
        }
        Assignment wanted = new Assignment(named(service, because.get(0).parameter()), row.found());
        return views.added(caller, drafts.set(name, service.name(), List.of(wanted), caller.name(), sight.limits(caller, Role.PREPARE), views.seen(caller), Precondition.of(match, Optional.empty()), match.isPresent()), act);
    }

    /** A place in parameters by the names of items, as people write it. */
    private static String named(Service service, String pointer) {
        List<String> steps = new ArrayList<>();
        Object at = service.parameters();
        for (String step : pointer.split("/")) {
            if (at instanceof List<?> items) {
                at = items.get(Integer.parseInt(step));
                String name = at instanceof Map<?, ?> item && item.get("name") instanceof String text ? text : "";
                if (name.isEmpty()) {
                    throw new ValidationFailure("/path", "the parameter " + pointer + " of " + service.name() + " is of an item without a name; change the service");
                }
                steps.add(name);
            } else {
                at = Document.fields(at).get(step);
                steps.add(step);
            }
        }
        return String.join("/", steps);
    }
}
