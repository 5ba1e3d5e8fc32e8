package rilvan.server.api;

import io.swagger.v3.oas.annotations.media.Content;
import io.swagger.v3.oas.annotations.media.Schema;
import io.swagger.v3.oas.annotations.responses.ApiResponse;
import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.time.OffsetDateTime;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.Predicate;
import java.util.function.UnaryOperator;
import java.util.stream.Collectors;
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
import rilvan.core.document.Secret;
import rilvan.core.draft.Assignment;
import rilvan.core.draft.Changes;
import rilvan.core.draft.ValueChange;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.drafts.DraftBook;
import rilvan.server.orders.drafts.DraftBook.Kept;
import rilvan.server.orders.drafts.DraftBook.Met;
import rilvan.server.orders.drafts.Part;
import rilvan.server.orders.intake.OrderIntake.Asked;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.DraftRecords.EntryRow;

/** Drafts: what is intended and not on the network yet, by several people. */
@RestController
@RequestMapping("/api/v1/drafts")
public class DraftController {

    private final DraftBook drafts;
    private final StoredPlanningSource source;
    private final Sight sight;

    DraftController(DraftBook drafts, StoredPlanningSource source, Sight sight) {
        this.drafts = drafts;
        this.source = source;
        this.sight = sight;
    }

    /**
     * A draft as lists show it.
     *
     * @param kinds how many services are added, changed, removed, expanded again or moved to another version of their model
     * @param people whose entries it has
     * @param since when its oldest entry was made; null where it has none
     * @param problems how many entries had something wrong when it was last worked out
     * @param underWay the orders that carry entries out just now
     */
    public record DraftHeadView(String name, String reason, String createdBy, OffsetDateTime createdAt, Map<String, Integer> kinds, Set<String> people, Set<String> tenants,
            @Nullable OffsetDateTime since, int problems, Set<Long> underWay) {}

    /**
     * A draft with its entries, in the order in which they came.
     *
     * @param rehearsal its last rehearsal; null where it has had none
     */
    public record DraftView(String name, String reason, String createdBy, OffsetDateTime createdAt, List<EntryView> entries, @Nullable RehearsalView rehearsal) {}

    /**
     * The last rehearsal of a draft.
     *
     * @param order its number among the orders, which have its steps
     * @param state REHEARSED when all devices have said what they say
     * @param failure what stands against the draft; empty where nothing does
     * @param changedSince whether the draft is another one by now
     */
    public record RehearsalView(long order, String who, OffsetDateTime at, String state, String failure, boolean changedSince) {}

    /**
     * What becomes of one service.
     *
     * @param kind ADD, CHANGE, REMOVE, REFRESH or MOVE
     * @param startedFrom the order that had made the service what this entry started from; null where it did not stand
     * @param order the order that carries the entry out just now; null while none does
     * @param changes what it changes of what it started from
     * @param problems what was wrong with it when the draft was last worked out
     * @param met what has become of the service elsewhere since
     */
    public record EntryView(String service, String kind, String tenant, String model, String who, OffsetDateTime at, @Nullable Long startedFrom, @Nullable Long order,
            List<ValueChangeView> changes, List<EntryProblem> problems, List<MetView> met) {}

    /** A value that is another one afterwards; null where there is none. */
    public record ValueChangeView(String at, @Nullable Object before, @Nullable Object after) {}

    /** What is wrong at a place of an entry's document, as a JSON Pointer. */
    public record EntryProblem(String pointer, String message) {}

    /**
     * Others have changed the same service, from where this entry started.
     *
     * @param draft theirs; null where it is the network that has changed
     * @param who made that entry; null where it is the network
     * @param changes what they changed
     * @param inTheWay the values that both changed to something else
     */
    public record MetView(@Nullable String draft, @Nullable String who, List<ValueChangeView> changes, List<String> inTheWay) {}

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

    /** An order that carries a part of a draft out; without a reason of its own it has that of the draft. */
    public record DraftOrder(@Nullable DraftPart part, @Nullable String reason) {}

