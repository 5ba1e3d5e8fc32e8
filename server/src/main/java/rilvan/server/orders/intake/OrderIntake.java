package rilvan.server.orders.intake;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.UUID;
import java.util.function.LongConsumer;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import rilvan.core.dialect.NativeLine;
import rilvan.core.document.Digest;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;
import rilvan.core.transaction.State;
import rilvan.server.Settings;
import rilvan.server.inventory.PlannedNumbers;
import rilvan.server.ops.Repeating;
import rilvan.server.ops.StartRefused;
import rilvan.server.orders.agreement.AgreementRules;
import rilvan.server.orders.execution.OrderExecutor;
import rilvan.server.orders.history.OrderProgress;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.orders.intake.Planning.Preview;
import rilvan.server.orders.staging.StageSplit;
import rilvan.server.orders.staging.Staging;
import rilvan.server.orders.timing.OrderSchedule;
import rilvan.server.orders.timing.Start;
import rilvan.server.orders.timing.StartTimes;
import rilvan.server.orders.timing.Timing;
import rilvan.server.store.DraftRecords;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.NewOrder;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Orders.ServiceKind;
import rilvan.server.store.StageRecords;
import rilvan.server.store.StageRecords.StagedRow;

/** Takes orders in: previews them without touching a device, starts them, or queues them behind orders that hold the same devices or services. */
@Component
public class OrderIntake {

    private static final int PLANNINGS = 5;

    private final Planning planning;
    private final PlanningTurns turns;
    private final Orders orders;
    private final OrderProgress progress;
    private final OrderExecutor executor;
    private final OrderLine line;
    private final OrderSchedule schedule;
    private final StartTimes times;
    private final AgreementRules rules;
    private final StageSplit stages;
    private final StageRecords stageRecords;
    private final DraftRecords drafts;
    private final Json json;
    private final Settings settings;
    private final Repeating takeover = new Repeating("order takeover");

    public OrderIntake(Planning planning, PlanningTurns turns, Orders orders, OrderProgress progress, OrderExecutor executor, OrderLine line, OrderSchedule schedule, StartTimes times,
            AgreementRules rules, StageSplit stages, StageRecords stageRecords, DraftRecords drafts, Json json, Settings settings) {
        this.drafts = drafts;
        this.stages = stages;
        this.stageRecords = stageRecords;
        this.planning = planning;
        this.turns = turns;
        this.orders = orders;
        this.progress = progress;
        this.executor = executor;
        this.line = line;
        this.schedule = schedule;
        this.times = times;
        this.rules = rules;
        this.json = json;
        this.settings = settings;
    }

    /** The orders that keep changing what this one is planned from. */
    public static final class Busy extends RuntimeException {
        Busy() {
            super("other orders keep changing what this one is planned from; try again");
        }
    }

    /** A preview that is no longer what the order would do. */
    public static final class PreviewMoved extends RuntimeException {
        PreviewMoved() {
            super("what this order would change is no longer what its preview showed; check the preview again");
        }
    }

    /** An idempotency key that was used for another document. */
    public static final class KeyReused extends RuntimeException {
        KeyReused(long order) {
            super("this idempotency key belongs to order " + order + ", which has another document; use a new key for a new order");
        }
    }

    /**
     * What became of placing an order.
     *
     * @param order absent where nothing changes
     * @param preview absent where the same request has placed the order before
     * @param asked what was asked for
     * @param digest of the document as it is stored, secrets sealed
     */
    public record Placed(Optional<Long> order, Optional<Preview> preview, OrderDocument asked, String digest) {}

    /**
     * How an order is asked for.
     *
     * @param limits what they may order
     * @param agreed digests of previews of which one was agreed to; absent where none was
     * @param key an idempotency key: the same key from the same person gives the same order, not a second one
     * @param rehearsed whether it is only tried on the devices, and changes none
     * @param timing when it is to begin
     * @param authors who prepared it, beside who places it: none of them can agree to it
     * @param staging how it is carried out in stages; absent where it is all at once
     * @param oneByOne whether one device changes after another; otherwise side by side
     */
    public record Asked(String who, OrderLimits limits, Optional<Set<String>> agreed, Optional<String> key, boolean rehearsed, Timing timing, Set<String> authors, Optional<Staging> staging, boolean oneByOne) {

