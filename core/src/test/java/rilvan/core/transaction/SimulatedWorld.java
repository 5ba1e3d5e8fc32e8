package rilvan.core.transaction;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.Deque;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Request;
import rilvan.core.tree.Node;

/**
 * One order from its first record to its last: devices, a store, and the processes that drive the order, of which one may die
 * or be stopped and wake up later, when another has taken over. A simulated clock; nothing happens by itself.
 */
final class SimulatedWorld {

    static final String TOKEN = "token";
    private static final int MOST_STEPS = 5_000;

    /** What befalls the process that drives the order, or the store, at some action. */
    enum Blow {
        NONE, KILLED_BEFORE, KILLED_AFTER,
        /** Stopped, and woken after another process has taken over. */
        PAUSED,
        /** The store does not say whether it has stored. */
        UNANSWERED_STORED, UNANSWERED_NOT_STORED
    }

    /** How an order is carried out. */
    enum Manner {
        WHOLE, BY_SERVICE, ONE_BY_ONE, REHEARSED
    }

    /** A rule of the protocol that is taken away, to see that it is needed. */
    enum Removal {
        FENCE, EPOCH, ARMED_AFTER_LOCKS, READ_AFTER_FAILED_CONFIRM, REREAD_ON_UNKNOWN
    }

    /** How a history goes. */
    interface Fate {

        /** Which of the actions under way comes to pass next. */
        int next(int underWay);

        Blow at(Action action);

        /** How long an action takes, in nanoseconds. */
        long takes(Action action);

        /** How long nobody drives the order, in nanoseconds. */
        long away();

        /** Whether the checks of the services pass. */
        boolean proves();

        /** Whether a person cancels the order now. */
        boolean cancels();

        /** From now on nothing goes wrong. */
        void calm();
    }

    /** An action under way; a pause and the checks come to pass at their time, any other action at any time. */
    private record UnderWay(Action action, long due) {}

    private final class Driver {
        private final int epoch;
        private final Transaction transaction;
        private final List<UnderWay> waiting = new ArrayList<>();
        private final Map<String, Integer> sessions = new HashMap<>();

        Driver(int epoch, Transaction transaction) {
            this.epoch = epoch;
            this.transaction = transaction;
        }

        private void tell(Event event) {
            trace.add("  " + epoch, event);
            List<Action> actions = transaction.on(event, now);
            actions.stream().filter(Action.Write.class::isInstance).map(Action.Write.class::cast).forEach(write ->
                    transitions.add(new Transition(write.expected(), event.getClass().getSimpleName(), write.state())));
            perform(actions);
        }

        private void perform(List<Action> actions) {
            for (Action action : actions) {
                trace.add("" + epoch, action);
                if (action instanceof Action.Report tell) {
                    told.add(tell);
                } else if (action instanceof Action.CloseSession leave) {
                    Optional.ofNullable(sessions.remove(leave.device())).ifPresent(session -> devices.get(leave.device()).end(session));
                } else if (!(action instanceof Action.End)) {
                    if (manner == Manner.ONE_BY_ONE && commits(action) && waiting.stream().anyMatch(each -> commits(each.action()))) {
                        broken.add("two devices change at a time");
                    }
                    waiting.add(new UnderWay(action, action instanceof Action.Pause pause ? now + pause.millis() * 1_000_000
                            : action instanceof Action.MakeChecks ? now + fate.takes(action) : 0));
                }
            }
        }

        private static boolean commits(Action action) {
            return action instanceof Action.Send send && send.flight().stream().anyMatch(Request.ConfirmedCommit.class::isInstance);
        }

