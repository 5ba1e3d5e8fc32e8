package rilvan.server.orders;

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
import org.springframework.stereotype.Component;
import rilvan.core.order.Part;
import rilvan.core.order.State;
import rilvan.core.order.Transaction;
import rilvan.server.Application.Settings;
import rilvan.server.checks.Baseline;
import rilvan.server.checks.Links;
import rilvan.server.checks.Prober;
import rilvan.server.devices.DeviceDesk;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.OrderRow;

/** The orders that this instance drives: begun here, or taken over from an instance that is gone. */
@Component
class Drivers {

    private static final Logger LOG = LoggerFactory.getLogger(Drivers.class);

    private final Orders orders;
    private final Journal journal;
    private final Progress progress;
    private final Instance instance;
    private final OrderRun.World world;
    private final ExecutorService threads = Executors.newCachedThreadPool();
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor();
    private final Map<Long, OrderRun> runs = new ConcurrentHashMap<>();

    Drivers(Orders orders, Journal journal, Regrouping regrouping, Progress progress, Prober prober, Baseline baseline, Links links, DeviceDesk devices,
            Instance instance, Settings settings) {
        this.orders = orders;
        this.journal = journal;
        this.progress = progress;
        this.instance = instance;
        this.world = new OrderRun.World(devices, journal, regrouping, orders,
                () -> new Proof(prober, baseline, links, orders, settings.proofRest()), progress, instance, timer, Clock.systemUTC());
    }

    /**
     * Drives an order whose OPEN record is written.
     *
     * @param afterwards run when it has ended
     */
    void start(long id, Runnable afterwards) {
        OrderRow row = orders.order(id).orElseThrow();
        List<Part> parts = journal.parts(id);
        Set<String> changed = parts.stream().map(Part::device).collect(Collectors.toSet());
        drive(row, row.epoch(), Transaction.of(row.token(), parts, journal.standsEach(row)), changed, 0, afterwards);
    }

    /** Takes over what no living instance drives. */
    void takeOver(Runnable afterwards) {
        for (OrderRow left : orders.abandoned()) {
            if (!runs.containsKey(left.id()) && orders.takeOver(left.id(), left.epoch(), instance.id()) == 1) {
                // Whoever drove it may have written one more record before it lost the right to; from here on nobody else can.
                OrderRow row = orders.order(left.id()).orElseThrow();
                LOG.info("order {} was left at {}; taking it over", row.id(), row.state());
                drive(row, row.epoch(), Transaction.resume(row.token(), journal.parts(row.id()), State.valueOf(row.state()),
                        journal.sessions(row)), Set.of(), orders.events(row.id()).size(), afterwards);
            }
        }
    }

    /** @param untouched devices that this order will change and has not changed yet; none where it was begun by somebody else */
    private void drive(OrderRow row, long epoch, Transaction transaction, Set<String> untouched, int told, Runnable afterwards) {
        OrderRun run = new OrderRun(row.id(), epoch, transaction, journal.plan(row), untouched, world, told);
        progress.begins(row.id(), State.valueOf(row.state()));
        runs.put(row.id(), run);
        threads.execute(() -> {
            run.run();
            runs.remove(row.id());
            afterwards.run();
        });
    }

    /** Passes on that somebody asked for an order to be taken back, wherever they asked. */
    void takeBack() {
        orders.takenBack(instance.id()).forEach(asked -> {
            OrderRun run = runs.get(asked.id());
            if (run != null) {
                run.takeBack(asked.who());
            }
        });
    }

    /** Passes on what somebody saw on a device that is in doubt; false where this instance does not drive the order. */
    boolean seen(long order, String device, boolean after, String who) {
        OrderRun run = runs.get(order);
        if (run != null) {
            run.seen(device, after, who);
        }
        return run != null;
    }

    @PreDestroy
    void close() {
        threads.shutdownNow();
        timer.shutdownNow();
    }
}
