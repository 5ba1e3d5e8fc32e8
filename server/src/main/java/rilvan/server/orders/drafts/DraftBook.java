package rilvan.server.orders.drafts;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Predicate;
import java.util.function.Supplier;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.Digest;
import rilvan.core.document.Document;
import rilvan.core.document.PlainText;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.draft.Assignment;
import rilvan.core.draft.Changes;
import rilvan.core.draft.Meeting;
import rilvan.core.draft.ValueChange;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.model.ServiceModel;
import rilvan.core.plan.OrderDocument;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.library.Library;
import rilvan.server.orders.intake.OrderIntake;
import rilvan.server.orders.intake.OrderIntake.Asked;
import rilvan.server.orders.intake.OrderIntake.Placed;
import rilvan.server.orders.intake.OrderIntake.Previewed;
import rilvan.server.orders.intake.OrderLimits;
import rilvan.server.orders.intake.PlanningTurns;
import rilvan.server.orders.staging.Staging;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.DraftRecords;
import rilvan.server.store.DraftRecords.DraftRow;
import rilvan.server.store.DraftRecords.EntryRow;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.OrderHead;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Services;
import tools.jackson.core.type.TypeReference;

/** Drafts, and what becomes of their entries. */
@Component
public class DraftBook {

    /** What leads to a service within an order's document. */
    private static final Pattern WITHIN = Pattern.compile("^/(services|remove|refresh|move)/\\d+");
    /** What leads to an entry in what is told of a draft, and on from there. */
    private static final Pattern ENTRY = Pattern.compile("/entries/([^/]+)(.*)");
    private static final TypeReference<List<Problem>> PROBLEMS = new TypeReference<>() {};

    private final DraftRecords records;
    private final StoredPlanningSource source;
    private final EntryReader reader;
    private final Library library;
    private final OrderIntake intake;
    private final Orders orders;
    private final Services services;
    private final Evidence evidence;
    private final Json json;
    private final TransactionTemplate transactions;

    DraftBook(DraftRecords records, StoredPlanningSource source, EntryReader reader, Library library, OrderIntake intake, Orders orders, Services services, Evidence evidence, Json json,
            TransactionTemplate transactions) {
        this.services = services;
        this.evidence = evidence;
        this.records = records;
        this.source = source;
        this.reader = reader;
        this.library = library;
        this.intake = intake;
        this.orders = orders;
        this.json = json;
        this.transactions = transactions;
    }

    /** A draft with its entries, in the order in which they came. */
    public record Kept(DraftRow row, List<EntryRow> entries) {}

    /** A draft, or an entry, that is not there. */
    public static final class Unknown extends RuntimeException {
        Unknown(String message) {
            super(message);
        }
    }

    /** What is asked for is not possible while something else is so. */
    public static final class InTheWay extends RuntimeException {
        InTheWay(String message) {
            super(message);
        }
    }

    /**
     * What has become of a service that an entry is about, elsewhere.
     *
     * @param draft another draft that is about it as well; absent where it is the network that has changed
     * @param entry theirs, where it is a draft's
     * @param meeting what both changed from where this entry started
     */
    public record Met(Optional<String> draft, Optional<EntryRow> entry, Meeting meeting) {}

    /** All drafts by name; their entries are without documents. */
    public List<Kept> all() {
        Map<String, List<EntryRow>> entries = records.allEntries().stream().collect(Collectors.groupingBy(EntryRow::draft));
        return records.all().stream().map(row -> new Kept(row, entries.getOrDefault(row.name(), List.of()))).toList();
    }

    public Optional<Kept> find(String name) {
        return records.draft(name).map(row -> new Kept(row, records.entries(name)));
    }

    /** @throws Unknown where there is none */
    public Kept draft(String name) {
        return there(find(name), name);
    }

    static Kept there(Optional<Kept> draft, String name) {
        return draft.orElseThrow(() -> new Unknown("there is no draft named '" + name + "'"));
    }

    /** @throws Unknown where the draft has none for the service */
    public static EntryRow entry(Kept draft, String service) {
        return draft.entries().stream().filter(entry -> entry.service().equals(service)).findFirst()
                .orElseThrow(() -> new Unknown("the draft " + draft.row().name() + " says nothing of a service named '" + service + "'"));
    }

