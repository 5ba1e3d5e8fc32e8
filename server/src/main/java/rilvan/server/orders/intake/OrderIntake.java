package rilvan.server.orders.intake;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.ThreadPoolExecutor;
import java.util.concurrent.TimeUnit;
import java.util.function.LongConsumer;
import java.util.function.Supplier;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.dao.ConcurrencyFailureException;
import org.springframework.dao.DataAccessException;
import org.springframework.dao.DuplicateKeyException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import org.springframework.transaction.support.TransactionSynchronization;
import org.springframework.transaction.support.TransactionSynchronizationManager;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.Digest;
import rilvan.core.document.Document;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;
import rilvan.core.pool.Allocation;
import rilvan.core.transaction.Action;
import rilvan.core.transaction.State;
import rilvan.server.Settings;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.inventory.PlannedNumbers;
import rilvan.server.ops.Repeating;
import rilvan.server.ops.StartRefused;
import rilvan.server.ops.Threads;
import rilvan.server.orders.execution.OrderExecutor;
import rilvan.server.orders.history.OrderActs;
import rilvan.server.orders.history.OrderProgress;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.orders.intake.Planning.Preview;
import rilvan.server.store.DraftRecords;
import rilvan.server.store.Inventory;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.Claim;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Services;
import tools.jackson.core.type.TypeReference;

/** Takes orders in: previews them without touching a device, starts them, or queues them behind orders that hold the same devices or services. */
@Component
public class OrderIntake {

    private static final Logger LOG = LoggerFactory.getLogger(OrderIntake.class);
    private static final int PLANNINGS = 5;
    private static final TypeReference<List<Allocation>> NUMBERS = new TypeReference<>() {};

    private final Planning planning;
    private final PlanningTurns turns;
    private final Orders orders;
    private final Services services;
    private final Inventory inventory;
    private final OrderProgress progress;
    private final Json json;
    private final TransactionTemplate transactions;
    private final OrderExecutor executor;
    private final ClusterMember member;
    private final Repeating takeover = new Repeating("order takeover");
    // Each look is at the whole line: beside the one under way, one more that waits is enough.
    private final ExecutorService line = new ThreadPoolExecutor(1, 1, 0, TimeUnit.SECONDS, new ArrayBlockingQueue<>(1),
            Threads.named("order-queue"), new ThreadPoolExecutor.DiscardPolicy());
    private final Settings settings;
    private final OrderActs acts;
    private final DraftRecords drafts;

