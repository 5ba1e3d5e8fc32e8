package rilvan.server.orders.execution;

import java.time.Clock;
import java.time.Duration;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.CompletionException;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.function.Supplier;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.slf4j.MDC;
import org.springframework.dao.DataAccessException;
import org.springframework.dao.DataIntegrityViolationException;
import org.springframework.transaction.TransactionException;
import rilvan.core.check.Observed;
import rilvan.core.environment.Answer;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Sessions;
import rilvan.core.transaction.Action;
import rilvan.core.transaction.Event;
import rilvan.core.transaction.Phase;
import rilvan.core.transaction.State;
import rilvan.core.transaction.Transaction;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.inventory.Devices;
import rilvan.server.ops.LogContext;
import rilvan.server.ops.OrderMetrics;
import rilvan.server.orders.execution.Journal.Afterwards;
import rilvan.server.orders.history.OrderProgress;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.EventRow;

/**
 * Carries out one transaction: performs its actions (open, send, write, run checks) and feeds it the events that follow, one after the other on
 * one thread. Answers of devices arrive on other threads and are only queued here.
 */
final class TransactionDriver implements Runnable {

    private static final Logger LOG = LoggerFactory.getLogger(TransactionDriver.class);
    private static final long STORE_RETRY_MILLIS = 200;
    private static final long OWN_DELAY_NANOS = 60_000_000_000L;
    /** Longer than any device, check or pause takes: after it, an event was lost, and the order is taken over anew. */
    private static final long LONGEST_QUIET_MINUTES = 15;
    /** What happened is kept with the next record, or after this time where none follows. */
    private static final long UNTOLD_FOR_SECONDS = 1;
    private static final String UNSTORABLE = "the reason could not be stored; see the log of the service";

    private final long order;
    private final long epoch;
    private final Transaction transaction;
    private PlanRecord plan;
    private final Set<String> devicesToChange;
    private final OrderChecks orderChecks;
    private Set<String> failing = Set.of();
    private String checks = "no checks";
    private final Map<String, Long> begun = new HashMap<>();
    private final Set<String> surprising = ConcurrentHashMap.newKeySet();
    private final World world;
    private final BlockingQueue<Event> events = new LinkedBlockingQueue<>();
    private final Map<String, DeviceSession> sessions = new HashMap<>();
    private final AtomicBoolean asked = new AtomicBoolean();
    private final List<EventRow> untold = new ArrayList<>();
    private int told;
    private long lapses;
    private boolean rollingBack;
    private boolean over;
    private boolean closed;

    /** What a run works with. */
    record World(Devices devices, Journal journal, PartialRetry partialRetry, Orders orders, Supplier<OrderChecks> orderChecksOf, OrderProgress progress, ClusterMember member,
            OrderMetrics metrics, ScheduledExecutorService timer, Clock clock) {}

    /**
     * @param devicesToChange devices that the order will change, where nothing has been done yet
     * @param told events of this order that are stored already
     */
    TransactionDriver(long order, long epoch, Transaction transaction, PlanRecord plan, Set<String> devicesToChange, World world, int told) {
        this.order = order;
        this.epoch = epoch;
        this.transaction = transaction;
        this.plan = plan;
        this.devicesToChange = devicesToChange;
        this.world = world;
        this.orderChecks = world.orderChecksOf().get();
        this.told = told;
        this.lapses = world.member().lapses();
    }

    /** Cancels the order, once; without effect once it is decided. */
    void cancel(String who) {
        if (!asked.getAndSet(true)) {
            events.add(new Event.CancelRequested(who));
        }
    }

    /** Tells what somebody saw on a device that is in doubt. */
    void resolve(String device, boolean after, String who) {
        events.add(new Event.Resolved(device, after, who));
    }

    @Override
    public void run() {
        try (MDC.MDCCloseable context = MDC.putCloseable("order", Long.toString(order))) {
            drive();
        }
    }

    private void drive() {
        try {
            takeBaseline();
            transaction.start(System.nanoTime()).forEach(this::act);
            while (!over) {
                noteDirection();
                Event event = untold.isEmpty() ? null : events.poll(UNTOLD_FOR_SECONDS, TimeUnit.SECONDS);
                if (event == null) {
                    keepTold();
                    event = events.poll(LONGEST_QUIET_MINUTES, TimeUnit.MINUTES);
                }
                if (event == null) {
                    throw new IllegalStateException("nothing has happened for " + LONGEST_QUIET_MINUTES + " minutes");
                }
                transaction.on(event, System.nanoTime()).forEach(this::act);
            }
        } catch (InterruptedException e) {
            // The service stops; the journal says from where the next one goes on.
            Thread.currentThread().interrupt();
        } catch (RuntimeException | Error e) {
            LOG.error("the order stopped unexpectedly; an instance takes it over", e);
            letGo();
        } finally {
            synchronized (sessions) {
                closed = true;
                sessions.values().forEach(DeviceSession::close);
            }
            world.progress().ended(order);
        }
    }