        private void happen(Action action, Blow blow) {
            if (action instanceof Action.Open open) {
                Optional<Integer> session = devices.get(open.device()).open();
                session.ifPresent(id -> sessions.put(open.device(), id));
                tell(session.<Event>map(id -> new Event.Opened(open.device(), Integer.toString(id)))
                        .orElseGet(() -> new Event.NotOpened(open.device(), "simulated")));
            } else if (action instanceof Action.Send send) {
                tell(new Event.Answered(send.device(), answers(send, sessions.get(send.device()))));
            } else if (action instanceof Action.Write write) {
                boolean unanswered = blow == Blow.UNANSWERED_STORED || blow == Blow.UNANSWERED_NOT_STORED;
                boolean mine = blow == Blow.UNANSWERED_NOT_STORED ? mine() : store(epoch, write);
                if (unanswered && !without(Removal.REREAD_ON_UNKNOWN)) {
                    tell(new Event.RecordUnknown());
                } else if (mine) {
                    tell(new Event.Written());
                } else {
                    overtaken();
                }
            } else if (action instanceof Action.ReadRecord) {
                if (blow == Blow.UNANSWERED_STORED || blow == Blow.UNANSWERED_NOT_STORED) {
                    tell(new Event.RecordUnknown());
                } else if (mine()) {
                    tell(new Event.RecordRead(stored));
                } else {
                    overtaken();
                }
            } else if (action instanceof Action.RetryWithout) {
                if (!mine()) {
                    overtaken();
                    return;
                }
                DeviceChange left = parts.get(fate.next(parts.size()));
                parts.remove(left);
                tell(parts.isEmpty() ? new Event.NothingLeft() : new Event.RetryPlanned(List.copyOf(parts)));
                if (parts.isEmpty()) {
                    parts.add(left);
                }
            } else if (action instanceof Action.MakeChecks) {
                tell(new Event.Checked(fate.proves(), "simulated"));
            } else if (action instanceof Action.Pause pause) {
                tell(new Event.Resumed(pause.device()));
            }
        }

        /** What may come to pass next: what has a time when that has come, or when nothing else is left to wait for. */
        private List<UnderWay> possible() {
            List<UnderWay> possible = waiting.stream().filter(each -> each.due() <= now).toList();
            return !possible.isEmpty() ? possible : waiting.stream().min(Comparator.comparingLong(UnderWay::due)).stream().toList();
        }

        private boolean mine() {
            return epoch == storedEpoch || without(Removal.EPOCH);
        }

        private void overtaken() {
            tell(new Event.Overtaken());
            waiting.clear();
            close();
        }

        private void close() {
            sessions.forEach((device, session) -> devices.get(device).end(session));
            sessions.clear();
        }
    }

    private final String name;
    private final Fate fate;
    private final Manner manner;
    private final Optional<Removal> removed;
    private final List<DeviceChange> all = new ArrayList<>();
    private final List<DeviceChange> parts = new ArrayList<>();
    private final Map<String, SimulatedDevice> devices = new LinkedHashMap<>();
    private final Map<String, Node> starts = new HashMap<>();
    private final Map<String, Set<String>> onRecord = new HashMap<>();
    private final List<String> broken = new ArrayList<>();
    private final List<Driver> stopped = new ArrayList<>();
    private final Trace trace = new Trace();
    private final List<Action.Report> told = new ArrayList<>();
    private final Set<State> records = new HashSet<>(Set.of(State.PLANNED));
    /** A record that was asked for: after which one, upon which event. */
    record Transition(State from, String event, State to) {}

    private final Set<Transition> transitions = new HashSet<>();
    private State stored = State.PLANNED;
    private int storedEpoch = 1;
    private Map<String, List<String>> identities = Map.of();
    private String reason = "";
    private Driver driver;
    private long now;

    /**
     * @param name what a failure is named with
     * @param manner by service, it is tried again without what failed, a device at a time
     */
    SimulatedWorld(String name, Fate fate, Optional<Removal> removed, Manner manner) {
        this.name = name;
        this.manner = manner;
        this.fate = fate;
        this.removed = removed;
    }

    SimulatedDevice add(DeviceChange part, Node before, SimulatedDevice.Whim whim, boolean stubborn) {
        SimulatedDevice device = new SimulatedDevice(part, before, whim, broken, stubborn);
        parts.add(part);
        all.add(part);
        starts.put(part.device(), before);
        devices.put(part.device(), device);
        return device;
    }

    List<Action.Report> told() {
        return told;
    }

    Set<State> records() {
        return records;
    }

    Set<Transition> transitions() {
        return transitions;
    }

    State stored() {
        return stored;
    }

    /** Why the order rolls back, as its journal has it. */
    String reason() {
        return reason;
    }

