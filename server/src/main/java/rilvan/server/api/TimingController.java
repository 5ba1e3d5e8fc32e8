package rilvan.server.api;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.orders.timing.EmergencyStop;
import rilvan.server.orders.timing.Freezes;
import rilvan.server.orders.timing.Freezes.Freeze;
import rilvan.server.orders.timing.StartTimes;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Timings.StopRow;

/** What keeps orders from beginning: freezes, and the emergency stop. */
@RestController
@RequestMapping("/api/v1")
public class TimingController {

    private final Freezes freezes;
    private final EmergencyStop emergency;
    private final StartTimes times;

    TimingController(Freezes freezes, EmergencyStop emergency, StartTimes times) {
        this.freezes = freezes;
        this.emergency = emergency;
        this.times = times;
    }

    /**
     * A time in which nothing is changed.
     *
     * @param sites of whose devices; of any where neither sites nor tenants are named
     * @param tenants for whom
     */
    public record FreezeView(String name, Set<String> sites, Set<String> tenants, OffsetDateTime from, OffsetDateTime until, String reason, String createdBy) {

        private static FreezeView of(Freeze freeze) {
            return new FreezeView(freeze.name(), freeze.sites(), freeze.tenants(), freeze.from().atOffset(ZoneOffset.UTC), freeze.until().atOffset(ZoneOffset.UTC), freeze.reason(), freeze.createdBy());
        }
    }

    /**
     * What a freeze is to be.
     *
     * @param from now where it is left out
     */
    public record FreezeDocument(@Nullable Set<String> sites, @Nullable Set<String> tenants, @Nullable OffsetDateTime from, OffsetDateTime until, @Nullable String reason) {}

    /**
     * Whether everything is stopped.
     *
     * @param reason why; null, like by and at, while nothing is
     * @param rollsBack whether orders that were under way were told to roll back
     */
    public record EmergencyView(boolean stopped, @Nullable String reason, boolean rollsBack, @Nullable String by, @Nullable OffsetDateTime at) {

        private static EmergencyView of(Optional<StopRow> stop) {
            return stop.map(row -> new EmergencyView(true, row.reason(), row.rollsBack(), row.who(), row.at())).orElse(new EmergencyView(false, null, false, null, null));
        }
    }

    /**
     * Why everything is stopped.
     *
     * @param rollsBack whether orders that are under way roll back, those that are not decided; otherwise they end as they would
     */
    public record StopDocument(String reason, @Nullable Boolean rollsBack) {}

    /** The freezes that have not ended, the earliest first. */
    @GetMapping("/freezes")
    @Requires(Role.LOOK)
    List<FreezeView> freezes() {
        return freezes.all().stream().map(FreezeView::of).toList();
    }

    /** A freeze, with its entity tag. */
    @GetMapping("/freezes/{name}")
    @Requires(Role.LOOK)
    ResponseEntity<FreezeView> freeze(@PathVariable String name) {
        return answer(HttpStatus.OK, known(name));
    }

    /** Puts a freeze, in the place of one of that name. Orders that have begun end as they would; those that have not wait until it ends. */
    @PutMapping("/freezes/{name}")
    @ApiResponse(responseCode = "201", description = "It is there from now on.")
    @ApiResponse(responseCode = "200", description = "It is changed.")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "put freeze", about = "freeze")
    ResponseEntity<FreezeView> putFreeze(@PathVariable String name, @RequestBody FreezeDocument document, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match,
            @RequestHeader(HttpHeaders.IF_NONE_MATCH) Optional<String> noneMatch, Caller caller, Act act) {
        Optional<Freeze> before = freezes.find(name);
        before.ifPresent(freeze -> act.before(FreezeView.of(freeze)));
        act.after(document);
        Freeze freeze = new Freeze(name, names(document.sites()), names(document.tenants()), document.from() == null ? times.now() : document.from().toInstant(), document.until().toInstant(),
                Optional.ofNullable(document.reason()).orElse(""), 0, caller.name());
        return answer(before.isPresent() ? HttpStatus.OK : HttpStatus.CREATED, freezes.put(freeze, times.now(), Precondition.of(match, noneMatch)));
    }

    /** Lifts a freeze. Orders that it kept back begin within seconds, those in time. */
    @DeleteMapping("/freezes/{name}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "lift freeze", about = "freeze")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void lift(@PathVariable String name, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Act act) {
        act.before(FreezeView.of(known(name)));
        if (!freezes.lift(name, Precondition.of(match, Optional.empty()))) {
            throw unknown(name);
        }
    }

    /** Whether everything is stopped. */
    @GetMapping("/emergency-stop")
    @Requires(value = Role.LOOK, scoped = true)
    EmergencyView emergency() {
        return EmergencyView.of(emergency.find());
    }

    /** Stops everything: no order begins until it is released. */
    @PutMapping("/emergency-stop")
    @ApiResponse(responseCode = "200", description = "Everything is stopped.")
    @Requires(Role.RUN)
    @Recorded("stop everything")
    EmergencyView stop(@RequestBody StopDocument document, Caller caller, Act act) {
        act.after(document);
        return EmergencyView.of(Optional.of(emergency.stop(document.reason(), Boolean.TRUE.equals(document.rollsBack()), caller.name())));
    }

    /** Releases the emergency stop: orders that wait begin, those in time. */
    @DeleteMapping("/emergency-stop")
    @ApiResponse(responseCode = "204", description = "Orders begin again.")
    @ApiResponse(responseCode = "409", description = "Nothing is stopped.")
    @Requires(Role.RUN)
    @Recorded("release emergency stop")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void release(Act act) {
        act.before(EmergencyView.of(emergency.find()));
        if (!emergency.release()) {
            throw new Problems.Conflict("nothing is stopped");
        }
    }

    private static Set<String> names(@Nullable Set<String> said) {
        return said == null ? Set.of() : new TreeSet<>(said);
    }

    private Freeze known(String name) {
        return freezes.find(name).orElseThrow(() -> unknown(name));
    }

    private static Problems.NotFound unknown(String name) {
        return new Problems.NotFound("there is no freeze named '" + name + "', or it has ended");
    }

    private static ResponseEntity<FreezeView> answer(HttpStatus status, Freeze freeze) {
        return ResponseEntity.status(status).eTag(EntityTag.of(freeze.version())).body(FreezeView.of(freeze));
    }
}
