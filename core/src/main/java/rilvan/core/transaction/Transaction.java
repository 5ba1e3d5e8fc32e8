package rilvan.core.transaction;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.Collectors;
import rilvan.core.dialect.MalformedConfiguration;
import rilvan.core.environment.Answer.Data;
import rilvan.core.environment.Answer.Done;
import rilvan.core.environment.Answer.Lost;
import rilvan.core.environment.Answer.Refused;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Request.Cancel;
import rilvan.core.environment.Request.Change;
import rilvan.core.environment.Request.Commit;
import rilvan.core.environment.Request.Confirm;
import rilvan.core.environment.Request.ConfirmedCommit;
import rilvan.core.environment.Request.Datastore;
import rilvan.core.environment.Request.Discard;
import rilvan.core.environment.Request.Edit;
import rilvan.core.environment.Request.EndSession;
import rilvan.core.environment.Request.Extend;
import rilvan.core.environment.Request.Lock;
import rilvan.core.environment.Request.Read;
import rilvan.core.environment.Request.Save;
import rilvan.core.environment.Request.Unlock;
import rilvan.core.environment.Request.Validate;
import rilvan.core.environment.Request;
import rilvan.core.network.DeviceKind;
import rilvan.core.transaction.Action.Outcome;
import rilvan.core.transaction.DeviceChange.Comparison;
import rilvan.core.tree.Node;

/**
 * One order over devices of any kind.
 *
 * <p>The way forward goes through phases side by side on all devices, each ended by a barrier: open → CONNECTED → lock and look →
 * edit and validate → PREPARED → commit provisionally → change → prove → read once more → DECIDED → confirm → DONE. A capital
 * word is a journal record that is on disk before the next message leaves.
 *
 * <p>Devices that can commit provisionally (RFC 6241 §8.4, confirmed commit 1.1) do so first, side by side. Those that cannot
 * change after them, one by one, the weakest last; they are saved once the order is decided, never before.
 *
 * <p>What goes wrong before DECIDED leads back, each device by itself. Before PREPARED no device has changed: lost sessions are
 * ended, locks let go. After PREPARED the commit is given back, the device read, and undone from what was read if need be. After
 * DECIDED each device by itself is brought to "after", again and again; only a device that refuses its change for good turns
 * the order (ROLLING_BACK), and then everything goes back.
 *
 * <p>Where each service of an order stands by itself, an attempt that failed goes back whole, and what is left without the
 * services at fault is tried again, in the same sessions, from CONNECTED on.
 *
 * <p>Invariants, each asserted by the simulation:
 * <ul>
 *   <li>no request that changes a device leaves before PREPARED is written, edits of a locked candidate excepted;
 *   <li>nothing is discarded or edited in a candidate whose lock this order does not hold, but for sessions it has fenced;
 *   <li>DECIDED is written only when every device was read as "after" since its last change;
 *   <li>only reading proves a state: an error, an "ok", a timer that ran out prove nothing;
 *   <li>nothing is sent after the right to drive the order has passed on.
 * </ul>
 *
 * <p>Pure and deterministic: no clock, no thread, no I/O. Not safe for use by several threads.
 */
public final class Transaction {

    /** Seconds that must be left of every confirm timer when the decision is written, for all confirms to arrive in. */
    static final int CONFIRM_MARGIN_SECONDS = 5;

    private static final long FIRST_PAUSE_MILLIS = 250;
    private static final long LONGEST_PAUSE_MILLIS = 30_000;

    private enum Direction {
        FORWARD, BACK, ONWARD, OVER
    }

    /** How far one device is on its own way to before or after. */
    private enum Stage {
        COMPARING, READING, LOCKING, CHANGING
    }

    /** One device's place in the order. */
    private static final class Participant {
        private final DeviceChange part;
        private Phase phase = Phase.CONNECT;
        private Stage stage = Stage.READING;
        private List<Request> flight = List.of();
        private boolean connected;
        private boolean holdsRunning;
        private boolean holdsCandidate;
        private boolean waiting;
        private boolean reached;
        private boolean settled;
        private boolean inDoubt;
        private boolean changed;
        private boolean saved;
        private Optional<String> session = Optional.empty();
        private Set<String> onRecord = Set.of();
        private final Set<String> unfenced = new LinkedHashSet<>();
        /** When its confirm timer runs out at the earliest, counted from before it was started: a confirmation before that is in time. */
        private long confirmBy;
        /** When that timer runs out at the latest, counted from when nothing that starts it can reach the device any more. */
        private long overBy;
        private long pause = FIRST_PAUSE_MILLIS;
        private final Read look;
        private String lastText = "";
        private Node lastTree = Node.EMPTY;

        private Participant(DeviceChange part) {
            this.part = part;
            this.look = new Read(Datastore.RUNNING, part.filter());
        }

