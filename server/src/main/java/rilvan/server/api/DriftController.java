package rilvan.server.api;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.Secret;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.inventory.DriftRegister;
import rilvan.server.store.Drifts;
import rilvan.server.store.Drifts.DriftRow;

/** Managed nodes that were changed outside Rilvan, and what people decide about them. */
@RestController
@RequestMapping("/api/v1")
public class DriftController {

    private final Drifts drifts;
    private final DriftRegister register;
    private final Sight sight;

    public DriftController(Drifts drifts, DriftRegister register, Sight sight) {
        this.sight = sight;
        this.drifts = drifts;
        this.register = register;
    }

    /**
     * A node that says something else on its device than was ordered.
     *
     * @param ordered the value that was ordered, which is empty where the node has none of its own; null where the node was put into what a service has whole
     * @param found the value on the device; null where the node is gone
     * @param foundAt when a reading first showed it
     * @param readAt the last reading that shows it
     * @param leftBy who decided to leave it as it is, and why; null where it is not settled
     * @param changedBy who has changed it, where the device said so; null where it did not
     * @param leftUntil when somebody is to decide again; null where that is not said
     */
    public record DriftView(String device, String path, @Nullable String ordered, @Nullable String found, List<String> services, OffsetDateTime foundAt, OffsetDateTime readAt,
            @Nullable String leftBy, @Nullable OffsetDateTime leftAt, @Nullable String reason, @Nullable OffsetDateTime leftUntil, @Nullable String changedBy) {

        static List<DriftView> of(List<DriftRow> rows) {
            return rows.stream().map(DriftView::of).toList();
        }

        private static DriftView of(DriftRow row) {
            return new DriftView(row.device(), row.path(), row.ordered() == null ? null : Secret.masked(row.ordered()), row.found() == null ? null : Secret.masked(row.found()),
                    List.of(row.services().split(",")), row.foundAt(), row.readAt(), row.leftBy(), row.leftAt(), row.reason(), row.leftUntil(), row.changedBy());
        }
    }

    /**
     * What a person decides about a node: it stays as it was found, for a reason.
     *
     * @param until when somebody is to decide again; until it says something else where that is left out
     */
    public record Decision(String path, String reason, @Nullable OffsetDateTime until) {}

    /** What was changed on devices outside Rilvan. */
    @GetMapping("/drift")
    @Requires(value = Role.LOOK, scoped = true)
    List<DriftView> drift(Caller caller) {
        return DriftView.of(sight.seenDrift(caller, drifts.all()));
    }

    /** Leaves a node as it was found. It is not asked about again until it says something else or its service goes. */
    @PostMapping("/devices/{name}/drift-decisions")
    @Requires(value = Role.RUN, scoped = true)
    @Recorded(value = "leave drift", about = "device")
    List<DriftView> leave(@PathVariable String name, @RequestBody Decision decision, Caller caller, Act act) {
        act.after(decision);
        sight.mayLeave(caller, name, drifts.on(name).stream().filter(row -> row.path().equals(decision.path())).findFirst());
        register.leave(name, decision.path(), caller.name(), decision.reason(), Optional.ofNullable(decision.until()));
        return DriftView.of(sight.seenDrift(caller, drifts.on(name)));
    }
}