    public OrderIntake(OrderActs acts, DraftRecords drafts, Planning planning, PlanningTurns turns, Orders orders, Services services, Inventory inventory, OrderProgress progress, OrderExecutor executor,
            ClusterMember member, Json json, TransactionTemplate transactions, Settings settings) {
        this.acts = acts;
        this.drafts = drafts;
        this.planning = planning;
        this.turns = turns;
        this.orders = orders;
        this.services = services;
        this.inventory = inventory;
        this.progress = progress;
        this.json = json;
        this.transactions = transactions;
        this.settings = settings;
        this.executor = executor;
        this.member = member;
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
     */
    public record Asked(String who, OrderLimits limits, Optional<Set<String>> agreed, Optional<String> key, boolean rehearsed) {

        /** The same with another idempotency key. */
        public Asked withKey(Optional<String> other) {
            return new Asked(who, limits, agreed, other, rehearsed);
        }
    }

    /** @throws PlanningTurns.Overloaded where too much is worked out already */
    public Preview preview(String document, String who, OrderLimits limits) {
        return turns.take(who, () -> planning.preview(OrderDocument.read(Document.read(document)), limits));
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
        String digest = Digest.of(stored);
        for (int attempt = 1; attempt <= PLANNINGS; attempt++) {
            Optional<Placed> placed = asked.key().flatMap(given -> earlier(order, asked.who(), given, digest)).or(() -> attempt(order, stored, asked, digest, alongside));
            if (placed.isPresent()) {
                return placed.get();
            }
        }
        // Others were faster each time, on other instances of the service: while it is planned in line, nobody else can be.
        return inLine(() -> attempt(order, stored, asked, digest, alongside)).orElseThrow(Busy::new);
    }

    /** Plans an order and places it; nothing where what it was planned from has moved meanwhile. */
    private Optional<Placed> attempt(OrderDocument order, String stored, Asked asked, String digest, LongConsumer alongside) {
        try (PlannedNumbers numbers = planning.numbers()) {
            Preview preview = planning.preview(order, numbers, asked.limits());
            if (asked.agreed().isPresent() && !asked.agreed().get().contains(preview.digest())) {
                throw new PreviewMoved();
            }
            if (preview.plan().changesNothing()) {
                return Optional.of(new Placed(Optional.empty(), Optional.of(preview), order, digest));
            }
            return inLine(() -> {
                long id = orders.add(asked.who(), order.reason(), stored, UUID.randomUUID().toString(),
                        asked.key().orElse(null), digest, asked.agreed().isPresent() ? preview.digest() : null, order.byService(), asked.rehearsed());
                want(id, preview.plan());
                planning.putScope(id, preview.plan());
                alongside.accept(id);
                return enter(id, preview, List.of()) ? Optional.of(new Placed(Optional.of(id), Optional.of(preview), order, digest)) : Optional.empty();
            });
        }
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

    /**
     * Opens an order that nobody is ahead of. In line, too, its numbers are its own, so that it is planned with them again.
     *
     * @param kept the numbers that it took when it came into the line
     * @return false where what it was planned from has moved
     */
    private boolean enter(long id, Preview preview, List<Allocation> kept) {
        Optional<PlanRecord> recorded = planning.record(preview.plan(), kept);
        if (recorded.isEmpty()) {
            return false;
        }
        PlanRecord record = recorded.get();
        services.giveBack(kept.stream().filter(each -> !record.taken().contains(each)).toList());
        if (!services.take(record.taken().stream().filter(each -> !kept.contains(each)).toList())) {
            return false;
        }
        if (orders.ahead(id).isEmpty()) {
            return open(id, preview, record);
        }
        orders.keepNumbers(id, json.write(record.taken()));
        return true;
    }

    /** Does something about the line, alone; all of it or, where it comes to nothing, none. */
    private <T> Optional<T> inLine(Supplier<Optional<T>> change) {
        try {
            return transactions.execute(status -> {
                orders.lockLine();
                Optional<T> result = change.get();
                if (result.isEmpty()) {
                    status.setRollbackOnly();
                }
                return result;
            });
        } catch (ConcurrencyFailureException | DuplicateKeyException e) {
            // Two orders were in each other's way in the store, which has ended one of them, or the same request came twice at once: try again.
            return Optional.empty();
        }
    }

    /** Lets those in line start whose turn has come. Each is planned anew: what it was planned from may have moved. */
    private void advance() {
        line.execute(() -> {
            try {
                for (OrderRow row : orders.waiting()) {
                    if (orders.ahead(row.id()).isEmpty()) {
                        advance(row);
                    }
                }
            } catch (DataAccessException | TransactionException e) {
                LOG.warn("waiting orders cannot be started now, trying again: {}", e.getMessage());
            }
        });
    }

    private void advance(OrderRow row) {
        OrderDocument order = OrderDocument.read(Document.read(row.document()));
        try (PlannedNumbers numbers = planning.numbers()) {
            Preview preview = planning.preview(order, numbers, OrderLimits.NONE);
            if (row.agreed() != null && !row.agreed().equals(preview.digest())) {
                throw new PreviewMoved();
            }
            inLine(() -> {
                OrderRow now = orders.order(row.id()).orElseThrow();
                if (now.state().equals(State.WAITING.name()) && now.numbersJson().equals(row.numbersJson())) {
                    orders.wantNothing(row.id());
                    want(row.id(), preview.plan());
                    planning.putScope(row.id(), preview.plan());
                    return enter(row.id(), preview, json.read(row.numbersJson(), NUMBERS)) ? Optional.of(true) : Optional.empty();
                }
                // Another instance was faster.
                return Optional.empty();
            });
        } catch (ValidationFailure | PreviewMoved e) {
            leaveLine(row.id(), "when it was planned again: " + e.getMessage());
        }
    }

    private boolean leaveLine(long id, String why) {
        return inLine(() -> {
            Optional<String> numbers = orders.leaveLine(id, PlainText.cleaned(why, Action.LONGEST_REASON));
            numbers.ifPresent(kept -> services.giveBack(json.read(kept, NUMBERS)));
            orders.wantNothing(id);
            drafts.ended(id, false);
            numbers.ifPresent(kept -> acts.ended(id, State.ROLLED_BACK, why, List.of()));
            return numbers;
        }).isPresent();
    }

    private void want(long id, Plan plan) {
        orders.want(id, claims(plan));
    }

    /** What an order has to itself while it is under way: also the services that its own refer to, and those that refer to them. */
    private static List<Claim> claims(Plan plan) {
        return Stream.concat(plan.services().keySet().stream().map(service -> new Claim("service", service)),
                plan.devices().keySet().stream().map(device -> new Claim("device", device))).toList();
    }

    /** A service's version; -1 where it does not stand. */
    private long version(String service) {
        return services.service(service).map(Services.ServiceRow::version).orElse(-1L);
    }

    /** The PLANNED record of an order whose turn it is: plan, numbers and holds; false where what it was planned from has moved. */
    private boolean open(long id, Preview preview, PlanRecord record) {
        Plan plan = preview.plan();
        if (planning.isOutdated(preview)) {
            return false;
        }
        if (!plan.devices().isEmpty() && inventory.versions(plan.devices().keySet()).stream().anyMatch(now -> !preview.versions().get(now.name()).equals(now.version()))) {
            return false;
        }
        for (Map.Entry<String, Long> service : plan.services().entrySet()) {
            if (version(service.getKey()) != service.getValue()) {
                return false;
            }
        }
        if (!orders.hold(id, claims(plan))) {
            return false;
        }
        planning.putParts(id, preview);
        orders.wantNothing(id);
        if (orders.open(id, plan.summary(), json.write(record), json.write(record.kinds()), member.id(), plan.devices().size()) == 0) {
            return false;
        }
        driveOnceStored(id);
        return true;
    }

    /** From the moment its record is stored, an order is this instance's to drive: it is claimed before, so that there is no time in between. */
    private void driveOnceStored(long id) {
        executor.claim(id);
        TransactionSynchronizationManager.registerSynchronization(new TransactionSynchronization() {
            @Override
            public void afterCompletion(int status) {
                if (status == STATUS_COMMITTED) {
                    executor.start(id, OrderIntake.this::advance);
                } else {
                    executor.unclaim(id);
                }
            }
        });
    }

    /**
     * Cancels an order. One that waits ends; whether one under way still can roll back is decided by the order itself.
     *
     * @return false where it has ended
     */
    public boolean cancel(long order, String who) {
        if (leaveLine(order, "cancelled by " + who + " while it was waiting")) {
            advance();
            return true;
        }
        boolean asked = orders.cancel(order, who) == 1;
        executor.passOn();
        return asked;
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
        takeover.begin(Duration.ZERO, settings.takeoverInterval(), this::lookRound);
    }

    /** What another instance may have left or asked for meanwhile. */
    private void lookRound() {
        executor.takeOver(this::advance);
        executor.passOn();
        advance();
        progress.lookRound();
    }

    @PreDestroy
    void close() {
        takeover.close();
        line.shutdownNow();
    }
}