        /** Reads what a device sent; most readings say what the last one said. */
        private Node decode(String text) {
            if (!text.equals(lastText)) {
                lastTree = part.codec().decode(text);
                lastText = text;
            }
            return lastTree;
        }

        private boolean revocable() {
            return part.kind() == DeviceKind.CONFIRMED_COMMIT;
        }

        private boolean hasCandidate() {
            return part.kind().hasCandidate();
        }
    }

    private final String token;
    private final boolean each;
    private final Map<String, Participant> participants = new LinkedHashMap<>();
    private final List<Action> actions = new ArrayList<>();
    private State written;
    private Direction direction = Direction.FORWARD;
    private Phase phase = Phase.CONNECT;
    private Optional<State> writing = Optional.empty();
    private String reason = "";
    private boolean proving;
    private boolean extended;
    /** Whether an event is under way that comes back to extend the confirm timers. */
    private boolean waking;
    private boolean retrying;
    private Optional<Action.Blame> blame = Optional.empty();
    private Optional<String> cancelledBy = Optional.empty();
    private long now;

    private Transaction(String token, List<DeviceChange> parts, State written, boolean each) {
        this.token = token;
        this.each = each;
        this.written = written;
        parts.forEach(part -> participants.put(part.device(), new Participant(part)));
    }

    /**
     * A transaction whose OPEN record is written and of which nothing else has happened.
     *
     * @param each whether it is tried again without the services at fault
     */
    public static Transaction of(String token, List<DeviceChange> parts, boolean each) {
        return new Transaction(token, parts, State.PLANNED, each);
    }

    /**
     * Takes over a transaction from its journal.
     *
     * @param sessions identities of the sessions that may still be open on each device, from the last record; they are ended
     *     before anything else
     */
    public static Transaction resume(String token, List<DeviceChange> parts, State written, Map<String, List<String>> sessions) {
        Transaction transaction = new Transaction(token, parts, written, false);
        transaction.participants.forEach((device, participant) -> participant.unfenced.addAll(sessions.getOrDefault(device, List.of())));
        transaction.direction = written == State.DECIDED ? Direction.ONWARD : Direction.BACK;
        transaction.reason = "Rilvan was interrupted";
        return transaction;
    }

    /** How a device of this order is handled. */
    public DeviceKind kind(String device) {
        return participant(device).part.kind();
    }

    /** The last record that is known to be stored. */
    public State state() {
        return written;
    }

    /** Why the order rolls back, once it does; empty before. */
    public String reason() {
        return reason;
    }

    /** Who may be at fault for that; absent where nobody of the order is, or it does not go back. */
    public Optional<Action.Blame> blame() {
        return blame;
    }

    /** The first actions. */
    public List<Action> start(long nowNanos) {
        now = nowNanos;
        if (direction == Direction.FORWARD) {
            participants.values().forEach(this::open);
            passBarrier();
        } else if (written == State.PLANNED) {
            write(State.ROLLED_BACK);
        } else {
            // Whoever drove the order before may have started timers until now.
            participants.values().forEach(participant -> participant.overBy = timer(participant));
            participants.values().forEach(this::open);
            endWhenSettled();
        }
        return drain();
    }

    /**
     * What to do about something that happened.
     *
     * @param nowNanos a monotonic clock, the same for all calls
     */
    public List<Action> on(Event event, long nowNanos) {
        now = nowNanos;
        if (direction == Direction.OVER) {
            return List.of();
        }
        if (event instanceof Event.Opened opened) {
            opened(participant(opened.device()), opened.sessionId());
        } else if (event instanceof Event.NotOpened failed) {
            notOpened(participant(failed.device()), failed.reason());
        } else if (event instanceof Event.Answered answered) {
            Participant participant = participant(answered.device());
            participant.waiting = false;
            answered(participant, answered.answers());
        } else if (event instanceof Event.Written) {
            written();
        } else if (event instanceof Event.RecordUnknown) {
            actions.add(new Action.ReadRecord());
        } else if (event instanceof Event.RecordRead recalled) {
            recalled(recalled.state());
        } else if (event instanceof Event.Overtaken) {
            direction = Direction.OVER;
            actions.clear();
        } else if (event instanceof Event.Checked proved) {
            proved(proved);
        } else if (event instanceof Event.Resumed resumed) {
            if (resumed.device().isEmpty()) {
                extend();
            } else {
                retry(participant(resumed.device()));
            }
        } else if (event instanceof Event.Resolved seen) {
            seen(participant(seen.device()), seen);
        } else if (event instanceof Event.RetryPlanned retry_planned) {
            retry_planned(retry_planned.parts());
        } else if (event instanceof Event.NothingLeft) {
            retrying = false;
            write(State.ROLLED_BACK);
        } else if (event instanceof Event.CancelRequested cancel && !writing.equals(Optional.of(State.DECIDED))) {
            cancelledBy = Optional.of(cancel.who());
            fail("cancelled by " + cancel.who(), Optional.empty());
        }
        return drain();
    }

