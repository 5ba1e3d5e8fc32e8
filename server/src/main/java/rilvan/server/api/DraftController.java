package rilvan.server.api;

import io.swagger.v3.oas.annotations.media.Content;
import io.swagger.v3.oas.annotations.media.Schema;
import io.swagger.v3.oas.annotations.responses.ApiResponse;
import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.time.OffsetDateTime;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.draft.Assignment;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.drafts.Decisions;
import rilvan.server.orders.drafts.DraftBook;
import rilvan.server.orders.drafts.DraftBook.Kept;
import rilvan.server.orders.drafts.Part;
import rilvan.server.orders.drafts.Reservations;
import rilvan.server.orders.intake.OrderIntake;
import rilvan.server.orders.intake.OrderIntake.Asked;
import rilvan.server.orders.staging.Staging;
import rilvan.server.orders.timing.Timing;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.DraftRecords.EntryRow;

/** Drafts: what is intended and not on the network yet, by several people. */
@RestController
@RequestMapping("/api/v1/drafts")
public class DraftController {

    private final DraftBook drafts;
    private final Reservations reservations;
    private final Decisions decisions;
    private final OrderIntake intake;
    private final DraftViews views;
    private final StoredPlanningSource source;
    private final Sight sight;

    DraftController(DraftBook drafts, Reservations reservations, Decisions decisions, OrderIntake intake, DraftViews views, StoredPlanningSource source, Sight sight) {
        this.reservations = reservations;
        this.decisions = decisions;
        this.intake = intake;
        this.views = views;
        this.drafts = drafts;
        this.source = source;
        this.sight = sight;
    }

    /** Why the changes of a draft are intended. */
    public record DraftReason(String reason) {}

    /** Values that are set in a service, by parameter: names with {@code /} between, an item of a list by its own name. An empty value takes the parameter away. */
    public record SetValues(String service, Map<String, String> values) {}

    /** A part of a draft: the entries that fit all that is said. What is not said, or empty, fits all. */
    public record DraftPart(@Nullable Set<String> services, @Nullable Set<String> people, @Nullable Set<String> tenants, @Nullable Set<String> models, @Nullable Set<String> kinds) {

        private Part part() {
            return new Part(all(services), all(people), all(tenants), all(models), all(kinds));
        }

        private static Set<String> all(Set<String> said) {
            return said == null ? Set.of() : said;
        }
    }

    /** The draft that a part is put into. */
    public record Split(String to, @Nullable DraftPart part) {}

    /**
     * An order that carries a part of a draft out; without a reason of its own it has that of the draft.
     *
     * @param start not before this time (RFC 3339), or {@code window} for maintenance windows of all sites concerned; at once where it is left out
     * @param startBy not after this time; an hour after start where that is a time
     * @param urgent whether it goes ahead of freezes and of an emergency stop; another person is to agree to it
     * @param first for each stage but the last its sites and devices, with commas between; all at once where it is left out
     * @param pause between two stages, in seconds
     * @param afterFailure what becomes of earlier stages where one fails: {@code keep} or {@code undo}; keep where it is left out
     * @param newBeforeOld whether what goes does so in a last stage of its own, when what comes is proven
     * @param oneByOne whether one device changes after another; otherwise side by side, as far as their kinds allow
     */
    public record DraftOrder(@Nullable DraftPart part, @Nullable String reason, @Nullable String start, @Nullable String startBy, @Nullable Boolean urgent, @Nullable List<String> first, @Nullable Long pause,
            @Nullable String afterFailure, @Nullable Boolean newBeforeOld, @Nullable Boolean oneByOne) {}

    /** A page of drafts by name. */
    @GetMapping
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<List<DraftViews.DraftHeadView>> drafts(@RequestParam Optional<String> after, @RequestParam Optional<Integer> limit, Caller caller, HttpServletRequest request) {
        ListPage page = ListPage.of(limit);
        List<DraftViews.DraftHeadView> found = drafts.all().stream().filter(draft -> views.isSeen(caller, draft)).filter(draft -> draft.row().name().compareTo(after.orElse("")) > 0)
                .sorted(Comparator.comparing(draft -> draft.row().name())).limit(page.toFind()).map(draft -> views.head(caller, draft)).toList();
        return page.answer(found, request, "after", DraftViews.DraftHeadView::name, head -> head);
    }

