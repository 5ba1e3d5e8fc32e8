package rilvan.server.orders.execution;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
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

/** The orders that this instance drives: started here, or taken over from an instance whose lease has run out. */
@Component
public class OrderExecutor {

    private static final Logger LOG = LoggerFactory.getLogger(OrderExecutor.class);

    private final Orders orders;
    private final Journal journal;
    private final OrderProgress progress;
    private final ClusterMember member;
    private final Devices devices;
    private final TransactionDriver.World world;
    private final ExecutorService threads = Executors.newCachedThreadPool(Threads.named("order"));
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor(Threads.named("order-timer"));
    private final Map<Long, TransactionDriver> runs = new ConcurrentHashMap<>();

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
     * Drives an order whose OPEN record is written.
     *
     * @param afterwards run when it has ended
     */
    public void start(long id, Runnable afterwards) {
        OrderRow row = orders.order(id).orElseThrow();
        List<DeviceChange> parts = journal.parts(id);
        Set<String> changed = parts.stream().map(DeviceChange::device).collect(Collectors.toSet());
        drive(row, row.epoch(), Transaction.of(row.token(), parts, row.byService()), changed, 0, afterwards);
    }

    /** Takes over what no living instance drives. */
    public void takeOver(Runnable afterwards) {
        for (OrderRow left : orders.abandoned()) {
            if (!runs.containsKey(left.id()) && orders.takeOver(left.id(), left.epoch(), member.id()) == 1) {
                // Whoever drove it may have written one more record before it lost the right to; from here on nobody else can.
                OrderRow row = orders.order(left.id()).orElseThrow();
                LOG.warn("order {} is {} and no instance drives it; taking it over", row.id(), row.shownState().words());
                drive(row, row.epoch(), Transaction.resume(row.token(), journal.parts(row.id()), State.valueOf(row.state()),
                        journal.sessions(row)), Set.of(), orders.events(row.id()).size(), afterwards);
            }
        }
    }

    /** @param devicesToChange devices that this order will change and has not changed yet; none where it was begun by somebody else */
    private void drive(OrderRow row, long epoch, Transaction transaction, Set<String> devicesToChange, int told, Runnable afterwards) {
        TransactionDriver run = new TransactionDriver(row.id(), epoch, transaction, journal.plan(row), devicesToChange, world, told);
        progress.begins(row.id(), State.valueOf(row.state()));
        runs.put(row.id(), run);
        threads.execute(() -> {
            run.run();
            runs.remove(row.id());
            afterwards.run();
            run.surprising().forEach(this::readAgain);
        });
    }

    /** What somebody has changed is remembered, so that the next preview knows of it. */
    private void readAgain(String device) {
        try {
            devices.read(device);
        } catch (Sessions.CannotOpen | ValidationFailure | DataAccessException e) {
            LOG.info("{} was not read again: {}", device, e.getMessage());
        }
    }

    /** Passes on cancellations, whichever instance received them. */
    public void cancel() {
        orders.cancellations(member.id()).forEach(asked -> {
            TransactionDriver run = runs.get(asked.id());
            if (run != null) {
                run.cancel(asked.who());
            }
        });
    }

    /** Passes on what somebody saw on a device that is in doubt; false where this instance does not drive the order. */
    public boolean resolve(long order, String device, boolean after, String who) {
        TransactionDriver run = runs.get(order);
        if (run != null) {
            run.resolve(device, after, who);
        }
        return run != null;
    }

    @PreDestroy
    void close() {
        threads.shutdownNow();
        timer.shutdownNow();
    }
}