    private List<Action> drain() {
        List<Action> drained = List.copyOf(actions);
        actions.clear();
        return drained;
    }

    private Participant participant(String device) {
        return participants.get(device);
    }

    // ---- the way forward -------------------------------------------------------------------------------------------

    private void answered(Participant participant, List<Answer> answers) {
        note(participant, answers);
        switch (direction) {
            case FORWARD -> forward(participant, answers);
            case BACK -> settleBack(participant, answers);
            case ONWARD -> settleForward(participant, answers);
            default -> throw new IllegalStateException("over");
        }
    }

    /** What answers say about the session and the locks, whatever the course. */
    private void note(Participant participant, List<Answer> answers) {
        for (int i = 0; i < answers.size(); i++) {
            if (participant.flight.get(i) instanceof Lock lock && answers.get(i) instanceof Done) {
                hold(participant, lock.datastore(), true);
            } else if (participant.flight.get(i) instanceof Unlock unlock) {
                hold(participant, unlock.datastore(), false);
            } else if (participant.flight.get(i) instanceof EndSession end && gone(answers.get(i))) {
                participant.unfenced.remove(end.sessionId());
                // What the session had sent may have been done until now.
                participant.overBy = timer(participant);
            } else if (participant.flight.get(i) instanceof ConfirmedCommit || participant.flight.get(i) instanceof Extend) {
                participant.overBy = timer(participant);
            }
            if (answers.get(i) instanceof Done done && !done.warnings().isEmpty()) {
                tell(participant, Outcome.WARNING, done.warnings().stream().map(Answer.Fault::toString).collect(Collectors.joining("; ")));
            }
        }
        if (answers.stream().anyMatch(Lost.class::isInstance)) {
            // The device drops a session's locks and its locked candidate with the session (RFC 6241 §7.5, §8.3.5.2).
            participant.connected = false;
            participant.holdsRunning = false;
            participant.holdsCandidate = false;
            participant.session.ifPresent(participant.unfenced::add);
        }
    }

    /** Whether a session that was to be ended is gone: ended now, or not known any more (RFC 6241 §7.9). */
    private static boolean gone(Answer answer) {
        return answer instanceof Done || answer instanceof Refused refused
                && refused.faults().stream().allMatch(fault -> fault.tag().equals("invalid-value"));
    }

    private static void hold(Participant participant, Datastore datastore, boolean holds) {
        if (datastore == Datastore.RUNNING) {
            participant.holdsRunning = holds;
        } else {
            participant.holdsCandidate = holds;
        }
    }

    private void forward(Participant participant, List<Answer> answers) {
        Optional<Obstacle> trouble = trouble(participant, answers);
        if (trouble.isPresent()) {
            tell(participant, Outcome.FAILED, trouble.get().why());
            fail(participant.part.device() + " " + trouble.get().what() + (trouble.get().why().isEmpty() ? "" : ": " + trouble.get().why()),
                    blame(participant, answers));
            return;
        }
        if (participant.phase != Phase.EXTEND) {
            tell(participant, Outcome.OK, "");
        }
        passBarrier();
    }

    /** What a device did that keeps the order from going forward, and why as far as it says so. */
    private record Obstacle(String what, String why) {}

    private Optional<Obstacle> trouble(Participant participant, List<Answer> answers) {
        for (Answer answer : answers) {
            if (answer instanceof Refused refused) {
                return Optional.of(new Obstacle("refused the " + participant.phase.words(), refused.message()));
            }
            if (answer instanceof Lost lost) {
                return Optional.of(new Obstacle("was lost during " + participant.phase.words(), lost.reason()));
            }
        }
        boolean changed = participant.phase == Phase.CONFIRMED_COMMIT || participant.phase == Phase.CHANGE || participant.phase == Phase.FINAL_READ;
        if (!changed && participant.phase != Phase.LOCK_AND_READ) {
            return Optional.empty();
        }
        if (!changed && !participant.hasCandidate() && texts(answers).stream().distinct().count() != 1) {
            return Optional.of(new Obstacle("has unsaved changes", "saving this order would save them too; save or undo them first"));
        }
        Comparison reading = read(participant, answers);
        if (changed ? reading instanceof Comparison.After : reading instanceof Comparison.Before) {
            return Optional.empty();
        }
        if (!changed) {
            return Optional.of(new Obstacle("differs from what Rilvan expects" + at(reading),
                    "it was changed outside Rilvan; read the device, then check the preview"));
        }
        return Optional.of(new Obstacle("differs from what was committed" + at(reading), ""));
    }

    private static String at(Comparison reading) {
        return reading instanceof Comparison.Foreign foreign ? " at " + foreign.at() : "";
    }