        /** To be carried out. */
        public static Asked of(String who, OrderLimits limits, Optional<Set<String>> agreed, Optional<String> key, Timing timing, Optional<Staging> staging, boolean oneByOne) {
            return new Asked(who, limits, agreed, key, false, timing, Set.of(), staging, oneByOne);
        }

        /** Only to be tried. */
        public static Asked rehearsal(String who, OrderLimits limits, Optional<String> key) {
            return new Asked(who, limits, Optional.empty(), key, true, Timing.AT_ONCE, Set.of(), Optional.empty(), false);
        }

        /** How it is to be carried out, in one line: a rehearsal of a document and an order of it are not the same request. */
        public String manner() {
            return rehearsed ? "rehearsal" : timing.inWords() + staging.map(Staging::inWords).orElse("") + (oneByOne ? " one by one" : "");
        }

        /** The same of what others have prepared, with another idempotency key. */
        public Asked of(Set<String> preparedBy, Optional<String> otherKey) {
            return new Asked(who, limits, agreed, otherKey, rehearsed, timing, preparedBy, staging, oneByOne);
        }

        /** One stage of it. */
        private Asked ofStage() {
            return new Asked(who, limits, Optional.empty(), key, rehearsed, timing, authors, Optional.empty(), oneByOne);
        }
    }

    /** @throws PlanningTurns.Overloaded where too much is worked out already */
    public Preview preview(String document, String who, OrderLimits limits) {
        return turns.take(who, () -> planning.preview(OrderDocument.read(Document.read(document)), limits));
    }

    /** The whole configuration of each device that a preview changes, with the change in it. */
    public Map<String, String> whole(Preview preview, String who) {
        return turns.take(who, () -> planning.whole(preview));
    }

    /**
     * One stage of an order.
     *
     * @param places the sites and devices that it was given; none of the one that has all others
     * @param goes whether it is the one in which what goes does so
     * @param services of which something becomes in it
     * @param devices on which something changes in it
     */
    public record StagePart(Set<String> places, boolean goes, List<String> services, Set<String> devices) {}

    /**
     * What an order would change.
     *
     * @param stages those that it would have; none where it is all at once
     * @param keptBack why it could not begin now; absent where it could
     */
    public record Previewed(Preview preview, List<StagePart> stages, Optional<String> keptBack) {}

    /**
     * What an order would change, in stages where these are asked for.
     *
     * @throws ValidationFailure where a stage cannot be
     */
    public Previewed preview(String text, Optional<Staging> staging, String who, OrderLimits limits) {
        Preview whole = preview(text, who, limits);
        Plan plan = whole.plan();
        return new Previewed(whole, staging.map(asked -> stages(text, asked, whole, who, limits)).orElse(List.of()),
                plan.changesNothing() ? Optional.empty() : times.keepsBack(planning.sites(plan), plan.isFor()));
    }

    private List<StagePart> stages(String text, Staging staging, Preview whole, String who, OrderLimits limits) {
        return turns.take(who, () -> {
            Document document = Document.read(text);
            List<Map<String, Object>> documents = stages.split(Document.fields(Document.read(planning.withoutSecrets(document, text, OrderDocument.read(document))).value()), staging);
            List<StagePart> parts = new ArrayList<>();
            Map<String, List<NativeLine>> before = Map.of();
            for (int stage = 0; stage < documents.size(); stage++) {
                Map<String, List<NativeLine>> until = stage == documents.size() - 1 ? whole.lines() : possible(documents, stage, limits).lines();
                Map<String, List<NativeLine>> earlier = before;
                parts.add(new StagePart(stage < staging.places().size() ? staging.places().get(stage) : Set.of(), stage > staging.places().size(), StageSplit.services(documents.get(stage)),
                        until.keySet().stream().filter(device -> !until.get(device).equals(earlier.get(device))).collect(Collectors.toCollection(TreeSet::new))));
                before = until;
            }
            return parts;
        });
    }

