package rilvan.server.api;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.time.Duration;
import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
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
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.endings.Endings;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.EndingRecords;
import rilvan.server.store.EndingRecords.EndingRow;

/** When services, or their sites, end. */
@RestController
@RequestMapping("/api/v1")
public class EndingController {

    private static final long USUAL_NOTICE_DAYS = 7;
    private static final long LONGEST_NOTICE_DAYS = 366;

    private final Endings endings;
    private final EndingRecords records;
    private final StoredPlanningSource source;
    private final Sight sight;

    EndingController(Endings endings, EndingRecords records, StoredPlanningSource source, Sight sight) {
        this.endings = endings;
        this.records = records;
        this.source = source;
        this.sight = sight;
    }

    /**
     * When a service, or a part of it, ends.
     *
     * @param part FIELD/NAME of an item of a list, such as {@code sites/haven}; empty for the whole service
     * @param noticeAt when it is told of beforehand, by the event {@code service.ends-soon}
     * @param order the order that has been placed for it; null before its time
     * @param failure what has kept it from being carried out; empty where nothing has
     */
    public record EndingView(String service, String part, OffsetDateTime at, OffsetDateTime noticeAt, String reason, String who, @Nullable Long order, String failure) {}

    /**
     * When something is to end.
     *
     * @param at at most a year ahead
     * @param part FIELD/NAME of an item of a list; the whole service where it is left out
     * @param noticeDays how many days before it is told of; 7 where it is left out
     */
    public record EndingDocument(OffsetDateTime at, @Nullable String part, @Nullable Long noticeDays, @Nullable String reason) {}

    /** What is to end, the earliest first. */
    @GetMapping("/endings")
    @Requires(value = Role.LOOK, scoped = true)
    List<EndingView> endings(Caller caller) {
        return records.all(sight.scopes(caller)).stream().map(row -> view(caller, row)).toList();
    }

    /** When a service, or a part of it, ends, with its entity tag. */
    @GetMapping("/services/{name}/ending")
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<EndingView> ending(@PathVariable String name, @RequestParam Optional<String> part, Caller caller) {
        known(caller, name);
        return answer(HttpStatus.OK, caller, records.ending(name, part.orElse("")).orElseThrow(() -> none(name, part.orElse(""))));
    }

    /** Says when a service, or a part of it, ends; what was said of it before holds no more. An order of its own removes it then. */
    @PutMapping("/services/{name}/ending")
    @ApiResponse(responseCode = "201", description = "It ends then.")
    @ApiResponse(responseCode = "200", description = "It ends at another time than was said.")
    @Requires(value = Role.RUN, scoped = true)
    @Recorded(value = "put end of service", about = "service")
    ResponseEntity<EndingView> put(@PathVariable String name, @RequestBody EndingDocument document, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match,
            @RequestHeader(HttpHeaders.IF_NONE_MATCH) Optional<String> noneMatch, Caller caller, Act act) {
        act.after(document);
        Service service = toEnd(caller, name);
        String part = Optional.ofNullable(document.part()).orElse("");
        long notice = Optional.ofNullable(document.noticeDays()).orElse(USUAL_NOTICE_DAYS);
        if (notice < 0 || notice > LONGEST_NOTICE_DAYS) {
            throw new ValidationFailure("/noticeDays", "is from 0 to " + LONGEST_NOTICE_DAYS);
        }
        boolean isThere = records.ending(name, part).isPresent();
        return answer(isThere ? HttpStatus.OK : HttpStatus.CREATED, caller, endings.put(service, part, document.at().toInstant(), Duration.ofDays(notice), Optional.ofNullable(document.reason()).orElse(""), caller.name(),
                Precondition.of(match, noneMatch)));
    }

    /** A service, or a part of it, does not end. */
    @DeleteMapping("/services/{name}/ending")
    @ApiResponse(responseCode = "204", description = "It does not end.")
    @Requires(value = Role.RUN, scoped = true)
    @Recorded(value = "drop end of service", about = "service")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void drop(@PathVariable String name, @RequestParam Optional<String> part, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller) {
        toEnd(caller, name);
        if (!endings.drop(name, part.orElse(""), Precondition.of(match, Optional.empty()))) {
            throw none(name, part.orElse(""));
        }
    }

    private Service known(Caller caller, String name) {
        return source.service(name).filter(service -> sight.sees(caller, service)).orElseThrow(() -> new Problems.NotFound("there is no service named '" + name + "'"));
    }

    private Service toEnd(Caller caller, String name) {
        Service service = known(caller, name);
        if (!caller.may(Role.RUN, service.tenant(), sight.sites(service.devices().keySet()))) {
            throw Sight.notAllowed(caller, Role.RUN, name + " is for another tenant, or elsewhere");
        }
        return service;
    }

    private static Problems.NotFound none(String service, String part) {
        return new Problems.NotFound("nobody has said when " + service + (part.isEmpty() ? "" : " " + part) + " ends");
    }

    private ResponseEntity<EndingView> answer(HttpStatus status, Caller caller, EndingRow row) {
        return ResponseEntity.status(status).eTag(EntityTag.of(row.version())).body(view(caller, row));
    }

    private EndingView view(Caller caller, EndingRow row) {
        return new EndingView(row.service(), row.part(), row.at(), row.noticeAt(), row.reason(), row.who(), row.orderId(), sight.maskFor(caller).apply(row.failure()));
    }
}