    /** Shows to whoever looks at the order that it rolls back, or that it was begun anew since. Nothing depends on it. */
    private void noteDirection() {
        boolean now = !transaction.reason().isEmpty();
        if (now == rollingBack) {
            return;
        }
        rollingBack = now;
        try {
            world.orders().rollingBack(order, epoch, now);
            world.progress().state(order, transaction.state().shown(now));
        } catch (DataAccessException | TransactionException e) {
            LOG.warn("cannot store that the order rolls back: {}", e.getMessage());
        }
    }

    /** Gives up the right to drive, so that the order is taken over and does not stand still behind a fault of ours. */
    private void letGo() {
        boolean done = false;
        while (!done) {
            try {
                world.orders().letGo(order, epoch);
                done = true;
            } catch (DataAccessException | TransactionException e) {
                done = !waitForStore();
            }
        }
    }

    /** A session that comes when the run is over already is given back at once. */
    private void keep(String device, DeviceSession session) {
        synchronized (sessions) {
            if (closed) {
                session.close();
            } else {
                Optional.ofNullable(sessions.put(device, session)).ifPresent(DeviceSession::close);
            }
        }
    }

    private void giveBack(String device) {
        synchronized (sessions) {
            Optional.ofNullable(sessions.remove(device)).ifPresent(DeviceSession::close);
        }
    }

    private void act(Action action) {
        boolean leaves = action instanceof Action.Open || action instanceof Action.Send;
        if (over || leaves && !mayStillAct()) {
            return;
        }
        if (action instanceof Action.Open open) {
            // One session with a device at a time: the one before is given back before the next is asked for.
            giveBack(open.device());
            open(open, System.nanoTime() + OWN_DELAY_NANOS);
        } else if (action instanceof Action.Send send) {
            DeviceSession session;
            synchronized (sessions) {
                session = sessions.get(send.device());
            }
            if (session == null) {
                events.add(lost(send, "the session with it has ended"));
                return;
            }
            session.send(send.flight()).whenComplete((answers, broken) -> events.add(broken == null ? new Event.Answered(send.device(), answers)
                    : lost(send, String.valueOf(broken.getMessage()))));
        } else if (action instanceof Action.Write write) {
            write(write);
        } else if (action instanceof Action.RetryWithout regroup) {
            regroup(regroup.blame());
        } else if (action instanceof Action.CloseSession leave) {
            giveBack(leave.device());
        } else if (action instanceof Action.ReadRecord) {
            recall();
        } else if (action instanceof Action.MakeChecks) {
            orderChecks.make(plan).whenComplete((seen, failure) -> {
                if (orderChecks.hasEnded()) {
                    events.add(new Event.Checked(false, "the checks were stopped"));
                } else if (failure == null) {
                    proved(seen);
                } else {
                    events.add(new Event.Checked(false, "the checks could not be made: " + failure.getMessage()));
                }
            });
        } else if (action instanceof Action.EndChecks) {
            orderChecks.end();
        } else if (action instanceof Action.Pause pause) {
            if (!pause.device().isEmpty()) {
                LogContext.about(pause.device(), () -> LOG.info("{} is in doubt; trying again in {} ms", pause.device(), pause.millis()));
            }
            world.timer().schedule(() -> events.add(new Event.Resumed(pause.device())), pause.millis(), TimeUnit.MILLISECONDS);
        } else if (action instanceof Action.Report report) {
            measure(report);
            tell(report.device(), report.phase().name(), report.outcome(), report.text());
        } else if (action instanceof Action.End end) {
            world.metrics().ended(end.state());
            over = true;
        }
    }