    /**
     * Plans an order and keeps the numbers that it would take.
     *
     * @param keep stores them, or answers no where others were faster
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     * @throws Busy where others keep being faster
     */
    public void keepNumbers(String document, String who, OrderLimits limits, Predicate<PlanRecord> keep) {
        OrderDocument order = OrderDocument.read(Document.read(document));
        boolean kept = turns.take(who, () -> IntStream.range(0, PLANNINGS).anyMatch(attempt -> {
            try (PlannedNumbers numbers = planning.numbers()) {
                Plan plan = planning.preview(order, numbers, limits).plan();
                return line.alone(() -> planning.record(plan, List.of()).filter(keep)).isPresent();
            }
        }));
        if (!kept) {
            throw new Busy();
        }
    }

    /**
     * Places an order. It starts at once where nobody holds, or wanted earlier, what it wants; otherwise it waits in line.
     *
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     * @throws KeyReused where the key belongs to another document
     * @throws PreviewMoved where the order would do something else than agreed
     * @throws PlanningTurns.Overloaded where too much is worked out already
     */
    public Placed place(String text, Asked asked) {
        return place(text, asked, order -> { });
    }

    /** @param alongside what is stored together with the order, or not at all; it is told the order's number */
    public Placed place(String text, Asked asked, LongConsumer alongside) {
        return turns.take(asked.who(), () -> placeNow(text, asked, alongside));
    }

    /** The order that the same request has placed already, by its idempotency key. */
    public Optional<Placed> placedBefore(String who, String key) {
        return orders.byIdempotencyKey(who, key).map(order -> new Placed(Optional.of(order.id()), Optional.empty(),
                OrderDocument.read(Document.read(orders.order(order.id()).orElseThrow().document())), order.documentDigest()));
    }

    /** The text of an order as it may be kept: as it was written, or, where it has secrets, written anew as JSON with these sealed. */
    public String withoutSecrets(Document document, String text, OrderDocument order) {
        return planning.withoutSecrets(document, text, order);
    }

    private Placed placeNow(String text, Asked asked, LongConsumer alongside) {
        Document document = Document.read(text);
        OrderDocument order = OrderDocument.read(document);
        String stored = planning.withoutSecrets(document, text, order);
        String asksFor = Digest.of(stored + asked.manner());
        if (asked.staging().isPresent()) {
            return asked.key().flatMap(given -> earlier(order, asked.who(), given, asksFor)).orElseGet(() -> placeStages(order, stored, asked, asked.staging().get(), asksFor, alongside));
        }
        return placeNow(order, stored, asked, asksFor, List.of(), alongside);
    }

    /** @param agreement why another person is to agree whatever the order itself comes to */
    private Placed placeNow(OrderDocument order, String stored, Asked asked, String asksFor, List<String> agreement, LongConsumer alongside) {
        for (int attempt = 1; attempt <= PLANNINGS; attempt++) {
            Optional<Placed> placed = asked.key().flatMap(given -> earlier(order, asked.who(), given, asksFor)).or(() -> attempt(order, stored, asked, asksFor, agreement, alongside));
            if (placed.isPresent()) {
                return placed.get();
            }
        }
        // Others were faster each time, on other instances of the service: while it is planned in line, nobody else can be.
        return line.alone(() -> attempt(order, stored, asked, asksFor, agreement, alongside)).orElseThrow(Busy::new);
    }