    /** Makes a draft, or gives the one that there is another reason. */
    public Kept put(String name, String reason, Precondition seen, String who) {
        if (!PlainText.isName(name)) {
            throw new ValidationFailure("/name", "'" + name + "' is not a name; use small letters, digits and hyphens");
        }
        PlainText.faultOfReason(reason).ifPresent(fault -> {
            throw new ValidationFailure("/reason", fault);
        });
        return changed(name, seen, draft -> {
            if (draft.isEmpty()) {
                records.add(name, reason, who);
            } else {
                records.say(name, reason);
            }
        });
    }

    /** Drops a draft with all its entries. */
    public void drop(String name, Precondition seen) {
        changed(name, seen, draft -> {
            free(there(draft, name).entries());
            records.drop(name);
        });
    }

    interface Change {
        void make(Optional<Kept> draft);
    }

    /** Changes a draft, alone. */
    Kept changed(String name, Precondition seen, Change change) {
        return transactions.execute(status -> {
            Optional<Kept> before = records.held(name).map(row -> new Kept(row, records.entries(name)));
            seen.check(name, before.map(kept -> Long.toString(kept.row().version())));
            change.make(before);
            if (before.isPresent()) {
                records.changed(name);
            }
            return records.draft(name).map(row -> new Kept(row, records.entries(name))).orElse(null);
        });
    }

    private static void free(List<EntryRow> entries) {
        entries.stream().filter(entry -> entry.orderId() != null).findFirst().ifPresent(entry -> {
            throw new InTheWay("order " + entry.orderId() + " is carrying out " + entry.service() + "; wait for its end, or cancel it");
        });
    }

    /**
     * Adds what an order document says to a draft, which is made where it is not there. What the draft says of the same services already is replaced; what somebody else
     * said only where {@code seen} shows that it was looked at.
     *
     * @param limits what they may prepare
     * @param visible the entries that they may know of
     * @throws ValidationFailure where the document is none, or says a secret that cannot be kept
     * @throws InTheWay where somebody else's entry would be replaced unseen, or is being carried out
     */
    public Kept add(String name, String text, String who, OrderLimits limits, Predicate<EntryRow> visible, Precondition seen, boolean looked) {
        OrderDocument order = OrderDocument.read(Document.read(text));
        List<EntryRow> rows = reader.read(name, text, who, limits, records.entries(name));
        put(name, order.reason().equals("-") ? "" : order.reason(), rows, who, visible, seen, looked);
        return lookedAt(name, who);
    }

    private void put(String name, String reason, List<EntryRow> rows, String who, Predicate<EntryRow> visible, Precondition seen, boolean looked) {
        if (records.draft(name).isEmpty()) {
            seen.check(name, Optional.empty());
            put(name, reason, Precondition.NONE, who);
        }
        changed(name, seen, draft -> rows.forEach(row -> {
            List<EntryRow> there = there(draft, name).entries();
            there.stream().filter(visible.negate()).filter(entry -> isAboutTheSame(entry, row)).findFirst().ifPresent(entry -> {
                throw new InTheWay("the name " + row.service() + " cannot be used in this draft; choose another one");
            });
            there.stream().filter(entry -> !entry.service().equals(row.service()) && isAboutTheSame(entry, row)).findFirst().ifPresent(entry -> {
                throw new InTheWay("the draft " + name + " makes " + entry.service() + " of " + entry.standsAs() + " already; take that out of it, or say all of it in one entry");
            });
            Optional<EntryRow> before = there.stream().filter(entry -> entry.service().equals(row.service())).findFirst();
            if (before.isEmpty() && there.size() + rows.size() > OrderDocument.MOST_SERVICES) {
                throw new InTheWay("a draft has at most " + OrderDocument.MOST_SERVICES + " entries; split it");
            }
            before.map(List::of).ifPresent(DraftBook::free);
            before.filter(entry -> !entry.who().equals(who) && !looked).ifPresent(entry -> {
                throw new InTheWay(entry.who() + " has changed " + entry.service() + " in the draft " + name + " already: " + inWords(changes(entry).values())
                        + "; look at both, and replace it if that is meant");
            });
            records.put(row);
        }));
    }

    /** One service has one entry, by whichever of its names. */
    private static boolean isAboutTheSame(EntryRow one, EntryRow other) {
        return one.standsAs().equals(other.standsAs()) || one.service().equals(other.standsAs()) || one.standsAs().equals(other.service());
    }