    /** A page of drafts by name. */
    @GetMapping
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<List<DraftHeadView>> drafts(@RequestParam Optional<String> after, @RequestParam Optional<Integer> limit, Caller caller, HttpServletRequest request) {
        ListPage page = ListPage.of(limit);
        List<DraftHeadView> found = drafts.all().stream().filter(draft -> isSeen(caller, draft)).filter(draft -> draft.row().name().compareTo(after.orElse("")) > 0)
                .sorted(Comparator.comparing(draft -> draft.row().name())).limit(page.toFind()).map(draft -> head(caller, draft)).toList();
        return page.answer(found, request, "after", DraftHeadView::name, head -> head);
    }

    /** A draft with its entries and its entity tag. */
    @GetMapping("/{name}")
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<DraftView> draft(@PathVariable String name, Caller caller) {
        return answer(HttpStatus.OK, caller, known(caller, name));
    }

    /** Makes an empty draft, or gives the one that there is another reason. {@code If-None-Match: *} makes sure that there is none. */
    @PutMapping("/{name}")
    @ApiResponse(responseCode = "200", description = "It is changed.")
    @ApiResponse(responseCode = "201", description = "It is made.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "put draft", about = "draft")
    ResponseEntity<DraftView> put(@PathVariable String name, @RequestBody DraftReason reason, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match,
            @RequestHeader(HttpHeaders.IF_NONE_MATCH) Optional<String> noneMatch, Caller caller, Act act) {
        act.after(reason);
        boolean isThere = isThere(caller, name);
        return answer(isThere ? HttpStatus.OK : HttpStatus.CREATED, caller, drafts.put(name, reason.reason(), Precondition.of(match, noneMatch), caller.name()));
    }

    /** Drops a draft with all its entries. Nothing of it is on the network. */
    @DeleteMapping("/{name}")
    @ApiResponse(responseCode = "204", description = "It is dropped.")
    @ApiResponse(responseCode = "409", description = "An order is carrying out a part of it.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "drop draft", about = "draft")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void drop(@PathVariable String name, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        Kept draft = known(caller, name);
        if (!draft.entries().stream().allMatch(entry -> mayPrepare(caller, entry))) {
            throw Sight.notAllowed(caller, Role.PREPARE, "the draft " + name + " has entries for others too");
        }
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
    ResponseEntity<DraftView> add(@PathVariable String name, HttpServletRequest request, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) throws IOException {
        isThere(caller, name);
        Kept draft = drafts.add(name, Body.read(request), caller.name(), sight.limits(caller, Role.PREPARE), seen(caller), Precondition.of(match, Optional.empty()), match.isPresent());
        return added(caller, draft, act);
    }

    /** Sets single values of a service in a draft: in what the draft says of it, or in the service as it stands. */
    @PostMapping("/{name}/values")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "Somebody else's entry would be replaced, or is being carried out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "set in draft", about = "draft")
    ResponseEntity<DraftView> set(@PathVariable String name, @RequestBody SetValues values, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        isThere(caller, name);
        if (source.service(values.service()).filter(stands -> !sight.sees(caller, stands)).isPresent()) {
            throw new Problems.NotFound("there is no service named '" + values.service() + "', and the draft " + name + " says nothing of one");
        }
        List<Assignment> assignments = values.values().entrySet().stream().map(value -> new Assignment(value.getKey(), value.getValue())).toList();
        return added(caller, drafts.set(name, values.service(), assignments, caller.name(), sight.limits(caller, Role.PREPARE), seen(caller), Precondition.of(match, Optional.empty()), match.isPresent()), act);
    }

    /** A service as a draft has it, or as it stands where the draft says nothing of it: an order document in YAML, to be edited and added to the draft. */
    @GetMapping(value = "/{name}/services/{service}", produces = "application/yaml")
    @Requires(value = Role.LOOK, scoped = true)
    String service(@PathVariable String name, @PathVariable String service, Caller caller) {
        boolean isThere = isThere(caller, name);
        Optional<EntryRow> entry = isThere ? drafts.draft(name).entries().stream().filter(each -> each.service().equals(service)).findFirst() : Optional.empty();
        if (!entry.map(row -> sees(caller, row)).orElseGet(() -> source.service(service).filter(stands -> sight.sees(caller, stands)).isPresent())) {
            throw new Problems.NotFound("there is no service named '" + service + "', and the draft " + name + " says nothing of one");
        }
        return drafts.written(name, service);
    }

    private ResponseEntity<DraftView> added(Caller caller, Kept draft, Act act) {
        draft.entries().stream().filter(entry -> entry.who().equals(caller.name())).forEach(entry -> act.about("service", entry.service()));
        return answer(HttpStatus.OK, caller, draft);
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
        toPrepare(caller, name, service);
        drafts.dropEntry(name, service, Precondition.of(match, Optional.empty()));
    }

    /** Brings an entry to what its service is now: what the entry changes is changed in that. */
    @PostMapping("/{name}/entries/{service}/renewal")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "The network has changed the same values.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "renew in draft", about = "draft")
    ResponseEntity<DraftView> renew(@PathVariable String name, @PathVariable String service, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        act.about("service", service);
        toPrepare(caller, name, service);
        return answer(HttpStatus.OK, caller, drafts.renew(name, service, Precondition.of(match, Optional.empty()), caller.name()));
    }

    /** Puts a part of a draft into another one, which is made where there is none. Answers with that one. */
    @PostMapping("/{name}/splits")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "The other draft is about a service of the part already, or an order is carrying the part out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "split draft", about = "draft")
    ResponseEntity<DraftView> split(@PathVariable String name, @RequestBody Split split, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        act.after(split);
        known(caller, name);
        isThere(caller, split.to());
        return answer(HttpStatus.OK, caller, drafts.split(name, part(split.part()), entry -> mayPrepare(caller, entry), split.to(), Precondition.of(match, Optional.empty()), caller.name()));
    }

    /** What a part of a draft would change. Touches no device. */
    @PostMapping("/{name}/previews")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded.Not("nothing is changed")
    ResponseEntity<PreviewView> preview(@PathVariable String name, @RequestBody DraftPart part, Caller caller) {
        known(caller, name);
        PreviewView view = sight.view(caller, drafts.preview(name, part.part(), seen(caller), caller.name(), sight.limits(caller, Role.PREPARE)));
        return ResponseEntity.ok().eTag(EntityTag.of(view.digest())).body(view);
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
        known(caller, name);
        return OrderController.placed(sight, caller, act, drafts.place(name, part(order.part()), seen(caller), Optional.ofNullable(order.reason()).orElse(""),
                new Asked(caller.name(), sight.limits(caller, Role.RUN), EntityTag.listed(HttpHeaders.IF_MATCH, agreed), key, false)));
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
        known(caller, name);
        return OrderController.placed(sight, caller, act, drafts.place(name, part.part(), seen(caller), "", new Asked(caller.name(), sight.limits(caller, Role.PREPARE), Optional.empty(), key, true)));
    }

    private static Part part(DraftPart part) {
        return part == null ? Part.ALL : part.part();
    }

    private Predicate<EntryRow> seen(Caller caller) {
        return entry -> sees(caller, entry);
    }

    /** Their own, and those of services that they see; of a service that does not stand yet, those for tenants that they see everywhere. */
    private boolean sees(Caller caller, EntryRow entry) {
        return caller.seesAll() || entry.who().equals(caller.name()) || source.service(entry.standsAs()).map(service -> sight.sees(caller, service)).orElseGet(() -> caller.sees(entry.tenant(), List.of()));
    }

    private boolean mayPrepare(Caller caller, EntryRow entry) {
        return sees(caller, entry) && caller.mayFor(Role.PREPARE, entry.tenant());
    }

    private boolean isSeen(Caller caller, Kept draft) {
        return caller.seesAll() || draft.row().createdBy().equals(caller.name()) || draft.entries().stream().anyMatch(seen(caller));
    }

    private Kept known(Caller caller, String name) {
        Kept draft = drafts.draft(name);
        if (!isSeen(caller, draft)) {
            throw new Problems.NotFound("there is no draft named '" + name + "'");
        }
        return draft;
    }

    /** Whether there is a draft; somebody else's, of which they see nothing, has the name for itself. */
    private boolean isThere(Caller caller, String name) {
        Optional<Kept> there = drafts.find(name);
        if (there.isPresent() && !isSeen(caller, there.get())) {
            throw new Problems.Conflict("the name '" + name + "' cannot be used here; choose another one");
        }
        return there.isPresent();
    }

    private void toPrepare(Caller caller, String name, String service) {
        EntryRow entry = DraftBook.entry(known(caller, name), service);
        if (!sees(caller, entry)) {
            throw new Problems.NotFound("the draft " + name + " says nothing of a service named '" + service + "'");
        }
        if (!mayPrepare(caller, entry)) {
            throw Sight.notAllowed(caller, Role.PREPARE, service + " is for another tenant");
        }
    }

    private DraftHeadView head(Caller caller, Kept draft) {
        List<EntryRow> entries = draft.entries().stream().filter(seen(caller)).toList();
        Map<String, Integer> kinds = new TreeMap<>();
        entries.forEach(entry -> kinds.merge(entry.kind(), 1, Integer::sum));
        return new DraftHeadView(draft.row().name(), draft.row().reason(), draft.row().createdBy(), draft.row().createdAt(), kinds,
                entries.stream().map(EntryRow::who).collect(Collectors.toCollection(TreeSet::new)), entries.stream().map(EntryRow::tenant).collect(Collectors.toCollection(TreeSet::new)),
                entries.stream().map(EntryRow::at).min(Comparator.naturalOrder()).orElse(null), (int) entries.stream().filter(entry -> !drafts.problems(entry).isEmpty()).count(),
                entries.stream().map(EntryRow::orderId).filter(order -> order != null).collect(Collectors.toCollection(TreeSet::new)));
    }

    private ResponseEntity<DraftView> answer(HttpStatus status, Caller caller, Kept draft) {
        List<EntryRow> entries = draft.entries().stream().filter(seen(caller)).toList();
        Map<String, List<Met>> met = drafts.met(entries, seen(caller));
        UnaryOperator<String> mask = sight.maskFor(caller);
        DraftView view = new DraftView(draft.row().name(), draft.row().reason(), draft.row().createdBy(), draft.row().createdAt(),
                entries.stream().map(entry -> view(entry, met.getOrDefault(entry.service(), List.of()), mask)).toList(),
                drafts.lastRehearsal(draft.row()).map(order -> new RehearsalView(order.id(), order.who(), order.createdAt(), order.shownState().name(), mask.apply(order.failure()),
                        draft.row().rehearsedVersion() != draft.row().version())).orElse(null));
        return ResponseEntity.status(status).eTag(EntityTag.of(draft.row().version())).body(view);
    }

    private EntryView view(EntryRow entry, List<Met> met, UnaryOperator<String> mask) {
        return new EntryView(entry.service(), entry.kind(), entry.tenant(), entry.model(), entry.who(), entry.at(), entry.startedOrder(), entry.orderId(), values(DraftBook.changes(entry)),
                drafts.problems(entry).stream().map(problem -> new EntryProblem(problem.pointer(), mask.apply(problem.message()))).toList(),
                met.stream().map(each -> new MetView(each.draft().orElse(null), each.entry().map(EntryRow::who).orElse(null), values(each.meeting().theirs()),
                        each.meeting().inTheWay().stream().map(ValueChange::at).toList())).toList());
    }

    private static List<ValueChangeView> values(Changes changes) {
        return changes.values().stream().map(change -> new ValueChangeView(change.at(), masked(change.before()), masked(change.after()))).toList();
    }

    private static Object masked(Optional<Object> value) {
        return value.map(each -> Secret.masked(new LinkedHashMap<>(Map.of("value", each))).get("value")).orElse(null);
    }
}