    /** The last that happened. */
    String trace() {
        return "\n" + trace;
    }

    /** Runs the order to its end, judges what is left, and says which end it was. */
    State run() {
        driver = new Driver(1, manner == Manner.REHEARSED ? Transaction.rehearsal(TOKEN, List.copyOf(parts)) : Transaction.of(TOKEN, List.copyOf(parts), manner == Manner.BY_SERVICE, manner == Manner.ONE_BY_ONE));
        driver.perform(driver.transaction.start(now));
        for (int step = 0; !stored.ended(); step++) {
            assertThat(step).as("%s: the order does not end; it is at %s\n%s", name, stored, trace).isLessThan(MOST_STEPS);
            step();
            assertThat(broken).as("%s\n%s", name, trace).isEmpty();
        }
        return judge();
    }

    private void step() {
        List<Driver> awake = Stream.concat(Stream.of(driver), stopped.stream()).filter(each -> !each.waiting.isEmpty()).toList();
        assertThat(awake).as("%s: the order at %s waits for nothing\n%s", name, stored, trace).isNotEmpty();
        Driver acting = awake.get(fate.next(awake.size()));
        List<UnderWay> possible = acting.possible();
        UnderWay chosen = possible.get(fate.next(possible.size()));
        Action action = chosen.action();
        Blow blow = acting == driver ? fate.at(action) : Blow.NONE;
        if (blow == Blow.KILLED_BEFORE || blow == Blow.KILLED_AFTER) {
            die(action, blow == Blow.KILLED_AFTER);
            return;
        }
        if (blow == Blow.PAUSED) {
            stopped.add(driver);
            pass(fate.away());
            takeOver();
            return;
        }
        acting.waiting.remove(chosen);
        pass(chosen.due() == 0 ? fate.takes(action) : Math.max(chosen.due() - now, 0));
        acting.happen(action, blow);
        if (fate.cancels()) {
            driver.tell(new Event.CancelRequested("somebody"));
        }
    }

    private boolean without(Removal rule) {
        return removed.equals(Optional.of(rule));
    }

    private void pass(long nanos) {
        now += nanos;
        devices.values().forEach(device -> device.tick(now));
    }

    /** The process dies; what was on the wire may still arrive or not; its sessions end now or when they are fenced. */
    private void die(Action last, boolean lastArrives) {
        for (UnderWay each : driver.waiting) {
            Action action = each.action();
            boolean arrives = action == last ? lastArrives : fate.next(2) == 0;
            if (arrives && action instanceof Action.Send send) {
                answers(send, driver.sessions.get(send.device()));
            } else if (arrives && action instanceof Action.Write write) {
                store(driver.epoch, write);
            }
        }
        driver.waiting.clear();
        driver.sessions.forEach((device, session) -> devices.get(device).vanish(session));
        pass(fate.away());
        takeOver();
    }

    private void takeOver() {
        if (stored.ended()) {
            return;
        }
        storedEpoch++;
        driver = new Driver(storedEpoch, Transaction.resume(TOKEN, List.copyOf(parts), stored, identities, manner == Manner.REHEARSED));
        driver.perform(driver.transaction.start(now));
    }

    private boolean store(int epoch, Action.Write write) {
        boolean mine = epoch == storedEpoch || without(Removal.EPOCH);
        if (!mine || stored != write.expected()) {
            return false;
        }
        stored = write.state();
        records.add(stored);
        reason = write.reason();
        identities = write.sessions();
        identities.forEach((device, ids) -> onRecord.computeIfAbsent(device, each -> new HashSet<>()).addAll(ids));
        if (stored == State.PREPARED) {
            devices.values().forEach(device -> device.prepared(true));
        } else if (stored == State.CONNECTED) {
            devices.values().forEach(device -> device.prepared(false));
        }
        if (stored == State.DECIDED) {
            devices.values().forEach(SimulatedDevice::decided);
        }
        if (stored == State.DECIDED && write.expected() == State.PREPARED) {
            parts.forEach(part -> assertThat(devices.get(part.device()).wasReadAsAfter())
                    .as("%s: decided without having read %s as after\n%s", name, part.device(), trace).isTrue());
        }
        return true;
    }