    /** Goes on when every device has answered the current phase. */
    private void passBarrier() {
        if (participants.values().stream().anyMatch(participant -> participant.waiting) || proving || writing.isPresent()) {
            return;
        }
        switch (phase) {
            case CONNECT -> write(State.CONNECTED);
            case LOCK_AND_READ -> all(Phase.EDIT_AND_VALIDATE, participant -> participant.hasCandidate() ? prepare(participant, participant.part.edit()) : List.of());
            case EDIT_AND_VALIDATE -> write(State.PREPARED);
            case CONFIRMED_COMMIT, CHANGE -> {
                phase = Phase.CHANGE;
                changeNext();
            }
            case CHECKS -> all(Phase.FINAL_READ, participant -> List.of(participant.look));
            case FINAL_READ -> decide();
            default -> throw new IllegalStateException("no barrier after " + phase);
        }
    }

    /** The next device that cannot take its change back by itself; when all have changed, the proof. */
    private void changeNext() {
        Optional<Participant> next = participants.values().stream().filter(participant -> !participant.revocable() && !participant.changed)
                .min(Comparator.comparing(participant -> participant.part.kind()));
        if (next.isPresent()) {
            next.get().changed = true;
            begin(next.get(), Phase.CHANGE, List.of(next.get().hasCandidate() ? new Commit() : new Change(next.get().part.edit()), next.get().look));
            return;
        }
        phase = Phase.CHECKS;
        proving = true;
        actions.add(new Action.Report("", Phase.CHECKS, Outcome.STARTED, ""));
        actions.add(new Action.MakeChecks());
    }

    /** Comes back when the shortest confirm timer has half run out. */
    private void wakeToExtend() {
        if (!waking) {
            participants.values().stream().filter(Participant::revocable).mapToLong(participant -> (participant.confirmBy - now) / 2_000_000).min().ifPresent(millis -> {
                waking = true;
                actions.add(new Action.Pause("", Math.max(millis, 0)));
            });
        }
    }

    /** While others still commit or change, and while the proof goes on, every device that waits for a confirmation waits longer. */
    private void extend() {
        waking = false;
        if (direction != Direction.FORWARD || phase != Phase.CONFIRMED_COMMIT && phase != Phase.CHANGE && !proving) {
            return;
        }
        for (Participant participant : participants.values()) {
            if (participant.revocable() && !participant.waiting) {
                participant.phase = Phase.EXTEND;
                send(participant, List.of(longer(participant)));
            }
        }
        wakeToExtend();
    }

    private Extend longer(Participant participant) {
        participant.confirmBy = timer(participant);
        return new Extend(token, participant.part.confirmSeconds());
    }

    private void decide() {
        long latest = now + CONFIRM_MARGIN_SECONDS * 1_000_000_000L;
        Optional<Participant> late = participants.values().stream().filter(participant -> participant.revocable() && participant.confirmBy - latest < 0).findFirst();
        if (late.isPresent() && !extended) {
            extended = true;
            all(Phase.FINAL_READ, participant -> participant.revocable() ? List.of(longer(participant), participant.look) : List.of(participant.look));
        } else if (late.isPresent()) {
            fail("the checks took too long: " + late.get().part.device() + " was about to roll back by itself", Optional.empty());
        } else {
            write(State.DECIDED);
        }
    }

    private void proved(Event.Checked proved) {
        proving = false;
        actions.add(new Action.Report("", Phase.CHECKS, proved.holds() ? Outcome.OK : Outcome.FAILED, proved.summary()));
        if (direction != Direction.FORWARD) {
            endWhenSettled();
            return;
        }
        if (proved.holds()) {
            passBarrier();
        } else {
            fail(proved.summary(), Optional.of(new Action.Blame(Optional.empty(), List.of())));
        }
    }

    /** Starts a phase on all devices that have something to do in it. */
    private void all(Phase next, Function<Participant, List<Request>> flight) {
        phase = next;
        boolean idle = true;
        for (Participant participant : participants.values()) {
            List<Request> requests = flight.apply(participant);
            if (!requests.isEmpty()) {
                begin(participant, next, requests);
                idle = false;
            }
        }
        if (idle) {
            passBarrier();
        }
    }

    private void begin(Participant participant, Phase next, List<Request> flight) {
        participant.phase = next;
        tell(participant, Outcome.STARTED, "");
        send(participant, flight);
    }

    private void send(Participant participant, List<Request> flight) {
        participant.waiting = true;
        participant.flight = List.copyOf(flight);
        actions.add(new Action.Send(participant.part.device(), participant.flight));
    }

    private void open(Participant participant) {
        participant.phase = Phase.CONNECT;
        participant.waiting = true;
        tell(participant, Outcome.STARTED, "");
        actions.add(new Action.Open(participant.part.device()));
    }

