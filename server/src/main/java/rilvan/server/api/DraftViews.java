package rilvan.server.api;

import java.time.OffsetDateTime;
import java.util.Comparator;
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
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.stereotype.Component;
import rilvan.core.draft.ValueChange;
import rilvan.server.access.Caller;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.api.ServiceController.NumberView;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.drafts.Decisions;
import rilvan.server.orders.drafts.DraftBook;
import rilvan.server.orders.drafts.DraftBook.Kept;
import rilvan.server.orders.drafts.DraftBook.Met;
import rilvan.server.orders.drafts.Reservations;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.store.DraftRecords.EntryRow;
import rilvan.server.store.Services.Reserved;

/** Drafts as somebody may see them. */
@Component
class DraftViews {

    private final DraftBook drafts;
    private final Reservations reservations;
    private final Decisions decisions;
    private final StoredPlanningSource source;
    private final Sight sight;

    DraftViews(DraftBook drafts, Reservations reservations, Decisions decisions, StoredPlanningSource source, Sight sight) {
        this.drafts = drafts;
        this.reservations = reservations;
        this.decisions = decisions;
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
     * @param reservedUntil how long it keeps the numbers of its entries; null where it keeps none
     * @param decisions about conflicts of its orders with what devices hold
     */
    public record DraftView(String name, String reason, String createdBy, OffsetDateTime createdAt, List<EntryView> entries, @Nullable RehearsalView rehearsal, @Nullable OffsetDateTime reservedUntil,
            List<DecisionView> decisions) {}

    /**
     * What somebody has decided about a node of a device and all below it.
     *
     * @param decision replace, restore, leave or join
     * @param evidence what the device was known to say there, in its own language; empty where it said nothing
     * @param outdated whether it is known to say something else since: then it is to be decided again
     */
    public record DecisionView(String device, String path, String decision, String reason, String who, OffsetDateTime at, String evidence, boolean outdated) {}

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
     * @param numbers what the draft keeps for it
     */
    public record EntryView(String service, String kind, String tenant, String model, String who, OffsetDateTime at, @Nullable Long startedFrom, @Nullable Long order,
            List<ValueChangeView> changes, List<EntryProblem> problems, List<MetView> met, List<NumberView> numbers) {}

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

    Predicate<EntryRow> seen(Caller caller) {
        return entry -> sees(caller, entry);
    }

    /** Their own, and those of services that they see; of a service that does not stand yet, those for tenants that they see everywhere. */
    boolean sees(Caller caller, EntryRow entry) {
        return caller.seesAll() || entry.who().equals(caller.name()) || source.service(entry.standsAs()).map(service -> sight.sees(caller, service)).orElseGet(() -> caller.sees(entry.tenant(), List.of()));
    }

    boolean mayPrepare(Caller caller, EntryRow entry) {
        return sees(caller, entry) && caller.mayFor(Role.PREPARE, entry.tenant());
    }

    boolean isSeen(Caller caller, Kept draft) {
        return caller.seesAll() || draft.row().createdBy().equals(caller.name()) || draft.entries().stream().anyMatch(seen(caller));
    }

    Kept known(Caller caller, String name) {
        Kept draft = drafts.draft(name);
        if (!isSeen(caller, draft)) {
            throw new Problems.NotFound("there is no draft named '" + name + "'");
        }
        return draft;
    }

    /** Whether there is a draft; somebody else's, of which they see nothing, has the name for itself. */
    boolean isThere(Caller caller, String name) {
        Optional<Kept> there = drafts.find(name);
        if (there.isPresent() && !isSeen(caller, there.get())) {
            throw new Problems.Conflict("the name '" + name + "' cannot be used here; choose another one");
        }
        return there.isPresent();
    }

    void toPrepare(Caller caller, String name, String service) {
        EntryRow entry = DraftBook.entry(known(caller, name), service);
        if (!sees(caller, entry)) {
            throw new Problems.NotFound("the draft " + name + " says nothing of a service named '" + service + "'");
        }
        if (!mayPrepare(caller, entry)) {
            throw Sight.notAllowed(caller, Role.PREPARE, service + " is for another tenant");
        }
    }

    DraftHeadView head(Caller caller, Kept draft) {
        List<EntryRow> entries = draft.entries().stream().filter(seen(caller)).toList();
        Map<String, Integer> kinds = new TreeMap<>();
        entries.forEach(entry -> kinds.merge(entry.kind(), 1, Integer::sum));
        return new DraftHeadView(draft.row().name(), draft.row().reason(), draft.row().createdBy(), draft.row().createdAt(), kinds,
                entries.stream().map(EntryRow::who).collect(Collectors.toCollection(TreeSet::new)), entries.stream().map(EntryRow::tenant).collect(Collectors.toCollection(TreeSet::new)),
                entries.stream().map(EntryRow::at).min(Comparator.naturalOrder()).orElse(null), (int) entries.stream().filter(entry -> !drafts.problems(entry).isEmpty()).count(),
                entries.stream().map(EntryRow::orderId).filter(order -> order != null).collect(Collectors.toCollection(TreeSet::new)));
    }

    ResponseEntity<DraftView> answer(HttpStatus status, Caller caller, Kept draft) {
        List<EntryRow> entries = draft.entries().stream().filter(seen(caller)).toList();
        Map<String, List<Met>> met = drafts.met(entries, seen(caller));
        Map<String, List<Reserved>> reserved = reservations.of(draft.row().name());
        UnaryOperator<String> mask = sight.maskFor(caller);
        DraftView view = new DraftView(draft.row().name(), draft.row().reason(), draft.row().createdBy(), draft.row().createdAt(),
                entries.stream().map(entry -> view(entry, met.getOrDefault(entry.service(), List.of()), reserved.getOrDefault(entry.service(), List.of()), mask)).toList(),
                drafts.lastRehearsal(draft.row()).map(order -> new RehearsalView(order.id(), order.who(), order.createdAt(), order.shownState().name(), mask.apply(order.failure()),
                        draft.row().rehearsedVersion() != draft.row().version())).orElse(null),
                reserved.isEmpty() ? null : draft.row().reservedUntil(), decisions.of(draft.row().name()).stream().map(decided -> new DecisionView(decided.row().device(), decided.row().path(), decided.row().decision(),
                        decided.row().reason(), decided.row().who(), decided.row().at(), caller.seesAll() ? decided.row().evidence() : "", decided.outdated())).toList());
        return ResponseEntity.status(status).eTag(EntityTag.of(draft.row().version())).body(view);
    }

    private EntryView view(EntryRow entry, List<Met> met, List<Reserved> reserved, UnaryOperator<String> mask) {
        return new EntryView(entry.service(), entry.kind(), entry.tenant(), entry.model(), entry.who(), entry.at(), entry.startedOrder(), entry.orderId(), ValueChangeView.of(DraftBook.changes(entry)),
                drafts.problems(entry).stream().map(problem -> new EntryProblem(problem.pointer(), mask.apply(problem.message()))).toList(),
                met.stream().map(each -> new MetView(each.draft().orElse(null), each.entry().map(EntryRow::who).orElse(null), ValueChangeView.of(each.meeting().theirs()),
                        each.meeting().inTheWay().stream().map(ValueChange::at).toList())).toList(),
                reserved.stream().map(number -> NumberView.of(number.allocation(), source.network())).toList());
    }

    /** @throws Problems.NotFound where a service stands that they do not see */
    void standing(Caller caller, String service) {
        if (source.service(service).filter(stands -> !sight.sees(caller, stands)).isPresent()) {
            throw new Problems.NotFound("there is no service named '" + service + "'");
        }
    }

    /** A draft to which somebody has just added. */
    ResponseEntity<DraftView> added(Caller caller, Kept draft, Act act) {
        draft.entries().stream().filter(entry -> entry.who().equals(caller.name())).forEach(entry -> act.about("service", entry.service()));
        return answer(HttpStatus.OK, caller, draft);
    }
}
