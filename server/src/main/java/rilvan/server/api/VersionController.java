package rilvan.server.api;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.library.TextDifference;
import rilvan.server.orders.drafts.DraftBook;
import rilvan.server.orders.drafts.Versions;
import rilvan.server.orders.drafts.Versions.Later;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.ServiceLines;
import rilvan.server.store.ServiceLines.DeviceLines;

/** What services were, and the ways back: each is put into a draft, with its preview. */
@RestController
@RequestMapping("/api/v1")
public class VersionController {

    private static final long NOW = Long.MAX_VALUE;

    private final Versions versions;
    private final ServiceLines lines;
    private final DraftBook drafts;
    private final DraftViews views;
    private final Sight sight;

    VersionController(Versions versions, ServiceLines lines, DraftBook drafts, DraftViews views, Sight sight) {
        this.versions = versions;
        this.lines = lines;
        this.drafts = drafts;
        this.views = views;
        this.sight = sight;
    }

    /** A service, and the order that had made of it what it is to be again. */
    public record Return(String service, Long order) {}

    /**
     * An order that is undone.
     *
     * @param later what is done about services that later orders have changed as well: undo what these did, too, or skip the services; refused where it is left out
     */
    public record Undoing(Long order, @Nullable String later) {}

    /** What changed of a service from what one order had made of it to what another one had, or to what it is now. */
    @GetMapping("/services/{name}/differences")
    @Requires(value = Role.LOOK, scoped = true)
    List<ValueChangeView> differences(@PathVariable String name, @RequestParam long from, @RequestParam Optional<Long> to, Caller caller) {
        seenOrder(caller, from);
        seenVersions(caller, name, to);
        return ValueChangeView.of(versions.between(name, from, to));
    }

    /**
     * What a service said on a device, in the device's own language.
     *
     * @param lines secrets are out of sight
     */
    public record DeviceLinesView(String device, List<String> lines) {}

    /** What a service said on each device after an order, or says now; a device on which it said nothing is not there. */
    @GetMapping("/services/{name}/lines")
    @Requires(value = Role.LOOK, scoped = true)
    List<DeviceLinesView> lines(@PathVariable String name, @RequestParam Optional<Long> order, Caller caller) {
        seenVersions(caller, name, order);
        return lines.after(name, order.orElse(NOW)).stream().map(each -> new DeviceLinesView(each.device(), each.lines().lines().toList())).toList();
    }

    /** What changed of what a service says, from what one order had made of it to what another one had, or to now: for each device a unified difference (POSIX {@code diff -u}). */
    @GetMapping("/services/{name}/line-differences")
    @Requires(value = Role.LOOK, scoped = true)
    List<DeviceLinesView> lineDifferences(@PathVariable String name, @RequestParam long from, @RequestParam Optional<Long> to, Caller caller) {
        seenOrder(caller, from);
        seenVersions(caller, name, to);
        Map<String, String> before = byDevice(name, from);
        Map<String, String> after = byDevice(name, to.orElse(NOW));
        return Stream.concat(before.keySet().stream(), after.keySet().stream()).distinct().sorted()
                .map(device -> new DeviceLinesView(device, TextDifference.between(device + " after order " + from, before.getOrDefault(device, ""), device + to.map(order -> " after order " + order).orElse(" now"),
                        after.getOrDefault(device, "")))).filter(each -> !each.lines().isEmpty()).toList();
    }

    private Map<String, String> byDevice(String service, long order) {
        return lines.after(service, order).stream().collect(Collectors.toMap(DeviceLines::device, DeviceLines::lines));
    }

    private void seenVersions(Caller caller, String service, Optional<Long> order) {
        order.ifPresent(each -> seenOrder(caller, each));
        if (order.isEmpty()) {
            views.standing(caller, service);
        }
    }

    /** Adds to a draft that a service becomes again what an order had made of it. */
    @PostMapping("/drafts/{name}/returns")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "Somebody else's entry would be replaced, or is being carried out, or too little is known of what the service was.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "return service in draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> returned(@PathVariable String name, @RequestBody Return wanted, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        views.isThere(caller, name);
        seenOrder(caller, wanted.order());
        return way(name, versions.returning(wanted.service(), wanted.order()), match, caller, act);
    }

    /** Adds to a draft that each service of an order becomes again what it was before it. */
    @PostMapping("/drafts/{name}/undoings")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "Later orders have changed the same services, or somebody else's entry would be replaced.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "undo order in draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> undone(@PathVariable String name, @RequestBody Undoing wanted, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        views.isThere(caller, name);
        seenOrder(caller, wanted.order());
        act.about("order", wanted.order());
        return way(name, versions.undoing(wanted.order(), Later.of(Optional.ofNullable(wanted.later()))), match, caller, act);
    }

    private void seenOrder(Caller caller, long order) {
        if (!sight.seesOrder(caller, order)) {
            throw new Problems.NotFound("there is no order " + order);
        }
    }

    private ResponseEntity<DraftViews.DraftView> way(String name, String document, Optional<String> match, Caller caller, Act act) {
        return views.added(caller, drafts.add(name, document, caller.name(), sight.limits(caller, Role.PREPARE), views.seen(caller), Precondition.of(match, Optional.empty()), match.isPresent()), act);
    }
}