    private void opened(Participant participant, String sessionId) {
        participant.waiting = false;
        participant.connected = true;
        participant.session = Optional.of(sessionId);
        tell(participant, Outcome.OK, "");
        switch (direction) {
            case FORWARD -> passBarrier();
            default -> settle(participant);
        }
    }

    private void notOpened(Participant participant, String why) {
        participant.waiting = false;
        switch (direction) {
            case FORWARD -> {
                tell(participant, Outcome.FAILED, why);
                fail(participant.part.device() + " cannot be reached: " + why, blame(participant, List.of()));
            }
            default -> {
                if (written == State.PLANNED) {
                    settle(participant);
                } else {
                    doubt(participant, "cannot be reached: " + why);
                }
            }
        }
    }

    // ---- records ---------------------------------------------------------------------------------------------------

    private void write(State state) {
        if (writing.isPresent()) {
            return;
        }
        writing = Optional.of(state);
        Map<String, List<String>> sessions = new LinkedHashMap<>();
        participants.forEach((device, participant) -> {
            Set<String> open = new LinkedHashSet<>(participant.unfenced);
            participant.session.ifPresent(open::add);
            participant.onRecord = open;
            sessions.put(device, List.copyOf(open));
        });
        actions.add(new Action.Write(written, state, reason, sessions));
    }

    /** What the journal says after a record's answer was lost: unknown is not no. */
    private void recalled(State found) {
        State wanted = writing.orElseThrow();
        if (found == wanted && wanted != written) {
            written();
        } else if (found == written) {
            // Not stored, or stored once more with the same content: either way it may be written again.
            writing = Optional.empty();
            write(wanted);
        } else {
            direction = Direction.OVER;
        }
    }

    private void written() {
        State before = written;
        written = writing.orElseThrow();
        writing = Optional.empty();
        if (written.ended()) {
            direction = Direction.OVER;
            actions.add(new Action.End(written));
            return;
        }
        if (before == State.DECIDED && written == State.ROLLING_BACK) {
            direction = Direction.BACK;
            participants.values().forEach(participant -> {
                participant.reached = false;
                participant.settled = false;
                participant.saved = false;
            });
        }
        if (direction == Direction.BACK || direction == Direction.ONWARD) {
            participants.values().forEach(this::settle);
            endWhenSettled();
            return;
        }
        switch (written) {
            case CONNECTED -> all(Phase.LOCK_AND_READ, participant -> switch (participant.part.kind()) {
                case CONFIRMED_COMMIT, CANDIDATE -> List.of(new Lock(Datastore.RUNNING), new Lock(Datastore.CANDIDATE), participant.look);
                // What is saved later is all that runs: it is compared whole with what was saved before.
                case RUNNING_ONLY -> List.of(new Lock(Datastore.RUNNING), new Read(Datastore.RUNNING, ""), new Read(Datastore.STARTUP, ""));
                case COMMAND_LINE -> List.of(new Read(Datastore.RUNNING, ""), new Read(Datastore.STARTUP, ""));
            });
            case PREPARED -> {
                participants.values().forEach(participant -> participant.confirmBy = timer(participant));
                all(Phase.CONFIRMED_COMMIT, participant -> participant.revocable()
                        ? List.of(new ConfirmedCommit(token, participant.part.confirmSeconds()), participant.look) : List.of());
                wakeToExtend();
            }
            case DECIDED -> {
                direction = Direction.ONWARD;
                for (Participant participant : participants.values()) {
                    switch (participant.part.kind()) {
                        case CONFIRMED_COMMIT -> begin(participant, Phase.CONFIRM,
                                List.of(new Confirm(token), new Unlock(Datastore.CANDIDATE), new Unlock(Datastore.RUNNING)));
                        case CANDIDATE -> settled(participant);
                        case RUNNING_ONLY, COMMAND_LINE -> save(participant);
                    }
                }
                endWhenSettled();
            }
            default -> throw new IllegalStateException("nothing goes forward from " + written);
        }
    }

    // ---- the way back ----------------------------------------------------------------------------------------------

    /** Who may be at fault for what a device did: where it names nodes, whoever wants those there. */
    private static Optional<Action.Blame> blame(Participant participant, List<Answer> answers) {
        List<String> paths = answers.stream().filter(Refused.class::isInstance).flatMap(answer -> ((Refused) answer).faults().stream())
                .map(Answer.Fault::path).filter(path -> !path.isEmpty()).toList();
        return Optional.of(new Action.Blame(Optional.of(participant.part.device()), paths));
    }

