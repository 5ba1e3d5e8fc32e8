package rilvan.server.orders.intake;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.time.Instant;
import java.time.OffsetDateTime;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.ThreadPoolExecutor;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.dao.ConcurrencyFailureException;
import org.springframework.dao.DataAccessException;
import org.springframework.dao.DuplicateKeyException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import org.springframework.transaction.support.TransactionSynchronization;
import org.springframework.transaction.support.TransactionSynchronizationManager;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.Document;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;
import rilvan.core.pool.Allocation;
import rilvan.core.transaction.Action;
import rilvan.core.transaction.State;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.inventory.PlannedNumbers;
import rilvan.server.ops.Threads;
import rilvan.server.orders.execution.OrderExecutor;
import rilvan.server.orders.history.OrderEnd;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.orders.intake.OrderIntake.PreviewMoved;
import rilvan.server.orders.intake.Planning.Preview;
import rilvan.server.orders.timing.OrderSchedule;
import rilvan.server.orders.timing.Start;
import rilvan.server.orders.timing.StartTimes;
import rilvan.server.store.Inventory;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.Claim;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Services;
import tools.jackson.core.type.TypeReference;

/**
 * The orders that have been placed and have not begun: those that another person is to agree to, those whose time has not come, and those that wait for others. Each has its numbers; none holds
 * anything. An order begins when nobody holds, or wanted earlier, what it wants, and nothing keeps it back.
 */
@Component
class OrderLine {

    private static final Logger LOG = LoggerFactory.getLogger(OrderLine.class);
    private static final int MOST_ATTEMPTS = 20;
    /** An order that a freeze keeps back is looked at again after this time: the freeze may be lifted before its end. */
    private static final Duration FROZEN_FOR = Duration.ofSeconds(10);
    private static final TypeReference<List<Allocation>> NUMBERS = new TypeReference<>() {};

    private final Planning planning;
    private final Orders orders;
    private final Services services;
    private final Inventory inventory;
    private final OrderExecutor executor;
    private final ClusterMember member;
    private final OrderEnd end;
    private final StartTimes times;
    private final OrderSchedule schedule;
    private final Json json;
    private final TransactionTemplate transactions;
    // Each look is at the whole line: beside the one under way, one more that waits is enough.
    private final ExecutorService looks = new ThreadPoolExecutor(1, 1, 0, TimeUnit.SECONDS, new ArrayBlockingQueue<>(1),
            Threads.named("order-queue"), new ThreadPoolExecutor.DiscardPolicy());

    OrderLine(Planning planning, Orders orders, Services services, Inventory inventory, OrderExecutor executor, ClusterMember member, OrderEnd end, StartTimes times,
            OrderSchedule schedule, Json json, TransactionTemplate transactions) {
        this.planning = planning;
        this.orders = orders;
        this.services = services;
        this.inventory = inventory;
        this.executor = executor;
        this.member = member;
        this.end = end;
        this.times = times;
        this.schedule = schedule;
        this.json = json;
        this.transactions = transactions;
    }

