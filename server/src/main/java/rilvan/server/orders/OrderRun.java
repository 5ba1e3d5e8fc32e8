package rilvan.server.orders;

import java.time.Clock;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.dao.DataAccessException;
import org.springframework.transaction.TransactionException;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.order.Action;
import rilvan.core.order.Event;
import rilvan.core.order.Transaction;
import rilvan.core.outside.DeviceSession;
import rilvan.core.outside.Sessions;
import rilvan.server.checks.Prober;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.CheckRow;
import rilvan.server.store.Orders.EventRow;

/**
 * Drives one transaction: does what it asks for, and tells it what happened, one event after another on one thread. Answers
 * of devices arrive on the threads of their sessions and only queue here.
 */
final class OrderRun implements Runnable {

    private static final Logger LOG = LoggerFactory.getLogger(OrderRun.class);
    private static final long STORE_RETRY_MILLIS = 200;

    private final long order;
    private final long epoch;
    private final Transaction transaction;
    private final List<Check> checks;
    private final World world;
    private final BlockingQueue<Event> events = new LinkedBlockingQueue<>();
    private final Map<String, DeviceSession> sessions = new HashMap<>();
    private final List<EventRow> untold = new ArrayList<>();
    private int told;
    private boolean over;

    /** What a run works with. */
    record World(Sessions sessions, Journal journal, Orders orders, Prober prober, Progress progress, ScheduledExecutorService timer,
            Clock clock) {}

    /**
     * @param told events of this order that are stored already
     */
    OrderRun(long order, long epoch, Transaction transaction, List<Check> checks, World world, int told) {
        this.order = order;
        this.epoch = epoch;
        this.transaction = transaction;
        this.checks = checks;
        this.world = world;
        this.told = told;
    }

    /** Asks for the order to be taken back; without effect once it is decided. */
    void cancel(String who) {
        events.add(new Event.CancelAsked(who));
    }

    @Override
    public void run() {
        try {
            transaction.start(System.nanoTime()).forEach(this::act);
            while (!over) {
                Event event = events.take();
                transaction.on(event, System.nanoTime()).forEach(this::act);
            }
        } catch (InterruptedException e) {
            // The service stops; the journal says from where the next one goes on.
            Thread.currentThread().interrupt();
        } catch (RuntimeException e) {
            LOG.error("order {} stopped; it is taken up again when the service starts", order, e);
        } finally {
            sessions.values().forEach(DeviceSession::close);
            world.progress().ended(order);
        }
    }

    private void act(Action action) {
        if (action instanceof Action.Open open) {
            world.sessions().open(open.device()).whenComplete((session, failure) -> {
                List<String> missing = failure == null ? transaction.kind(open.device()).missingIn(session.capabilities()) : List.of();
                if (!missing.isEmpty()) {
                    session.close();
                    events.add(new Event.NotOpened(open.device(), "it does not offer what devices of its family are handled by: "
                            + String.join(", ", missing)));
                } else if (failure == null) {
                    synchronized (sessions) {
                        sessions.put(open.device(), session);
                    }
                    events.add(new Event.Opened(open.device(), session.id()));
                } else {
                    events.add(new Event.NotOpened(open.device(), failure.getMessage()));
                }
            });
        } else if (action instanceof Action.Send send) {
            DeviceSession session;
            synchronized (sessions) {
                session = sessions.get(send.device());
            }
            session.send(send.flight()).thenAccept(answers -> events.add(new Event.Answered(send.device(), answers)));
        } else if (action instanceof Action.Write write) {
            write(write);
        } else if (action instanceof Action.Prove) {
            world.prober().make(checks).whenComplete((seen, failure) ->
                    events.add(failure == null ? proved(seen) : new Event.Proved(false, failure.getMessage())));
        } else if (action instanceof Action.Pause pause) {
            world.timer().schedule(() -> events.add(new Event.Resumed(pause.device())), pause.millis(), TimeUnit.MILLISECONDS);
        } else if (action instanceof Action.Tell tell) {
            EventRow row = new EventRow(order, ++told, OffsetDateTime.now(world.clock()), tell.device(), tell.phase().name(),
                    tell.word().name(), tell.text());
            untold.add(row);
            world.progress().tell(row);
        } else if (action instanceof Action.End end) {
            LOG.info("order {} ended {}{}", order, end.state(), transaction.reason().isEmpty() ? "" : ": " + transaction.reason());
            over = true;
        }
    }

    private Event proved(List<Observed> seen) {
        List<CheckRow> rows = new ArrayList<>();
        List<String> failed = new ArrayList<>();
        for (Observed each : seen) {
            rows.add(new CheckRow(order, rows.size() + 1, each.check().service(), each.observer(), each.target(),
                    each.proves().name(), each.holds(), each.seen()));
            if (!each.holds()) {
                failed.add("from " + each.observer() + " to " + each.target() + ": " + each.seen());
            }
        }
        rows.forEach(world.orders()::addCheck);
        String summary = seen.isEmpty() ? "nothing to look for: no model of these services names a check" : failed.isEmpty() ? seen.size() + (seen.size() == 1 ? " check holds" : " checks hold") : String.join("; ", failed);
        return new Event.Proved(failed.isEmpty(), summary);
    }

    /** Writes a record. Where it is uncertain whether it was stored, nothing is sent until the row has been read. */
    private void write(Action.Write write) {
        while (true) {
            try {
                boolean stored = world.journal().write(order, epoch, write, untold);
                untold.clear();
                world.progress().state(order, stored ? write.state() : world.journal().state(order));
                if (!stored) {
                    over = true;
                }
                events.add(stored ? new Event.Written() : new Event.Overtaken());
                return;
            } catch (DataAccessException | TransactionException e) {
                LOG.warn("order {}: the store does not answer; trying again: {}", order, e.getMessage());
            }
            if (!waitForStore()) {
                return;
            }
            try {
                if (write.expected() != write.state() && world.journal().state(order) == write.state()) {
                    events.add(new Event.Written());
                    return;
                }
            } catch (DataAccessException | TransactionException e) {
                LOG.warn("order {}: the store still does not answer", order);
            }
        }
    }

    private boolean waitForStore() {
        try {
            TimeUnit.MILLISECONDS.sleep(STORE_RETRY_MILLIS);
            return true;
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            over = true;
            return false;
        }
    }
}