    /** What is left of the order is tried again from CONNECTED on, in the sessions that are open. */
    private void retry_planned(List<DeviceChange> parts) {
        Map<String, Participant> before = Map.copyOf(participants);
        participants.clear();
        for (DeviceChange part : parts) {
            Participant participant = new Participant(part);
            Optional.ofNullable(before.get(part.device())).filter(old -> old.connected).ifPresent(old -> {
                participant.connected = true;
                participant.session = old.session;
                participant.onRecord = old.onRecord;
            });
            participants.put(part.device(), participant);
        }
        before.keySet().stream().filter(device -> !participants.containsKey(device)).sorted().forEach(device -> actions.add(new Action.CloseSession(device)));
        retrying = false;
        extended = false;
        reason = "";
        blame = Optional.empty();
        direction = Direction.FORWARD;
        phase = Phase.CONNECT;
        if (cancelledBy.isPresent()) {
            fail("cancelled by " + cancelledBy.get(), Optional.empty());
            return;
        }
        participants.values().stream().filter(participant -> !participant.connected).forEach(this::open);
        passBarrier();
    }

    private void fail(String why, Optional<Action.Blame> whose) {
        if (direction != Direction.FORWARD) {
            return;
        }
        reason = why;
        blame = whose;
        direction = Direction.BACK;
        if (proving) {
            actions.add(new Action.EndChecks());
        }
        if (writing.isEmpty()) {
            participants.values().forEach(this::settle);
            endWhenSettled();
        }
        // Otherwise the record under way decides what may be sent; its answer goes on from here.
    }

    /** Starts, or starts again, what brings one device to where the order leads: before, or after. */
    private void settle(Participant participant) {
        if (participant.settled || participant.waiting) {
            return;
        }
        boolean onlySessions = participant.reached || written == State.CONNECTED || written == State.PLANNED;
        if (onlySessions && participant.unfenced.isEmpty()) {
            settled(participant);
            return;
        }
        if (!participant.connected) {
            open(participant);
            return;
        }
        if (!participant.onRecord.contains(participant.session.orElseThrow())) {
            // Whoever might have to fence this session must find it in the journal before it changes anything.
            write(written);
            return;
        }
        List<Request> flight = new ArrayList<>();
        participant.unfenced.forEach(old -> flight.add(new EndSession(old)));
        participant.stage = Stage.READING;
        if (onlySessions) {
            begin(participant, Phase.RELEASE, flight);
            return;
        }
        if (!participant.revocable()) {
            if (participant.holdsCandidate && direction == Direction.BACK) {
                flight.add(new Discard());
            }
            flight.add(participant.look);
            begin(participant, direction == Direction.ONWARD ? Phase.REAPPLY : Phase.ROLL_BACK, flight);
            return;
        }
        if (direction == Direction.ONWARD) {
            // A confirm commits the whole candidate, and without our lock somebody's edits may be in it: look first.
            participant.stage = Stage.COMPARING;
            flight.add(new Read(Datastore.CANDIDATE, ""));
            flight.add(new Read(Datastore.RUNNING, ""));
            begin(participant, Phase.CONFIRM, flight);
            return;
        }
        // Some agents say ok to a cancel but keep the change while our own session locks running: let running go first.
        if (participant.holdsRunning) {
            flight.add(new Unlock(Datastore.RUNNING));
        }
        flight.add(new Cancel(token));
        if (participant.holdsCandidate) {
            flight.add(new Discard());
        }
        flight.add(participant.look);
        begin(participant, Phase.ROLL_BACK, flight);
    }

    private void settleBack(Participant participant, List<Answer> answers) {
        if (unfenced(participant)) {
            return;
        }
        switch (participant.phase) {
            case RELEASE -> released(participant);
            case ROLL_BACK -> towards(participant, answers, false);
            case CONFIRM -> saved(participant, answers, false);
            default -> settle(participant);
        }
    }

    private void settleForward(Participant participant, List<Answer> answers) {
        if (unfenced(participant)) {
            return;
        }
        switch (participant.phase) {
            case RELEASE -> released(participant);
            case REAPPLY -> towards(participant, answers, true);
            case CONFIRM -> {
                if (!participant.revocable()) {
                    saved(participant, answers, true);
                } else if (participant.stage == Stage.COMPARING) {
                    compared(participant, answers);
                } else {
                    confirmed(participant, answers);
                }
            }
            default -> settle(participant);
        }
    }

    /** Confirms where the candidate holds nobody's edits; otherwise waits, until the device has gone back and can be locked. */
    private void compared(Participant participant, List<Answer> answers) {
        List<String> both = texts(answers);
        if (!participant.connected) {
            settle(participant);
        } else if (both.size() == 2 && both.get(0).equals(both.get(1))) {
            participant.stage = Stage.READING;
            send(participant, List.of(new Confirm(token), participant.look));
        } else if (both.size() == 2 && now - participant.overBy >= 0) {
            participant.stage = Stage.READING;
            towards(participant, answers, true);
        } else {
            doubt(participant, both.size() == 2 ? "has edits of another session in its candidate, which a confirmation would commit"
                    : "could not be read: " + refusal(answers));
        }
    }

