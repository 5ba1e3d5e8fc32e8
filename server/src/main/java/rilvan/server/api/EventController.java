package rilvan.server.api;

import io.swagger.v3.oas.annotations.media.Content;
import io.swagger.v3.oas.annotations.media.Schema;
import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import org.springframework.web.servlet.mvc.method.annotation.SseEmitter;
import rilvan.core.document.KnownNames;
import rilvan.core.document.ValidationFailure;
import rilvan.server.access.Caller;
import rilvan.server.access.Callers;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.events.CloudEvent;
import rilvan.server.events.EventKinds;
import rilvan.server.events.EventStream;
import rilvan.server.events.EventStream.View;
import rilvan.server.store.Events.Wanted;

/** What has happened, as one stream over orders, services, devices, tenants and the library. */
@RestController
@RequestMapping("/api/v1/events")
public class EventController {

    private static final int USUAL_EVENTS = 100;
    private static final String LAST_EVENT_ID = "Last-Event-ID";

    private final EventStream events;
    private final Callers callers;
    private final Sight sight;

    EventController(EventStream events, Callers callers, Sight sight) {
        this.events = events;
        this.callers = callers;
        this.sight = sight;
    }

    /** A page of events, the earliest first. Each has a number; ask again with the last one ({@code after}) for those that have come meanwhile. */
    @GetMapping
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<List<CloudEvent>> events(@RequestParam Optional<Long> after, @RequestParam Optional<Integer> limit, @RequestParam Optional<List<String>> kind, @RequestParam Optional<Long> order,
            @RequestParam Optional<String> service, @RequestParam Optional<String> device, @RequestParam Optional<String> tenant, Caller caller) {
        ListPage page = ListPage.of(limit.or(() -> Optional.of(USUAL_EVENTS)));
        return ResponseEntity.ok(events.after(after.orElse(0L), page.limit(), wanted(kind, order, service, device, tenant), sight.scopes(caller)));
    }

    /**
     * What happens from now on, as server-sent events; with {@code Last-Event-ID}, or {@code after}, everything after that number first. It ends when whoever follows is no longer signed in.
     */
    @GetMapping(value = "/stream", produces = MediaType.TEXT_EVENT_STREAM_VALUE)
    @ApiResponse(responseCode = "200", description = "The stream.", content = @Content(mediaType = MediaType.TEXT_EVENT_STREAM_VALUE, schema = @Schema(ref = "#/components/schemas/EventStream")))
    @Requires(value = Role.LOOK, scoped = true)
    SseEmitter follow(@RequestHeader(LAST_EVENT_ID) Optional<String> heard, @RequestParam Optional<Long> after, @RequestParam Optional<List<String>> kind, @RequestParam Optional<Long> order,
            @RequestParam Optional<String> service, @RequestParam Optional<String> device, @RequestParam Optional<String> tenant) {
        var lasting = callers.lasting();
        return events.follow(heard.map(EventController::number).or(() -> after).orElseGet(events::last), wanted(kind, order, service, device, tenant),
                () -> lasting.get().filter(caller -> !caller.scopes(Role.LOOK).isEmpty())
                        .map(caller -> new View(sight.scopes(caller), sight.maskFor(caller))));
    }

    private static long number(String heard) {
        if (!heard.matches("\\d{1,18}")) {
            throw new ValidationFailure("", "the header " + LAST_EVENT_ID + " has " + heard + "; it must be the id of an event, such as 42");
        }
        return Long.parseLong(heard);
    }

    private static Wanted wanted(Optional<List<String>> kinds, Optional<Long> order, Optional<String> service, Optional<String> device, Optional<String> tenant) {
        kinds.stream().flatMap(List::stream).filter(kind -> !EventKinds.KNOWN.contains(kind)).findFirst().ifPresent(kind -> {
            throw new ValidationFailure("/kind", "there are no events '" + kind + "'; " + KnownNames.instead(kind, Set.copyOf(EventKinds.KNOWN)));
        });
        return new Wanted(kinds.filter(some -> !some.isEmpty()).orElse(null), order.orElse(null), service.orElse(null), device.orElse(null), tenant.orElse(null));
    }
}