    /** @param giveUpAt until when what is not the device's doing is tried again, by {@link System#nanoTime} */
    private void open(Action.Open open, long giveUpAt) {
        world.devices().sessions().open(open.device()).whenComplete((session, failure) -> {
            List<String> missing = failure == null ? transaction.kind(open.device()).missingIn(session.capabilities()) : List.of();
            if (!missing.isEmpty()) {
                session.close();
                events.add(new Event.NotOpened(open.device(), "it does not offer what this order was planned with: "
                        + String.join(", ", missing) + "; check the preview again"));
                world.devices().met(open.device(), session.capabilities());
            } else if (failure == null) {
                keep(open.device(), session);
                events.add(new Event.Opened(open.device(), session.id()));
            } else if (System.nanoTime() - giveUpAt < 0 && failure instanceof Sessions.CannotOpen cannot && cannot.isOurs()) {
                // The device was not even asked: that is no reason to fail the order.
                world.timer().schedule(() -> open(open, giveUpAt), STORE_RETRY_MILLIS, TimeUnit.MILLISECONDS);
            } else {
                events.add(new Event.NotOpened(open.device(), failure.getMessage()));
            }
        });
    }

    private static Event lost(Action.Send send, String why) {
        return new Event.Answered(send.device(), send.flight().stream().<Answer>map(request -> new Answer.Lost(why)).toList());
    }

    /** The devices that held something else than was planned from, as far as this run has seen. */
    Set<String> surprising() {
        return Set.copyOf(surprising);
    }

    /** How long a phase took on a device; what failed is logged. */
    private void measure(Action.Report report) {
        if (report.outcome() == Action.Outcome.FAILED && (report.phase() == Phase.LOCK_AND_READ || report.phase() == Phase.FINAL_READ)) {
            surprising.add(report.device());
        }
        String what = report.phase() + " " + report.device();
        switch (report.outcome()) {
            case STARTED -> begun.put(what, System.nanoTime());
            case OK, FAILED -> Optional.ofNullable(begun.remove(what)).ifPresent(from ->
                    world.metrics().phase(report.phase(), report.outcome() == Action.Outcome.OK, Duration.ofNanos(System.nanoTime() - from)));
            default -> { }
        }
        if (report.outcome() != Action.Outcome.STARTED && report.outcome() != Action.Outcome.OK) {
            LogContext.about(report.device(), () -> LOG.warn("{}: {}: {}", report.phase().words(), report.outcome().name().toLowerCase(Locale.ROOT).replace('_', ' '), report.text()));
        }
    }

    private void tell(String device, String phase, Action.Outcome word, String text) {
        EventRow row = new EventRow(order, ++told, OffsetDateTime.now(world.clock()), device, phase, word.name(), text);
        untold.add(row);
        world.progress().tell(row);
    }

    /** Keeps what happened where no record follows for a while, so that a device in doubt is seen from every instance. Nothing depends on it. */
    private void keepTold() {
        if (untold.isEmpty()) {
            return;
        }
        try {
            world.journal().tell(order, epoch, untold);
            untold.clear();
        } catch (DataAccessException | TransactionException e) {
            LOG.warn("what happened is not kept yet: {}", e.getMessage());
        }
    }

    private void takeBaseline() {
        if (devicesToChange.isEmpty()) {
            return;
        }
        try {
            String baseline = orderChecks.takeBaseline(plan, devicesToChange);
            if (!baseline.isEmpty()) {
                tell("", OrderProgress.BASELINE, Action.Outcome.OK, baseline);
            }
        } catch (CompletionException | DataAccessException | TransactionException e) {
            LOG.warn("the baseline could not be taken: {}", e.getMessage());
        }
    }

    /** Keeps what was seen, tried again until the store takes it, and only then goes on. */
    private void proved(List<Observed> seen) {
        try {
            orderChecks.keep(order, seen);
        } catch (DataAccessException | TransactionException e) {
            LOG.warn("order {}: the results of the checks cannot be stored, trying again: {}", order, e.getMessage());
            world.timer().schedule(() -> proved(seen), STORE_RETRY_MILLIS, TimeUnit.MILLISECONDS);
            return;
        } catch (RuntimeException e) {
            LOG.error("order {}: the results of the checks cannot be kept", order, e);
            events.add(new Event.Checked(false, "the results of the checks cannot be kept: " + e.getMessage()));
            return;
        }
        OrderChecks.Verdict verdict = OrderChecks.verdict(plan, seen);
        failing = verdict.failing();
        checks = verdict.summary();
        world.metrics().checked(seen);
        events.add(new Event.Checked(verdict.passed(), verdict.summary()));
    }

    /** What is true in a state, for whoever follows the order; of the decision, what it rests on. */
    private String description(State state) {
        return state == State.DECIDED ? checks + "; " + state.description() : state.description();
    }