    /** Nothing is judged while a lost session may still act: fence first. */
    private boolean unfenced(Participant participant) {
        boolean unfenced = participant.connected && !participant.unfenced.isEmpty();
        if (unfenced) {
            doubt(participant, "did not end the lost session " + participant.unfenced);
        }
        return unfenced;
    }

    /** Saves what runs, and looks whether that is what was saved. */
    private void save(Participant participant) {
        begin(participant, Phase.CONFIRM, List.of(new Save(), new Read(Datastore.STARTUP, participant.look.filter())));
    }

    private void saved(Participant participant, List<Answer> answers, boolean after) {
        if (!participant.flight.contains(new Save())) {
            // The order turned while this device was still on its way forward.
            settle(participant);
            return;
        }
        Comparison reading = answers.get(1) instanceof Data ? read(participant, answers) : new Comparison.PartWay();
        if (after ? reading instanceof Comparison.After : reading instanceof Comparison.Before) {
            participant.saved = true;
            tell(participant, Outcome.OK, "");
            settled(participant);
        } else if (!participant.connected || !after && reading instanceof Comparison.After) {
            settle(participant);
        } else {
            doubt(participant, "did not save its configuration: " + refusal(answers));
        }
    }

    /** A confirm that fails may be done already, or too late, or may never have been: only reading tells. */
    private void confirmed(Participant participant, List<Answer> answers) {
        boolean ok = answers.get(participant.flight.indexOf(new Confirm(token))) instanceof Done;
        boolean read = participant.flight.get(participant.flight.size() - 1) instanceof Read;
        if (ok && (!read || read(participant, answers) instanceof Comparison.After)) {
            tell(participant, Outcome.OK, "");
            settled(participant);
        } else if (!participant.connected || !read) {
            settle(participant);
        } else if (read(participant, answers) instanceof Comparison.After && now - participant.overBy < 0) {
            // It holds the change, but whether for good shows only once the timer has run out.
            doubt(participant, "holds the change, but did not confirm it: " + refusal(answers));
        } else {
            towards(participant, answers, true);
        }
    }

    /** Judges what was read and brings a device one stage nearer to before or after: read, lock and look, change and look. */
    private void towards(Participant participant, List<Answer> answers, boolean after) {
        if (!participant.connected) {
            settle(participant);
            return;
        }
        Optional<Data> data = lastData(answers);
        if (data.isEmpty()) {
            doubt(participant, "could not be read: " + refusal(answers));
            return;
        }
        Node tree;
        try {
            tree = participant.decode(data.get().text());
        } catch (MalformedConfiguration e) {
            doubt(participant, "cannot be read: " + e.getMessage());
            return;
        }
        Comparison reading = participant.part.judge(tree);
        if (after ? reading instanceof Comparison.After : reading instanceof Comparison.Before) {
            tell(participant, Outcome.OK, "");
            // Nothing was saved before the decision; after it, whatever way the order went, what runs must be what is saved.
            if (!participant.hasCandidate() && !participant.saved && (written == State.DECIDED || written == State.ROLLING_BACK)) {
                save(participant);
            } else {
                settled(participant);
            }
        } else if (reading instanceof Comparison.Foreign foreign) {
            doubt(participant, "has a value at " + foreign.at() + " that is neither the one before this order nor the one after it; Rilvan does not overwrite it");
        } else if (participant.stage == Stage.READING && participant.part.kind() == DeviceKind.COMMAND_LINE) {
            // Nothing to lock: what was just read is changed.
            participant.stage = Stage.CHANGING;
            participant.phase = after ? Phase.REAPPLY : Phase.ROLL_BACK;
            tell(participant, Outcome.STARTED, after ? "the device rolled back by itself" : "the change is undone");
            change(participant, tree, after);
        } else if (participant.stage == Stage.READING) {
            participant.stage = Stage.LOCKING;
            participant.phase = after ? Phase.REAPPLY : Phase.ROLL_BACK;
            tell(participant, Outcome.STARTED, after ? "the device rolled back by itself" : "the device kept the change; it is undone");
            List<Request> flight = new ArrayList<>();
            if (!participant.holdsRunning) {
                flight.add(new Lock(Datastore.RUNNING));
            }
            if (participant.hasCandidate() && !participant.holdsCandidate) {
                flight.add(new Lock(Datastore.CANDIDATE));
            }
            flight.add(participant.look);
            send(participant, flight);
        } else if (participant.stage == Stage.LOCKING) {
            if (!participant.holdsRunning || participant.hasCandidate() && !participant.holdsCandidate) {
                doubt(participant, "cannot be locked: " + refusal(answers));
                return;
            }
            participant.stage = Stage.CHANGING;
            change(participant, tree, after);
        } else if (answers.stream().noneMatch(Refused.class::isInstance)) {
            doubt(participant, "answered ok, but did not change");
        } else if (after) {
            reason = participant.part.device() + " rolled back by itself and now refuses the change: " + refusal(answers);
            tell(participant, Outcome.FAILED, reason);
            write(State.ROLLING_BACK);
        } else {
            doubt(participant, "refused to undo the change: " + refusal(answers));
        }
    }