    /** Places the first stage in which there is something to do, and keeps the others for when it is done. */
    private Placed placeStages(OrderDocument order, String stored, Asked asked, Staging staging, String asksFor, LongConsumer alongside) {
        List<Map<String, Object>> documents = stages.split(Document.fields(Document.read(stored).value()), staging);
        Preview whole = planning.preview(order, asked.limits());
        if (asked.agreed().isPresent() && !asked.agreed().get().contains(whole.digest())) {
            throw new PreviewMoved();
        }
        for (int stage = 1; stage < documents.size() - 1; stage++) {
            possible(documents, stage, asked.limits());
        }
        // Nobody goes round a rule by parting an order: what the whole needs, its beginning does.
        List<String> agreement = agreement(order, whole.plan(), asked.timing());
        for (int stage = 1; stage <= documents.size(); stage++) {
            if (!StageSplit.isEmpty(documents.get(stage - 1))) {
                int number = stage;
                String text = json.write(documents.get(stage - 1));
                Placed placed = placeNow(OrderDocument.read(Document.read(text)), text, asked.ofStage(), asksFor, agreement, id -> {
                    stageRecords.add(new StagedRow(id, asked.who(), json.write(asked.authors()), json.write(documents), json.write(staging.places()), staging.pause().toSeconds(), staging.undoes(),
                            asked.timing().inWindow(), asked.timing().urgent(), asked.oneByOne(), null, null, null, null));
                    stageRecords.stage(id, id, number);
                    alongside.accept(id);
                });
                if (placed.order().isPresent() || stage == documents.size()) {
                    return new Placed(placed.order(), Optional.of(whole), order, placed.digest());
                }
            }
        }
        return new Placed(Optional.empty(), Optional.of(whole), order, Digest.of(stored));
    }

    /** Nobody begins with what cannot be ended. */
    private Preview possible(List<Map<String, Object>> documents, int stage, OrderLimits limits) {
        OrderDocument until = OrderDocument.read(Document.read(json.write(StageSplit.until(documents, stage))));
        try {
            return planning.preview(until, limits);
        } catch (ValidationFailure e) {
            throw new ValidationFailure(e.problems().stream().map(problem -> new Problem("/first", "stage " + (stage + 1) + " cannot be: "
                    + until.serviceAt(problem.pointer()).map(service -> service + ": ").orElse("") + problem.message())).toList());
        }
    }

    /** Plans an order and places it; nothing where what it was planned from has moved meanwhile. */
    private Optional<Placed> attempt(OrderDocument order, String stored, Asked asked, String asksFor, List<String> needed, LongConsumer alongside) {
        try (PlannedNumbers numbers = planning.numbers()) {
            Preview preview = planning.preview(order, numbers, asked.limits());
            if (asked.agreed().isPresent() && !asked.agreed().get().contains(preview.digest())) {
                throw new PreviewMoved();
            }
            Plan plan = preview.plan();
            String digest = Digest.of(stored);
            if (plan.changesNothing()) {
                return Optional.of(new Placed(Optional.empty(), Optional.of(preview), order, digest));
            }
            List<String> agreement = asked.rehearsed() ? List.of() : Stream.concat(needed.stream(), agreement(order, plan, asked.timing()).stream()).distinct().toList();
            return line.alone(() -> {
                Start start = asked.rehearsed() ? times.ofRehearsal() : times.of(asked.timing(), planning.sites(plan), plan.isFor(), plan.parts().size());
                State state = !agreement.isEmpty() ? State.AWAITING_AGREEMENT : start.at().isPresent() ? State.SCHEDULED : State.WAITING;
                long id = orders.add(new NewOrder(asked.who(), order.reason(), stored, state.name(), UUID.randomUUID().toString(), asked.key().orElse(null), asksFor,
                        asked.agreed().isPresent() ? preview.digest() : null, order.byService(), asked.rehearsed(), start.storedAt(),
                        start.storedLatest(), asked.timing().inWindow(), asked.timing().urgent(), json.write(asked.authors()), json.write(agreement), plan.parts().size(), json.write(kinds(plan)),
                        asked.oneByOne()));
                alongside.accept(id);
                return line.comesIn(id, state, start, preview) ? Optional.of(new Placed(Optional.of(id), Optional.of(preview), order, digest)) : Optional.empty();
            });
        }
    }

    private static List<ServiceKind> kinds(Plan plan) {
        return plan.outcomes().stream().map(outcome -> new ServiceKind(outcome.service(), outcome.kind().name(), outcome.componentOf().orElse(null))).toList();
    }

    /** Why another person is to agree. */
    private List<String> agreement(OrderDocument order, Plan plan, Timing timing) {
        if (timing.urgent() && order.reason().equals("-")) {
            throw new ValidationFailure("/reason", "an urgent order says why it is urgent");
        }
        return Stream.concat(timing.urgent() ? Stream.of("it is urgent") : Stream.empty(), rules.needed(plan).stream()).toList();
    }