    private static String inWords(List<ValueChange> changes) {
        return changes.isEmpty() ? "nothing" : changes.stream().limit(6).map(ValueChange::at).collect(Collectors.joining(", ")) + (changes.size() > 6 ? " and " + (changes.size() - 6) + " more" : "");
    }

    /**
     * Sets single values of a service in a draft: in what the draft says of it, or in the service as it stands.
     *
     * @throws ValidationFailure naming each value that cannot be set
     */
    public Kept set(String name, String service, List<Assignment> assignments, String who, OrderLimits limits, Predicate<EntryRow> visible, Precondition seen, boolean looked) {
        Map<String, Object> start = present(name, service);
        ServiceModel model = library.catalog().model(String.valueOf(start.get("model")), start.get("version") instanceof Long version ? Optional.of(version.intValue()) : Optional.empty())
                .orElseThrow(() -> new ValidationFailure("/service", "its model " + start.get("model") + " is not there any more"));
        List<Problem> problems = new ArrayList<>();
        Map<String, Object> parameters = EntryDocuments.fields(start.getOrDefault("parameters", Map.of()));
        for (Assignment assignment : assignments) {
            try {
                parameters = assignment.in(parameters, model.parameters().written());
            } catch (ValidationFailure e) {
                problems.addAll(e.problems());
            }
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        Map<String, Object> wanted = new LinkedHashMap<>(start);
        wanted.put("parameters", parameters);
        return add(name, json.write(Map.of("services", List.of(wanted))), who, limits, visible, seen, looked);
    }

    /** What a draft makes of a service, as an order says it; where it says nothing of it, the service as it stands. */
    private Map<String, Object> present(String name, String service) {
        Map<String, Object> document = new LinkedHashMap<>();
        document.put("name", service);
        Optional<EntryRow> entry = records.entries(name).stream().filter(each -> each.service().equals(service) && !each.kind().equals(EntryDocuments.REMOVE)).findFirst();
        entry.filter(each -> !each.standsAs().equals(service)).ifPresent(each -> document.put("renamed_from", each.standsAs()));
        document.putAll(entry.map(EntryDocuments::after).or(() -> source.service(service).map(Service::asOrdered)).orElseThrow(() -> new Unknown("there is no service named '" + service + "', and the draft " + name + " says nothing of one")));
        return document;
    }

    /** An order document for a service as a draft has it, or as it stands, in YAML; secrets are out of sight, and stay what they are where the document comes back so. */
    public String written(String name, String service) {
        return Document.written(Secret.masked(Map.of("services", List.of(present(name, service)))));
    }

    /** Takes an entry out of a draft. */
    public Kept dropEntry(String name, String service, Precondition seen) {
        return changed(name, seen, draft -> {
            EntryRow entry = entry(there(draft, name), service);
            free(List.of(entry));
            records.dropEntry(name, service);
        });
    }

    /** Puts a part of a draft into another one, which is made where it is not there. */
    public Kept split(String name, Part part, Predicate<EntryRow> visible, String to, Precondition seen, String who) {
        if (to.equals(name)) {
            throw new ValidationFailure("/to", "is the same draft");
        }
        Kept draft = draft(name);
        put(to, draft.row().reason(), Precondition.NONE, who);
        changed(name, seen, held -> {
            List<EntryRow> chosen = chosen(there(held, name), part, visible);
            Set<String> there = records.entries(to).stream().map(EntryRow::service).collect(Collectors.toSet());
            chosen.stream().filter(entry -> there.contains(entry.service())).findFirst().ifPresent(entry -> {
                throw new InTheWay("the draft " + to + " is about " + entry.service() + " already");
            });
            chosen.forEach(entry -> {
                records.move(name, entry.service(), to);
                services.moveReserved(name, entry.service(), to);
            });
            records.reservedAsIn(to, name);
            records.copyDecisions(name, to);
            records.changed(to);
            if (chosen.size() == draft.entries().size()) {
                records.drop(name);
            }
        });
        return draft(to);
    }

    /** The entries of a part that are not under way. */
    static List<EntryRow> chosen(Kept draft, Part part, Predicate<EntryRow> visible) {
        List<EntryRow> fitting = draft.entries().stream().filter(visible).filter(part::has).toList();
        List<EntryRow> chosen = fitting.stream().filter(entry -> entry.orderId() == null).toList();
        if (chosen.isEmpty()) {
            fitting.stream().findFirst().map(List::of).ifPresent(DraftBook::free);
            throw new ValidationFailure("", draft.entries().stream().noneMatch(visible) ? "the draft " + draft.row().name() + " is empty" : "no entry of the draft " + draft.row().name() + " is in this part");
        }
        return chosen;
    }

    /**
     * Brings an entry to what the service is now: what the entry changes is changed in that.
     *
     * @throws InTheWay where both changed the same value
     */
    public Kept renew(String name, String service, Precondition seen, String who) {
        changed(name, seen, draft -> {
            EntryRow entry = entry(there(draft, name), service);
            free(List.of(entry));
            Optional<Service> stands = source.service(entry.standsAs());
            Map<String, Object> present = stands.map(Service::asOrdered).orElse(Map.of());
            Meeting meeting = EntryDocuments.meeting(entry, present);
            Map<String, Object> merged = meeting.merged(present).orElseThrow(() -> new InTheWay("the network has changed what this entry changes as well: " + inWords(meeting.inTheWay())
                    + "; look at both, and add to the draft what is meant"));
            Map<String, Object> wanted = new LinkedHashMap<>(EntryDocuments.wanted(entry));
            if (wanted.containsKey("parameters")) {
                wanted.putAll(merged);
            }
            records.put(reader.entry(name, service, entry.standsAs(), !entry.kind().equals(EntryDocuments.ADD) || stands.isEmpty() ? entry.kind() : EntryDocuments.CHANGE, entry.tenant(), entry.model(), wanted, stands, entry.who()));
        });
        return lookedAt(name, who);
    }

    /** What has become elsewhere of the services that entries are about: in other drafts, and on the network since. */
    public Map<String, List<Met>> met(List<EntryRow> entries, Predicate<EntryRow> visible) {
        if (entries.isEmpty()) {
            return Map.of();
        }
        Map<String, List<Met>> met = new HashMap<>();
        Map<String, List<EntryRow>> others = records.about(entries.stream().map(EntryRow::standsAs).collect(Collectors.toSet())).stream().filter(visible).collect(Collectors.groupingBy(EntryRow::standsAs));
        Map<String, Service> standing = source.services(entries.stream().map(EntryRow::standsAs).toList());
        for (EntryRow entry : entries) {
            List<Met> own = new ArrayList<>();
            if (entry.orderId() == null) {
                moved(entry, standing).ifPresent(meeting -> own.add(new Met(Optional.empty(), Optional.empty(), meeting)));
            }
            others.getOrDefault(entry.standsAs(), List.of()).stream().filter(other -> !other.draft().equals(entry.draft()))
                    .forEach(other -> own.add(new Met(Optional.of(other.draft()), Optional.of(other), EntryDocuments.meeting(entry, EntryDocuments.after(other)))));
            if (!own.isEmpty()) {
                met.put(entry.service(), own);
            }
        }
        return met;
    }

    /** What the network has changed of a service since an entry was made for it; absent where it has not. */
    private static Optional<Meeting> moved(EntryRow entry, Map<String, Service> standing) {
        Map<String, Object> present = Optional.ofNullable(standing.get(entry.standsAs())).map(Service::asOrdered).orElse(Map.of());
        Meeting meeting = EntryDocuments.meeting(entry, present);
        return meeting.theirs().isEmpty() ? Optional.empty() : Optional.of(meeting);
    }

    /** What a part of a draft would change. */
    public Previewed preview(String name, Part part, Predicate<EntryRow> visible, Optional<Staging> staging, String who, OrderLimits limits) {
        Kept draft = draft(name);
        String document = document(draft, chosen(draft, part, visible), "");
        return byService(document, () -> intake.preview(document, staging, who, limits));
    }

    /** What is refused of a draft's order is told by the services of its entries: nobody has seen its document. */
    static <T> T byService(String document, Supplier<T> asked) {
        try {
            return asked.get();
        } catch (ValidationFailure e) {
            OrderDocument order = OrderDocument.read(Document.read(document));
            throw new ValidationFailure(e.problems().stream().map(problem -> new Problem(order.serviceAt(problem.pointer())
                    .map(service -> "/entries/" + service + WITHIN.matcher(problem.pointer()).replaceFirst("")).orElse(problem.pointer()), problem.message(), problem.together())).toList());
        }
    }

    /**
     * The order that carries entries out; without a reason of its own it has that of the draft.
     *
     * @throws ValidationFailure where a device says something else since somebody decided about it
     */
    String document(Kept draft, List<EntryRow> chosen, String reason) {
        return json.write(EntryDocuments.order(reason.isEmpty() ? draft.row().reason().isEmpty() ? "draft " + draft.row().name() : draft.row().reason() : reason, chosen, evidence.inForce(draft.row().name())));
    }

    /**
     * Places an order that carries a part of a draft out. Its entries leave the draft when it is done, and stay where it is rolled back; and where it is only rehearsed.
     *
     * @throws InTheWay where the network has changed a service since an entry was made for it
     */
    public Placed place(String name, Part part, Predicate<EntryRow> visible, String reason, Asked asked) {
        // The document cannot tell whether the same is asked for again: its entries may have left the draft by then.
        Optional<String> ownKey = asked.key().map(given -> Digest.of(String.join("\n", given, name, part.inWords(), reason, asked.manner())));
        Optional<Placed> before = ownKey.flatMap(own -> intake.placedBefore(asked.who(), own));
        if (before.isPresent()) {
            return before.get();
        }
        Kept draft = draft(name);
        List<EntryRow> chosen = chosen(draft, part, visible);
        Map<String, Service> standing = source.services(chosen.stream().map(EntryRow::standsAs).toList());
        chosen.forEach(entry -> moved(entry, standing).ifPresent(meeting -> {
            throw new InTheWay(entry.service() + " has changed on the network since its entry was made: " + inWords(meeting.theirs().values()) + "; renew the entry");
        }));
        String document = document(draft, chosen, reason);
        Placed placed = byService(document, () -> intake.place(document, asked.of(chosen.stream().map(EntryRow::who).collect(Collectors.toSet()), ownKey), order -> {
            if (records.held(name).filter(row -> row.version() == draft.row().version()).isEmpty()) {
                throw justChanged(name);
            }
            if (asked.rehearsed()) {
                records.rehearsed(name, order);
            } else {
                chosen.forEach(entry -> records.underWay(name, entry.service(), order));
                records.changed(name);
            }
        }));
        if (!asked.rehearsed() && placed.order().isEmpty() && placed.preview().isPresent()) {
            // The network is so already.
            changed(name, Precondition.NONE, held -> {
                chosen.forEach(entry -> records.dropEntry(name, entry.service()));
                if (chosen.size() == draft.entries().size()) {
                    records.drop(name);
                }
            });
        }
        return placed;
    }

    static InTheWay justChanged(String name) {
        return new InTheWay("the draft " + name + " has just been changed; look at it again");
    }

    /** The last rehearsal of a draft, which is an order. */
    public Optional<OrderHead> lastRehearsal(DraftRow draft) {
        return Optional.ofNullable(draft.rehearsedBy()).flatMap(orders::order).map(OrderRow::head);
    }

    /** Works the whole draft out and keeps what is wrong with each entry. Where there is no turn for that now, what was wrong before stays. */
    Kept lookedAt(String name, String who) {
        Kept draft = draft(name);
        List<EntryRow> open = draft.entries().stream().filter(entry -> entry.orderId() == null).toList();
        Map<String, List<Problem>> problems = new HashMap<>();
        try {
            if (!open.isEmpty()) {
                String document = document(draft, open, "");
                byService(document, () -> intake.preview(document, who, OrderLimits.NONE));
            }
        } catch (ValidationFailure e) {
            e.problems().forEach(problem -> {
                Matcher entry = ENTRY.matcher(problem.pointer());
                boolean isOfOne = entry.matches();
                problems.computeIfAbsent(isOfOne ? entry.group(1) : open.get(0).service(), service -> new ArrayList<>()).add(new Problem(isOfOne ? entry.group(2) : problem.pointer(), problem.message()));
            });
        } catch (PlanningTurns.Overloaded e) {
            return draft;
        }
        open.forEach(entry -> {
            List<Problem> now = problems.getOrDefault(entry.service(), List.of());
            if (!now.equals(problems(entry))) {
                records.putProblems(name, entry.service(), json.write(now));
            }
        });
        return draft(name);
    }

    /** What was wrong with an entry when its draft was last worked out. */
    public List<Problem> problems(EntryRow entry) {
        return json.read(entry.problemsJson(), PROBLEMS);
    }

    /** What an entry changes of the service that it started from. */
    public static Changes changes(EntryRow entry) {
        return Changes.between(EntryDocuments.started(entry), EntryDocuments.after(entry));
    }
}