    /** A draft with its entries and its entity tag. */
    @GetMapping("/{name}")
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<DraftViews.DraftView> draft(@PathVariable String name, Caller caller) {
        return views.answer(HttpStatus.OK, caller, views.known(caller, name));
    }

    /** Makes an empty draft, or gives the one that there is another reason. {@code If-None-Match: *} makes sure that there is none. */
    @PutMapping("/{name}")
    @ApiResponse(responseCode = "200", description = "It is changed.")
    @ApiResponse(responseCode = "201", description = "It is made.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "put draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> put(@PathVariable String name, @RequestBody DraftReason reason, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match,
            @RequestHeader(HttpHeaders.IF_NONE_MATCH) Optional<String> noneMatch, Caller caller, Act act) {
        act.after(reason);
        boolean isThere = views.isThere(caller, name);
        return views.answer(isThere ? HttpStatus.OK : HttpStatus.CREATED, caller, drafts.put(name, reason.reason(), Precondition.of(match, noneMatch), caller.name()));
    }

    /** Drops a draft with all its entries. Nothing of it is on the network. */
    @DeleteMapping("/{name}")
    @ApiResponse(responseCode = "204", description = "It is dropped.")
    @ApiResponse(responseCode = "409", description = "An order is carrying out a part of it.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "drop draft", about = "draft")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void drop(@PathVariable String name, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        Kept draft = toPrepareAll(caller, name);
        act.before(draft.entries().stream().map(EntryRow::service).toList());
        drafts.drop(name, Precondition.of(match, Optional.empty()));
    }

    /**
     * Adds to a draft what an order document says; the draft is made where there is none. What it says of the same services already is replaced; what somebody else said only with
     * {@code If-Match}, which shows that it was looked at. What is wrong with a service is kept with its entry.
     */
    @PostMapping("/{name}/entries")
    @io.swagger.v3.oas.annotations.parameters.RequestBody(required = true, content = {@Content(mediaType = "application/json", schema = @Schema(ref = "#/components/schemas/OrderDocument")), @Content(mediaType = "application/yaml")})
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "Somebody else's entry would be replaced, or is being carried out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "add to draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> add(@PathVariable String name, HttpServletRequest request, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) throws IOException {
        views.isThere(caller, name);
        Kept draft = drafts.add(name, Body.read(request), caller.name(), sight.limits(caller, Role.PREPARE), views.seen(caller), Precondition.of(match, Optional.empty()), match.isPresent());
        return views.added(caller, draft, act);
    }

    /** Sets single values of a service in a draft: in what the draft says of it, or in the service as it stands. */
    @PostMapping("/{name}/values")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "Somebody else's entry would be replaced, or is being carried out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "set in draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> set(@PathVariable String name, @RequestBody SetValues values, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        views.isThere(caller, name);
        if (source.service(values.service()).filter(stands -> !sight.sees(caller, stands)).isPresent()) {
            throw new Problems.NotFound("there is no service named '" + values.service() + "', and the draft " + name + " says nothing of one");
        }
        List<Assignment> assignments = values.values().entrySet().stream().map(value -> new Assignment(value.getKey(), value.getValue())).toList();
        return views.added(caller, drafts.set(name, values.service(), assignments, caller.name(), sight.limits(caller, Role.PREPARE), views.seen(caller), Precondition.of(match, Optional.empty()), match.isPresent()), act);
    }

    /** A service as a draft has it, or as it stands where the draft says nothing of it: an order document in YAML, to be edited and added to the draft. */
    @GetMapping(value = "/{name}/services/{service}", produces = "application/yaml")
    @Requires(value = Role.LOOK, scoped = true)
    String service(@PathVariable String name, @PathVariable String service, Caller caller) {
        boolean isThere = views.isThere(caller, name);
        Optional<EntryRow> entry = isThere ? drafts.draft(name).entries().stream().filter(each -> each.service().equals(service)).findFirst() : Optional.empty();
        if (!entry.map(row -> views.sees(caller, row)).orElseGet(() -> source.service(service).filter(stands -> sight.sees(caller, stands)).isPresent())) {
            throw new Problems.NotFound("there is no service named '" + service + "', and the draft " + name + " says nothing of one");
        }
        return drafts.written(name, service);
    }


    /** Takes an entry out of a draft. */
    @DeleteMapping("/{name}/entries/{service}")
    @ApiResponse(responseCode = "204", description = "It is out.")
    @ApiResponse(responseCode = "409", description = "An order is carrying it out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "take out of draft", about = "draft")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void dropEntry(@PathVariable String name, @PathVariable String service, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        act.about("service", service);
        views.toPrepare(caller, name, service);
        drafts.dropEntry(name, service, Precondition.of(match, Optional.empty()));
    }

    /** Brings an entry to what its service is now: what the entry changes is changed in that. */
    @PostMapping("/{name}/entries/{service}/renewal")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "The network has changed the same values.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "renew in draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> renew(@PathVariable String name, @PathVariable String service, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        act.about("service", service);
        views.toPrepare(caller, name, service);
        return views.answer(HttpStatus.OK, caller, drafts.renew(name, service, Precondition.of(match, Optional.empty()), caller.name()));
    }

    /** Puts a part of a draft into another one, which is made where there is none. Answers with that one. */
    @PostMapping("/{name}/splits")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "The other draft is about a service of the part already, or an order is carrying the part out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "split draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> split(@PathVariable String name, @RequestBody Split split, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        act.after(split);
        views.known(caller, name);
        views.isThere(caller, split.to());
        return views.answer(HttpStatus.OK, caller, drafts.split(name, part(split.part()), entry -> views.mayPrepare(caller, entry), split.to(), Precondition.of(match, Optional.empty()), caller.name()));
    }

    /**
     * What is decided about a conflict with what a device holds, for a node and all below it.
     *
     * @param decision {@code replace}, {@code restore}, {@code leave} or {@code join}
     */
    public record DraftDecision(String device, String path, String decision, @Nullable String reason) {}

    /** Decides about a conflict, for the orders of a draft. Where the device is known to say something else by then, it is to be decided again. */
    @PostMapping("/{name}/decisions")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "decide in draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> decide(@PathVariable String name, @RequestBody DraftDecision decision, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        act.about("device", decision.device()).after(decision);
        toPrepareAll(caller, name);
        return views.answer(HttpStatus.OK, caller, decisions.decide(name, decision.device(), decision.path(), decision.decision(), Optional.ofNullable(decision.reason()).orElse(""), caller.name(),
                Precondition.of(match, Optional.empty())));
    }