    private void write(Action.Write write) {
        try {
            List<Action.Blame> blames = transaction.blames().stream().filter(blame -> !blame.faults().isEmpty()).toList();
            if (write.state().ended() && !blames.isEmpty()) {
                world.partialRetry().keepFaults(order, epoch, blames);
            }
            // The record's own line is stored with it. One that only names further sessions is the same record still.
            EventRow line = new EventRow(order, told + 1, OffsetDateTime.now(world.clock()), "", OrderProgress.RECORD, write.state().name(), description(write.state()));
            boolean fresh = write.expected() != write.state();
            Afterwards afterwards = write.state() == State.DONE ? world.journal().afterwards(order) : Afterwards.NOTHING;
            boolean stored = world.journal().write(order, epoch, write, fresh ? Stream.concat(untold.stream(), Stream.of(line)).toList() : untold, afterwards);
            if (stored) {
                untold.clear();
                if (fresh) {
                    LOG.info("{} -> {}{}", write.expected().words(), write.state().words(), write.reason().isEmpty() ? "" : ": " + write.reason());
                    told++;
                    world.progress().tell(line);
                }
                world.progress().state(order, write.state().shown(rollingBack));
                events.add(new Event.Written());
            } else {
                overtaken();
            }
        } catch (DataIntegrityViolationException e) {
            if (write.reason().equals(UNSTORABLE) || write.reason().isEmpty() && untold.isEmpty()) {
                LOG.error("the store refuses the record '{}', trying again: {}", write.state().words(), e.getMessage());
                events.add(new Event.RecordUnknown());
            } else {
                // What the order is about matters more than what is said of it: nothing that is only told may keep an order from ending.
                LOG.error("the database refuses the record '{}' ({}); it is stored without its text: {}", write.state().words(), e.getMessage(), write.reason());
                untold.clear();
                write(new Action.Write(write.expected(), write.state(), write.reason().isEmpty() ? "" : UNSTORABLE, write.sessions()));
            }
        } catch (DataAccessException | TransactionException e) {
            LOG.warn("it is not known whether '{}' is stored, looking: {}", write.state().words(), e.getMessage());
            events.add(new Event.RecordUnknown());
        }
    }

    /** Leaves out who is at fault; tried again until the store says what became of it. */
    private void regroup(Action.Blame blame) {
        do {
            try {
                Optional<PlanRecord> left = world.partialRetry().without(order, epoch, plan, blame, failing, transaction.reason());
                left.ifPresent(rest -> plan = rest);
                events.add(left.isPresent() ? new Event.RetryPlanned(world.journal().parts(order)) : new Event.NothingLeft());
                return;
            } catch (PartialRetry.Overtaken e) {
                overtaken();
                return;
            } catch (DataAccessException | TransactionException e) {
                LOG.warn("what is left of the order cannot be stored, trying again: {}", e.getMessage());
            }
        } while (waitForStore());
    }

    private void recall() {
        if (!waitForStore()) {
            return;
        }
        try {
            Optional<State> state = world.journal().state(order, epoch);
            if (state.isPresent()) {
                world.orders().events(order).stream().skip(told).forEach(event -> {
                    // Stored after all, with the record whose answer was lost.
                    told++;
                    untold.clear();
                    world.progress().tell(event);
                });
                world.progress().state(order, state.get().shown(rollingBack));
                events.add(new Event.RecordRead(state.get()));
            } else {
                overtaken();
            }
        } catch (DataAccessException | TransactionException e) {
            events.add(new Event.RecordUnknown());
        }
    }

    private void overtaken() {
        LOG.warn("another instance drives the order now");
        over = true;
        // Without effect where it is so; but where our picture of it was wrong, it must not wait for us.
        letGo();
        events.add(new Event.Overtaken());
    }

    /** Nothing is sent to a device while another instance may have taken over. */
    private boolean mayStillAct() {
        while (!over) {
            long now = world.member().lapses();
            if (world.member().isAlive() && (now == lapses || isStillOurs())) {
                lapses = now;
                return true;
            }
            waitForStore();
        }
        return false;
    }

    private boolean isStillOurs() {
        try {
            if (world.journal().state(order, epoch).isPresent()) {
                return true;
            }
            overtaken();
        } catch (DataAccessException | TransactionException e) {
            LOG.warn("it is not known who drives the order, looking: {}", e.getMessage());
        }
        return false;
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