    /** The order that the same request has placed already. */
    private Optional<Placed> earlier(OrderDocument asked, String who, String key, String digest) {
        return orders.byIdempotencyKey(who, key).map(order -> {
            if (!digest.equals(order.documentDigest())) {
                throw new KeyReused(order.id());
            }
            return new Placed(Optional.of(order.id()), Optional.empty(), asked, digest);
        });
    }

    /** Nobody is asked to agree to an order. */
    public static final class NotAsked extends RuntimeException {
        NotAsked(OrderRow order) {
            super("order " + order.id() + " is " + order.shownState().words() + "; nobody is asked to agree to it");
        }
    }

    /** What an order that has not begun would change now. */
    public Preview preview(OrderRow order, String who) {
        return preview(order.document(), who, OrderLimits.NONE);
    }

    /**
     * Agrees to what an order would do.
     *
     * @param seen digests of previews, of which one is that of what it would do now
     * @throws NotAsked where nobody is asked to
     * @throws PreviewMoved where it would do something else
     */
    public void agree(OrderRow order, Set<String> seen, String who) {
        if (!order.state().equals(State.AWAITING_AGREEMENT.name())) {
            throw new NotAsked(order);
        }
        String now = preview(order, who).digest();
        if (!seen.contains(now)) {
            throw new PreviewMoved();
        }
        if (!line.agree(order.id(), now, who)) {
            throw new NotAsked(orders.order(order.id()).orElseThrow());
        }
    }

    /**
     * Says no to an order that somebody is asked to agree to: it ends.
     *
     * @throws NotAsked where nobody is asked to
     */
    public void refuse(OrderRow order, String reason, String who) {
        if (!order.state().equals(State.AWAITING_AGREEMENT.name()) || !line.leave(order.id(), who + " does not agree" + (reason.isEmpty() ? "" : ": " + reason))) {
            throw new NotAsked(orders.order(order.id()).orElseThrow());
        }
        line.advance();
    }

    /**
     * Cancels an order. One that waits ends; whether one under way still can roll back is decided by the order itself. Of one that has ended and is a stage, no further stage begins.
     *
     * @return false where it has ended, and no stage follows
     */
    public boolean cancel(long order, String who) {
        if (line.leave(order, "cancelled by " + who + " before it began")) {
            line.advance();
            return true;
        }
        boolean asked = orders.cancel(order, who) == 1;
        executor.passOn();
        return asked || stageRecords.stageOf(order).filter(stage -> line.alone(() -> endStages(stage.firstOrder(), "cancelled by " + who)).isPresent()).isPresent();
    }

    private Optional<Boolean> endStages(long first, String why) {
        if (stageRecords.stop(first, why) == 0) {
            return Optional.empty();
        }
        drafts.stagesEnded(first, "STOPPED");
        return Optional.of(true);
    }

    /**
     * Keeps what somebody saw on a device that is in doubt, for the instance that drives the order.
     *
     * @param after whether the device holds the state after the order; otherwise that before it
     * @return false where the order has ended
     */
    public boolean resolve(long order, String device, boolean after, String who) {
        boolean kept = orders.resolve(order, device, after, who) == 1;
        executor.passOn();
        return kept;
    }

    /** Begins to take over what is left, and refuses to work with a store that may forget. */
    @EventListener(ApplicationReadyEvent.class)
    public void begin() {
        if (!settings.testStore() && (orders.fsync().equals("off") || orders.synchronousCommit().equals("off"))) {
            throw new StartRefused("The database may lose what is stored (fsync or synchronous_commit is off), and orders with it.", "Turn both on.");
        }
        schedule.begin(line::due);
        takeover.begin(Duration.ZERO, settings.takeoverInterval(), this::lookRound);
    }

    /** What another instance may have left or asked for meanwhile. */
    private void lookRound() {
        executor.takeOver(line::advance);
        executor.passOn();
        line.advance();
        progress.lookRound();
    }

    @PreDestroy
    void close() {
        takeover.close();
    }
}