    /** Takes a decision back. */
    @DeleteMapping("/{name}/decisions")
    @ApiResponse(responseCode = "204", description = "Nothing is decided about it.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "take decision back", about = "draft")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void undecide(@PathVariable String name, @RequestParam String device, @RequestParam String path, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        act.about("device", device);
        toPrepareAll(caller, name);
        decisions.undecide(name, device, path, caller.name(), Precondition.of(match, Optional.empty()));
    }

    private Kept toPrepareAll(Caller caller, String name) {
        Kept draft = views.known(caller, name);
        if (!draft.entries().stream().allMatch(entry -> views.mayPrepare(caller, entry))) {
            throw Sight.notAllowed(caller, Role.PREPARE, "the draft " + name + " has entries for others too");
        }
        return draft;
    }

    /**
     * Numbers that a draft keeps.
     *
     * @param until for all of it, at most a year ahead
     */
    public record Reservation(OffsetDateTime until, @Nullable DraftPart part) {}

    /** Keeps the numbers that a part of a draft takes until a time: nobody else gets them. What was kept for the same entries and is not needed any more is given back. */
    @PutMapping("/{name}/reservation")
    @ApiResponse(responseCode = "200", description = "The draft with the numbers that it keeps.")
    @ApiResponse(responseCode = "409", description = "The draft has just been changed, or an order is carrying the part out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "reserve numbers", about = "draft")
    ResponseEntity<DraftViews.DraftView> reserve(@PathVariable String name, @RequestBody Reservation reservation, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        act.after(reservation);
        views.known(caller, name);
        return views.answer(HttpStatus.OK, caller, reservations.reserve(name, reservation.until().toInstant(), part(reservation.part()), entry -> views.mayPrepare(caller, entry), caller.name(),
                sight.limits(caller, Role.PREPARE), Precondition.of(match, Optional.empty())));
    }

    /** Gives back what a draft keeps. */
    @DeleteMapping("/{name}/reservation")
    @ApiResponse(responseCode = "204", description = "It keeps nothing.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "give reserved numbers back", about = "draft")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void giveBack(@PathVariable String name, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller) {
        toPrepareAll(caller, name);
        reservations.giveBack(name, Precondition.of(match, Optional.empty()));
    }

    /**
     * What a part of a draft would change. Touches no device.
     *
     * @param first for each stage but the last its sites and devices, with commas between these and semicolons between stages; all at once where it is left out
     * @param newBeforeOld whether what goes does so in a stage of its own, when what comes is proven
     * @param whole whether the answer has the whole configuration of each device, too; for who sees all tenants
     */
    @PostMapping("/{name}/previews")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded.Not("nothing is changed")
    ResponseEntity<PreviewView> preview(@PathVariable String name, @RequestBody DraftPart part, @RequestParam Optional<String> first,
            @RequestParam Optional<Boolean> newBeforeOld, @RequestParam Optional<Boolean> whole, Caller caller) {
        views.known(caller, name);
        return OrderController.previewed(sight, intake, caller, drafts.preview(name, part.part(), views.seen(caller), OrderController.staging(first, newBeforeOld), caller.name(),
                sight.limits(caller, Role.PREPARE)), whole.orElse(false), List.of());
    }

    /**
     * Places an order that carries a part of a draft out. Its entries leave the draft when it is done, and stay where it is rolled back. {@code If-Match} with a preview's entity tag
     * makes sure that it does what was seen.
     */
    @PostMapping("/{name}/orders")
    @ApiResponse(responseCode = "202", description = "The order is placed; it has a number.")
    @ApiResponse(responseCode = "200", description = "Nothing changes: the network already is as it is asked for.")
    @ApiResponse(responseCode = "409", description = "The network has changed a service since its entry was made, or an order is carrying the part out.")
    @Requires(value = Role.RUN, scoped = true)
    @Recorded(value = "place order of draft", about = "draft")
    ResponseEntity<OrderController.PlacedView> place(@PathVariable String name, @RequestBody DraftOrder order, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> agreed,
            @RequestHeader("Idempotency-Key") Optional<String> key, Caller caller, Act act) {
        views.known(caller, name);
        return OrderController.placed(sight, caller, act, drafts.place(name, part(order.part()), views.seen(caller), Optional.ofNullable(order.reason()).orElse(""),
                Asked.of(caller.name(), sight.limits(caller, Role.RUN), EntityTag.listed(HttpHeaders.IF_MATCH, agreed), key,
                        Timing.read(Optional.ofNullable(order.start()), Optional.ofNullable(order.startBy()), Boolean.TRUE.equals(order.urgent())),
                        Staging.read(Optional.ofNullable(order.first()).orElse(List.of()), Optional.ofNullable(order.pause()), Optional.ofNullable(order.afterFailure()), Boolean.TRUE.equals(order.newBeforeOld())), Boolean.TRUE.equals(order.oneByOne()))));
    }

    /**
     * Rehearses a part of a draft on its devices, as an order would be: no device is changed, and nothing leaves the draft. The draft keeps which order its last rehearsal was.
     */
    @PostMapping("/{name}/rehearsals")
    @ApiResponse(responseCode = "202", description = "The rehearsal has the number of an order.")
    @ApiResponse(responseCode = "200", description = "Nothing changes: the network already is as it is asked for.")
    @ApiResponse(responseCode = "409", description = "The network has changed a service since its entry was made, or an order is carrying the part out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "rehearse draft", about = "draft")
    ResponseEntity<OrderController.PlacedView> rehearse(@PathVariable String name, @RequestBody DraftPart part, @RequestHeader("Idempotency-Key") Optional<String> key, Caller caller, Act act) {
        views.known(caller, name);
        return OrderController.placed(sight, caller, act, drafts.place(name, part.part(), views.seen(caller), "", Asked.rehearsal(caller.name(), sight.limits(caller, Role.PREPARE), key)));
    }

    private static Part part(DraftPart part) {
        return part == null ? Part.ALL : part.part();
    }
}