    /** What a device answers; and, where a rule is taken away, what the order believes it answered. */
    private List<Answer> answers(Action.Send send, int session) {
        SimulatedDevice device = devices.get(send.device());
        List<Request> flight = send.flight();
        for (Request request : flight) {
            if (request instanceof Request.EndSession end) {
                assertThat(onRecord.getOrDefault(send.device(), Set.of())).as("%s: ends a session that is not in the journal", name)
                        .contains(end.sessionId());
            }
        }
        DeviceChange part = all.stream().filter(each -> each.device().equals(send.device())).findFirst().orElseThrow();
        if (without(Removal.ARMED_AFTER_LOCKS) && flight.get(0) instanceof Request.Lock && stored == State.CONNECTED) {
            String before = part.codec().encode(starts.get(send.device()));
            return flight.stream().<Answer>map(request -> request instanceof Request.Read ? new Answer.Data(before) : new Answer.Done()).toList();
        }
        if (without(Removal.FENCE)) {
            List<Request> rest = flight.stream().filter(request -> !(request instanceof Request.EndSession)).toList();
            List<Answer> answers = new ArrayList<>(device.answer(session, rest, now));
            for (int i = 0; i < flight.size(); i++) {
                if (flight.get(i) instanceof Request.EndSession) {
                    answers.add(i, new Answer.Done());
                }
            }
            return answers;
        }
        List<Answer> answers = device.answer(session, flight, now);
        int confirm = flight.indexOf(new Request.Confirm(TOKEN));
        if (without(Removal.READ_AFTER_FAILED_CONFIRM) && confirm >= 0 && answers.get(confirm) instanceof Answer.Refused) {
            String after = part.codec().encode(part.difference().applyTo(starts.get(send.device())));
            return flight.stream().<Answer>map(request -> request instanceof Request.Read ? new Answer.Data(after) : new Answer.Done()).toList();
        }
        return answers;
    }

    private State judge() {
        fate.calm();
        driver.close();
        // Whoever was stopped wakes up now at the latest, when the order is over.
        for (Driver each : stopped) {
            for (int step = 0; !each.waiting.isEmpty(); step++) {
                assertThat(step).as("%s: who was overtaken goes on for ever", name).isLessThan(MOST_STEPS);
                each.happen(each.waiting.remove(0).action(), Blow.NONE);
            }
            each.close();
        }
        assertThat(broken).as("%s", name).isEmpty();
        // Whatever timer there may be runs out now: what was promised must hold all the same.
        devices.values().forEach(SimulatedDevice::leaveAlone);
        pass(3_600_000_000_000L);
        for (DeviceChange part : all) {
            SimulatedDevice device = devices.get(part.device());
            Node expected = stored == State.DONE && parts.contains(part) ? part.difference().applyTo(starts.get(part.device())) : starts.get(part.device());
            assertThat(device.running()).as("%s: %s, %s\n%s", name, stored, part.device(), trace)
                    .isEqualTo(device.withHandiwork(expected));
            // A rehearsal lets go of a device that was lost and cannot be reached again: what the lost session has there goes with it.
            boolean letGo = manner == Manner.REHEARSED && told.stream().anyMatch(each -> each.device().equals(part.device()) && each.phase() == Phase.CONNECT && each.outcome() == Action.Outcome.FAILED);
            assertThat(letGo ? "" : device.remains(onRecord.getOrDefault(part.device(), Set.of())))
                    .as("%s: what %s leaves on %s\n%s", name, stored, part.device(), trace).isEmpty();
        }
        return stored;
    }

    /** The last that happened, put into words only where somebody has to read it. */
    private static final class Trace {
        private final Deque<Map.Entry<String, Object>> last = new ArrayDeque<>();

        void add(String who, Object what) {
            last.addLast(Map.entry(who, what));
            if (last.size() > 40) {
                last.removeFirst();
            }
        }

        @Override
        public String toString() {
            return last.stream().map(each -> each.getKey() + ": " + each.getValue())
                    .map(line -> line.length() > 300 ? line.substring(0, 300) + "…" : line).collect(Collectors.joining("\n"));
        }
    }
}
