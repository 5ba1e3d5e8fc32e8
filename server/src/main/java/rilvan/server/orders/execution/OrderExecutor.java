package rilvan.server.orders.execution;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.function.Supplier;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.dao.DataAccessException;
import org.springframework.stereotype.Component;
import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.Sessions;
import rilvan.core.transaction.DeviceChange;
import rilvan.core.transaction.State;
import rilvan.core.transaction.Transaction;
import rilvan.server.Settings;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.inventory.Devices;
import rilvan.server.monitoring.Baseline;
import rilvan.server.monitoring.CheckRunner;
import rilvan.server.monitoring.LinkComparison;
import rilvan.server.ops.OrderMetrics;
import rilvan.server.ops.Threads;
import rilvan.server.orders.history.OrderProgress;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Orders.UnderWay;

/** The orders that this instance drives: started here, or taken over from an instance whose lease has run out. */
@Component
public class OrderExecutor {

    private static final Logger LOG = LoggerFactory.getLogger(OrderExecutor.class);

    private static final long FIRST_EPOCH = 1;

    private final Orders orders;
    private final Journal journal;
    private final OrderProgress progress;
    private final ClusterMember member;
    private final Devices devices;
    private final TransactionDriver.World world;
    private final ExecutorService threads = Executors.newCachedThreadPool(Threads.named("order"));
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor(Threads.named("order-timer"));
    private final Map<Long, TransactionDriver> runs = new ConcurrentHashMap<>();
    /** The orders that this instance drives, or is about to. */
    private final Set<Long> claimed = ConcurrentHashMap.newKeySet();

    OrderExecutor(Orders orders, Journal journal, PartialRetry partialRetry, OrderProgress progress, CheckRunner checkRunner, Baseline baseline, LinkComparison links, Devices devices,
            ClusterMember member, OrderMetrics metrics, Settings settings) {
        this.orders = orders;
        this.journal = journal;
        this.progress = progress;
        this.member = member;
        this.devices = devices;
        this.world = new TransactionDriver.World(devices, journal, partialRetry, orders,
                () -> new OrderChecks(checkRunner, baseline, links, orders, settings.settleTime()), progress, member, metrics, timer, Clock.systemUTC());
    }

    /**
     * Says that an order is this instance's to begin, before its record is stored: until it is driven, or given up by {@link #unclaim},
     * nobody here takes it for one that was left.
     */
    public void claim(long id) {
        claimed.add(id);
    }

    /** The record of an order was not stored, or nobody knows whether it was. */
    public void unclaim(long id) {
        claimed.remove(id);
    }

    /**
     * Drives an order that is claimed and whose record is stored.
     *
     * @param afterwards run when it has ended
     */
    public void start(long id, Runnable afterwards) {
        // Where another instance has taken it over since, its epoch is another one.
        inBackground(id, () -> orders.order(id).filter(row -> row.epoch() == FIRST_EPOCH).map(this::begun), afterwards);
    }

    /** Takes over what no living instance drives, and what is this instance's to drive and nobody here does. */
    public void takeOver(Runnable afterwards) {
        for (UnderWay left : orders.toSeeTo(member.id())) {
            if (claimed.add(left.id())) {
                inBackground(left.id(), () -> takenOver(left), afterwards);
            }
        }
    }

    private Optional<TransactionDriver> takenOver(UnderWay left) {
        if (orders.takeOver(left.id(), left.epoch(), member.id()) == 0) {
            return Optional.empty();
        }
        // Whoever drove it may have written one more record before it lost the right to; from here on nobody else can.
        OrderRow row = orders.order(left.id()).orElseThrow();
        LOG.warn("order {} is {} and no instance drives it; taking it over", row.id(), row.shownState().words());
        return Optional.of(left.ours() && row.state().equals(State.PLANNED.name()) ? begun(row)
                : driver(row, Transaction.resume(row.token(), journal.parts(row.id()), State.valueOf(row.state()), journal.sessions(row), row.rehearsal()), Set.of()));
    }

    /** An order of which nothing has happened but that it was planned. */
    private TransactionDriver begun(OrderRow row) {
        List<DeviceChange> parts = journal.parts(row.id());
        if (row.rehearsal()) {
            return driver(row, Transaction.rehearsal(row.token(), parts), Set.of());
        }
        Set<String> changed = parts.stream().map(DeviceChange::device).collect(Collectors.toSet());
        return driver(row, Transaction.of(row.token(), parts, row.byService(), row.oneByOne()), changed);
    }

    /** @param devicesToChange devices that this order will change and has not changed yet; none where it was begun by somebody else */
    private TransactionDriver driver(OrderRow row, Transaction transaction, Set<String> devicesToChange) {
        progress.begins(row.id(), State.valueOf(row.state()));
        return new TransactionDriver(row.id(), row.epoch(), transaction, journal.plan(row), devicesToChange, world, orders.events(row.id()).size());
    }

    /** Drives a claimed order on a thread of its own. However that ends, the claim ends with it: an order that is not over is taken over again. */
    private void inBackground(long id, Supplier<Optional<TransactionDriver>> beginning, Runnable afterwards) {
        boolean begun = false;
        try {
            threads.execute(() -> drive(id, beginning, afterwards));
            begun = true;
        } finally {
            if (!begun) {
                claimed.remove(id);
            }
        }
    }

    private void drive(long id, Supplier<Optional<TransactionDriver>> beginning, Runnable afterwards) {
        Set<String> surprising = Set.of();
        try {
            Optional<TransactionDriver> run = beginning.get();
            run.ifPresent(begun -> {
                runs.put(id, begun);
                begun.run();
            });
            surprising = run.map(TransactionDriver::surprising).orElse(Set.of());
        } catch (RuntimeException | Error e) {
            LOG.error("order {} cannot be driven, trying again: {}", id, e.toString());
        } finally {
            runs.remove(id);
            claimed.remove(id);
        }
        afterwards.run();
        surprising.forEach(this::readAgain);
    }

    /** What somebody has changed is remembered, so that the next preview knows of it. */
    private void readAgain(String device) {
        try {
            devices.read(device);
        } catch (Sessions.CannotOpen | ValidationFailure | DataAccessException e) {
            LOG.info("{} was not read again: {}", device, e.getMessage());
        }
    }

    /** Passes on what people asked for, whichever instance they asked: cancellations, and what they saw on devices in doubt. */
    public void passOn() {
        orders.cancellations(member.id()).forEach(asked -> {
            TransactionDriver run = runs.get(asked.id());
            if (run != null) {
                run.cancel(asked.who());
            }
        });
        orders.resolutions(member.id()).forEach(seen -> {
            TransactionDriver run = runs.get(seen.orderId());
            if (run != null && orders.takeUp(seen.id()) == 1) {
                run.resolve(seen.device(), seen.holdsAfter(), seen.who());
            }
        });
    }

    @PreDestroy
    void close() {
        threads.shutdownNow();
        timer.shutdownNow();
    }
}