    /** Does something about the line, alone; all of it or, where it comes to nothing, none. */
    <T> Optional<T> alone(Supplier<Optional<T>> change) {
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

    /**
     * A new order comes in: it begins, or waits for what its state says.
     *
     * @return false where what it was planned from has moved
     */
    boolean comesIn(long id, State state, Start start, Preview preview) {
        planning.putScope(id, preview.plan());
        if (state == State.WAITING) {
            orders.want(id, claims(preview.plan()));
            return enter(id, preview, List.of());
        }
        Optional<PlanRecord> record = planning.record(preview.plan(), List.of());
        if (record.isEmpty() || !services.take(record.get().taken())) {
            return false;
        }
        orders.keepNumbers(id, json.write(record.get().taken()));
        (state == State.SCHEDULED ? start.at() : start.latest()).ifPresent(time -> schedule.at(id, time));
        return true;
    }

    /**
     * Opens an order that nobody is ahead of. In line, too, its numbers are its own, so that it is planned with them again.
     *
     * @param kept the numbers that it took when it was placed
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

    /** Lets those in line start whose turn has come. Each is planned anew: what it was planned from may have moved. */
    void advance() {
        looks.execute(() -> {
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
        if (!row.urgent() && times.stopped().isPresent()) {
            return;
        }
        OrderDocument order = OrderDocument.read(Document.read(row.document()));
        try (PlannedNumbers numbers = planning.numbers()) {
            Preview preview = planning.preview(order, numbers, OrderLimits.NONE);
            boolean moved = row.agreed() != null && !row.agreed().equals(preview.digest());
            if (moved && row.agreedBy() == null) {
                throw new PreviewMoved();
            }
            alone(() -> {
                OrderRow now = orders.order(row.id()).orElseThrow();
                if (!now.state().equals(State.WAITING.name()) || !now.numbersJson().equals(row.numbersJson())) {
                    // Another instance was faster.
                    return Optional.empty();
                }
                orders.wantNothing(row.id());
                planning.putScope(row.id(), preview.plan());
                if (moved) {
                    orders.agreementLapses(row.id());
                    Optional.ofNullable(row.startBy()).ifPresent(latest -> schedule.at(row.id(), latest.toInstant()));
                    return Optional.of(true);
                }
                if (isFrozen(row)) {
                    orders.postpone(row.id());
                    schedule.at(row.id(), earlier(times.now().plus(FROZEN_FOR), Optional.ofNullable(row.startBy()).map(OffsetDateTime::toInstant)));
                    return Optional.of(true);
                }
                orders.want(row.id(), claims(preview.plan()));
                return enter(row.id(), preview, json.read(row.numbersJson(), NUMBERS)) ? Optional.of(true) : Optional.empty();
            });
        } catch (ValidationFailure | PreviewMoved e) {
            leave(row.id(), "when it was planned again: " + e.getMessage());
        }
    }

    private boolean isFrozen(OrderRow row) {
        return !row.urgent() && !row.rehearsal() && times.isFrozen(row.id());
    }

    private static Instant earlier(Instant one, Optional<Instant> other) {
        return other.filter(one::isAfter).orElse(one);
    }

    /**
     * Looks at an order whose time has come.
     *
     * @return when it is to be looked at again, if at all
     * @throws IllegalStateException where others are in the way: it is to be tried again
     */
    Optional<Instant> due(long id) {
        Instant now = times.now();
        Optional<Optional<Instant>> next = alone(() -> Optional.of(orders.order(id).filter(row -> State.valueOf(row.state()).unbegun()).flatMap(row -> due(row, now))));
        advance();
        return next.orElseThrow(() -> new IllegalStateException("order " + id + " cannot be looked at now"));
    }

    private Optional<Instant> due(OrderRow row, Instant now) {
        Optional<Instant> start = Optional.ofNullable(row.startAt()).map(OffsetDateTime::toInstant);
        Optional<Instant> latest = Optional.ofNullable(row.startBy()).map(OffsetDateTime::toInstant);
        if (latest.filter(time -> !time.isAfter(now)).isPresent()) {
            return missed(row, latest.get());
        }
        if (row.state().equals(State.SCHEDULED.name())) {
            if (start.filter(now::isBefore).isPresent()) {
                return Optional.of(earlier(start.get(), latest));
            }
            if (isFrozen(row)) {
                return Optional.of(earlier(now.plus(FROZEN_FOR), latest));
            }
            orders.comesIntoLine(row.id());
        }
        return latest;
    }

    /** An order within windows takes the next one; any other ends. */
    private Optional<Instant> missed(OrderRow row, Instant latest) {
        if (row.inWindow()) {
            Optional<Start> next = nextWindow(row);
            if (next.isPresent()) {
                orders.wantNothing(row.id());
                orders.nextWindow(row.id(), next.get().storedAt(), next.get().storedLatest());
                return Optional.of(row.state().equals(State.AWAITING_AGREEMENT.name()) ? next.get().latest().orElseThrow() : next.get().at().orElseThrow());
            }
        }
        leaveNow(row.id(), "it could begin until " + latest + ", and had not: " + switch (State.valueOf(row.state())) {
            case AWAITING_AGREEMENT -> "nobody has agreed to it";
            case WAITING -> times.keepsBack(row.id()).orElse("other orders were ahead of it");
            default -> "no instance of the service was there";
        });
        return Optional.empty();
    }

    private Optional<Start> nextWindow(OrderRow row) {
        try {
            return times.nextWindow(row.id(), row.devices());
        } catch (ValidationFailure e) {
            return Optional.empty();
        }
    }

    /** What an order that has not begun waits for is there: it begins at its time, or as soon as nobody is ahead of it. */
    private State next(OrderRow row) {
        return row.startAt() != null && row.startAt().toInstant().isAfter(times.now()) ? State.SCHEDULED : State.WAITING;
    }

    /**
     * Somebody agrees to what an order would do.
     *
     * @param seen the digest of the preview that they have seen
     * @return false where nobody is asked to
     */
    boolean agree(long id, String seen, String who) {
        for (int attempt = 1; attempt <= MOST_ATTEMPTS; attempt++) {
            Optional<Boolean> agreed = alone(() -> {
                OrderRow row = orders.order(id).orElseThrow();
                State next = next(row);
                boolean asked = orders.agreed(id, seen, who, next.name()) == 1;
                if (asked) {
                    Optional<Instant> latest = Optional.ofNullable(row.startBy()).map(OffsetDateTime::toInstant);
                    (next == State.SCHEDULED ? Optional.of(earlier(row.startAt().toInstant(), latest)) : latest).ifPresent(time -> schedule.at(id, time));
                }
                return Optional.of(asked);
            });
            if (agreed.isPresent()) {
                advance();
                return agreed.get();
            }
        }
        throw new OrderIntake.Busy();
    }

    /** An order that has not begun ends. */
    boolean leave(long id, String why) {
        return alone(() -> leaveNow(id, why)).isPresent();
    }

    private Optional<String> leaveNow(long id, String why) {
        Optional<String> numbers = orders.leaveLine(id, PlainText.cleaned(why, Action.LONGEST_REASON));
        numbers.ifPresent(kept -> {
            services.giveBack(json.read(kept, NUMBERS));
            orders.wantNothing(id);
            end.ended(id, State.ROLLED_BACK, why, List.of());
        });
        return numbers;
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
                    executor.start(id, OrderLine.this::advance);
                } else {
                    executor.unclaim(id);
                }
            }
        });
    }

    @PreDestroy
    void close() {
        looks.shutdownNow();
    }
}