    /** Changes what was read into what it is to be, for good. */
    private void change(Participant participant, Node now, boolean after) {
        String edit = participant.part.codec().edit(participant.part.towards(after, now));
        List<Request> flight = new ArrayList<>(participant.hasCandidate() ? prepare(participant, edit) : List.of(new Change(edit)));
        if (participant.hasCandidate()) {
            flight.add(new Commit());
        }
        flight.add(participant.look);
        send(participant, flight);
    }

    /** Puts a change into the candidate and has the device check it. */
    private static List<Request> prepare(Participant participant, String edit) {
        return participant.part.testsEdits() ? List.of(new Edit(edit, true)) : List.of(new Edit(edit, false), new Validate());
    }

    private static List<String> texts(List<Answer> answers) {
        return answers.stream().filter(Data.class::isInstance).map(answer -> ((Data) answer).text()).toList();
    }

    private static Optional<Data> lastData(List<Answer> answers) {
        return answers.stream().filter(Data.class::isInstance).map(Data.class::cast).reduce((first, second) -> second);
    }

    private static String refusal(List<Answer> answers) {
        return answers.stream().filter(Refused.class::isInstance).map(answer -> ((Refused) answer).message())
                .reduce((first, second) -> second).orElse("no reason given");
    }

    private Comparison read(Participant participant, List<Answer> answers) {
        try {
            return participant.part.judge(participant.decode(lastData(answers).map(Data::text).orElse("")));
        } catch (MalformedConfiguration e) {
            return new Comparison.Foreign(participant.part.difference().changes().get(0).at());
        }
    }

    /** What is unknown is in doubt: held, shown, tried again. */
    private void doubt(Participant participant, String why) {
        tell(participant, Outcome.IN_DOUBT, why);
        participant.inDoubt = true;
        participant.waiting = true;
        actions.add(new Action.Pause(participant.part.device(), participant.pause));
        participant.pause = Math.min(2 * participant.pause, LONGEST_PAUSE_MILLIS);
    }

    /** What a person saw on a device in doubt counts as read, if it is where the order leads. */
    private void seen(Participant participant, Event.Resolved seen) {
        if (participant == null || !participant.inDoubt || seen.after() != (direction == Direction.ONWARD)) {
            return;
        }
        tell(participant, Outcome.OK, "resolved by " + seen.who() + ": the device holds the state " + (seen.after() ? "after this order" : "before this order"));
        participant.inDoubt = false;
        participant.unfenced.clear();
        participant.waiting = false;
        settled(participant);
    }

    private void retry(Participant participant) {
        if (!participant.inDoubt) {
            // Somebody has seen meanwhile how the device stands.
            return;
        }
        participant.inDoubt = false;
        participant.waiting = false;
        settle(participant);
        endWhenSettled();
    }

    /** A device is where the order leads. What is left is to let go of what is held, and to end sessions that were lost. */
    private void settled(Participant participant) {
        participant.reached = true;
        List<Request> flight = new ArrayList<>();
        if (participant.holdsCandidate) {
            flight.add(new Discard());
            flight.add(new Unlock(Datastore.CANDIDATE));
        }
        if (participant.holdsRunning) {
            flight.add(new Unlock(Datastore.RUNNING));
        }
        if (!flight.isEmpty()) {
            begin(participant, Phase.RELEASE, flight);
        } else if (!participant.unfenced.isEmpty()) {
            settle(participant);
        } else {
            participant.settled = true;
            endWhenSettled();
        }
    }

    private void released(Participant participant) {
        if (participant.connected) {
            tell(participant, Outcome.OK, "");
        }
        settle(participant);
    }

    private void endWhenSettled() {
        if (!participants.values().stream().allMatch(participant -> participant.settled && !participant.waiting) || writing.isPresent() || proving || retrying) {
            return;
        }
        if (each && direction == Direction.BACK && blame.isPresent() && cancelledBy.isEmpty() && written != State.ROLLING_BACK) {
            retrying = true;
            actions.add(new Action.RetryWithout(blame.get()));
        } else {
            write(direction == Direction.ONWARD ? State.DONE : State.ROLLED_BACK);
        }
    }

    /** When a confirm timer that starts now runs out. */
    private long timer(Participant participant) {
        return now + participant.part.confirmSeconds() * 1_000_000_000L;
    }

    private void tell(Participant participant, Outcome word, String text) {
        actions.add(new Action.Report(participant.part.device(), participant.phase, word, text));
    }
}
