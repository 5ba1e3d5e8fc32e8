package rilvan.core.order;

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
import rilvan.core.network.DeviceKind;
import rilvan.core.dialect.MalformedConfiguration;
import rilvan.core.order.Action.Word;
import rilvan.core.order.Part.Reading;
import rilvan.core.outside.Answer;
import rilvan.core.outside.Answer.Data;
import rilvan.core.outside.Answer.Done;
import rilvan.core.outside.Answer.Lost;
import rilvan.core.outside.Answer.Refused;
import rilvan.core.outside.Request;
import rilvan.core.outside.Request.Cancel;
import rilvan.core.outside.Request.Change;
import rilvan.core.outside.Request.Commit;
import rilvan.core.outside.Request.CommitProvisionally;
import rilvan.core.outside.Request.Confirm;
import rilvan.core.outside.Request.Datastore;
import rilvan.core.outside.Request.Discard;
import rilvan.core.outside.Request.Edit;
import rilvan.core.outside.Request.EndSession;
import rilvan.core.outside.Request.Extend;
import rilvan.core.outside.Request.Lock;
import rilvan.core.outside.Request.Read;
import rilvan.core.outside.Request.Save;
import rilvan.core.outside.Request.Unlock;
import rilvan.core.outside.Request.Validate;
import rilvan.core.tree.Node;

/**
 * One order over devices of any kind.
 *
 * <p>The way forward goes through phases side by side on all devices, each ended by a barrier: open → HELD → lock and look →
 * edit and validate → ARMED → commit provisionally → change → prove → read once more → DECIDED → confirm → DONE. A capital
 * word is a journal record that is on disk before the next message leaves.
 *
 * <p>Devices that can commit provisionally (RFC 6241 §8.4, confirmed commit 1.1) do so first, side by side. Those that cannot
 * change after them, one by one, the weakest last; they are saved once the order is decided, never before.
 *
 * <p>What goes wrong before DECIDED leads back, each device by itself. Before ARMED no device has changed: lost sessions are
 * ended, locks let go. After ARMED the commit is given back, the device read, and undone from what was read if need be. After
 * DECIDED each device by itself is brought to "after", again and again; only a device that refuses its change for good turns
 * the order (TURN), and then everything goes back.
 *
 * <p>Where each service of an order stands by itself, an attempt that failed goes back whole, and what is left without the
 * services at fault is tried again, in the same sessions, from HELD on.
 *
 * <p>Invariants, each asserted by the simulation:
 * <ul>
 *   <li>no request that changes a device leaves before ARMED is written, edits of a locked candidate excepted;
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

    private enum Course {
        FORWARD, BACK, ONWARD, OVER
    }

    /** How far one device is on its own way to before or after. */
    private enum Stage {
        COMPARING, READING, LOCKING, CHANGING
    }

    /** One device's place in the order. */
    private static final class Seat {
        private final Part part;
        private Phase phase = Phase.OPEN;
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

        private Seat(Part part) {
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
            return part.kind() == DeviceKind.REVOCABLE;
        }

        private boolean hasCandidate() {
            return part.kind().hasCandidate();
        }
    }

    private final String token;
    private final boolean each;
    private final Map<String, Seat> seats = new LinkedHashMap<>();
    private final List<Action> actions = new ArrayList<>();
    private State written;
    private Course course = Course.FORWARD;
    private Phase phase = Phase.OPEN;
    private Optional<State> writing = Optional.empty();
    private String reason = "";
    private boolean proving;
    private boolean extended;
    /** Whether an event is under way that comes back to extend the confirm timers. */
    private boolean waking;
    private boolean regrouping;
    private Optional<Action.Blame> blame = Optional.empty();
    private Optional<String> takenBackBy = Optional.empty();
    private long now;

    private Transaction(String token, List<Part> parts, State written, boolean each) {
        this.token = token;
        this.each = each;
        this.written = written;
        parts.forEach(part -> seats.put(part.device(), new Seat(part)));
    }

    /**
     * A transaction whose OPEN record is written and of which nothing else has happened.
     *
     * @param each whether it is tried again without the services at fault
     */
    public static Transaction of(String token, List<Part> parts, boolean each) {
        return new Transaction(token, parts, State.OPEN, each);
    }

    /**
     * Takes over a transaction from its journal.
     *
     * @param sessions identities of the sessions that may still be open on each device, from the last record; they are ended
     *     before anything else
     */
    public static Transaction resume(String token, List<Part> parts, State written, Map<String, List<String>> sessions) {
        Transaction transaction = new Transaction(token, parts, written, false);
        transaction.seats.forEach((device, seat) -> seat.unfenced.addAll(sessions.getOrDefault(device, List.of())));
        transaction.course = written == State.DECIDED ? Course.ONWARD : Course.BACK;
        transaction.reason = "the service was interrupted";
        return transaction;
    }

    /** How a device of this order is handled. */
    public DeviceKind kind(String device) {
        return seat(device).part.kind();
    }

    /** Why the order goes back, once it does; empty before. */
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
        if (course == Course.FORWARD) {
            seats.values().forEach(this::open);
            passBarrier();
        } else if (written == State.OPEN) {
            write(State.ABORTED);
        } else {
            // Whoever drove the order before may have started timers until now.
            seats.values().forEach(seat -> seat.overBy = timer(seat));
            seats.values().forEach(this::open);
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
        if (course == Course.OVER) {
            return List.of();
        }
        if (event instanceof Event.Opened opened) {
            opened(seat(opened.device()), opened.sessionId());
        } else if (event instanceof Event.NotOpened failed) {
            notOpened(seat(failed.device()), failed.reason());
        } else if (event instanceof Event.Answered answered) {
            Seat seat = seat(answered.device());
            seat.waiting = false;
            answered(seat, answered.answers());
        } else if (event instanceof Event.Written) {
            written();
        } else if (event instanceof Event.Unanswered) {
            actions.add(new Action.Recall());
        } else if (event instanceof Event.Recalled recalled) {
            recalled(recalled.state());
        } else if (event instanceof Event.Overtaken) {
            course = Course.OVER;
            actions.clear();
        } else if (event instanceof Event.Proved proved) {
            proved(proved);
        } else if (event instanceof Event.Resumed resumed) {
            if (resumed.device().isEmpty()) {
                extend();
            } else {
                retry(seat(resumed.device()));
            }
        } else if (event instanceof Event.Seen seen) {
            seen(seat(seen.device()), seen);
        } else if (event instanceof Event.Regrouped regrouped) {
            regrouped(regrouped.parts());
        } else if (event instanceof Event.NoneLeft) {
            regrouping = false;
            write(State.ABORTED);
        } else if (event instanceof Event.CancelAsked cancel && !writing.equals(Optional.of(State.DECIDED))) {
            takenBackBy = Optional.of(cancel.who());
            fail("taken back by " + cancel.who(), Optional.empty());
        }
        return drain();
    }

    private List<Action> drain() {
        List<Action> drained = List.copyOf(actions);
        actions.clear();
        return drained;
    }

    private Seat seat(String device) {
        return seats.get(device);
    }

    // ---- the way forward -------------------------------------------------------------------------------------------

    private void answered(Seat seat, List<Answer> answers) {
        note(seat, answers);
        switch (course) {
            case FORWARD -> forward(seat, answers);
            case BACK -> back(seat, answers);
            case ONWARD -> onward(seat, answers);
            default -> throw new IllegalStateException("over");
        }
    }

    /** What answers say about the session and the locks, whatever the course. */
    private void note(Seat seat, List<Answer> answers) {
        for (int i = 0; i < answers.size(); i++) {
            if (seat.flight.get(i) instanceof Lock lock && answers.get(i) instanceof Done) {
                hold(seat, lock.datastore(), true);
            } else if (seat.flight.get(i) instanceof Unlock unlock) {
                hold(seat, unlock.datastore(), false);
            } else if (seat.flight.get(i) instanceof EndSession end && gone(answers.get(i))) {
                seat.unfenced.remove(end.sessionId());
                // What the session had sent may have been done until now.
                seat.overBy = timer(seat);
            } else if (seat.flight.get(i) instanceof CommitProvisionally || seat.flight.get(i) instanceof Extend) {
                seat.overBy = timer(seat);
            }
            if (answers.get(i) instanceof Done done && !done.warnings().isEmpty()) {
                tell(seat, Word.WARNS, done.warnings().stream().map(Answer.Fault::toString).collect(Collectors.joining("; ")));
            }
        }
        if (answers.stream().anyMatch(Lost.class::isInstance)) {
            // The device drops a session's locks and its locked candidate with the session (RFC 6241 §7.5, §8.3.5.2).
            seat.connected = false;
            seat.holdsRunning = false;
            seat.holdsCandidate = false;
            seat.session.ifPresent(seat.unfenced::add);
        }
    }

    /** Whether a session that was to be ended is gone: ended now, or not known any more (RFC 6241 §7.9). */
    private static boolean gone(Answer answer) {
        return answer instanceof Done || answer instanceof Refused refused
                && refused.faults().stream().allMatch(fault -> fault.tag().equals("invalid-value"));
    }

    private static void hold(Seat seat, Datastore datastore, boolean holds) {
        if (datastore == Datastore.RUNNING) {
            seat.holdsRunning = holds;
        } else {
            seat.holdsCandidate = holds;
        }
    }

    private void forward(Seat seat, List<Answer> answers) {
        Optional<Trouble> trouble = trouble(seat, answers);
        if (trouble.isPresent()) {
            tell(seat, Word.FAILS, trouble.get().why());
            fail(seat.part.device() + " " + trouble.get().what() + (trouble.get().why().isEmpty() ? "" : ": " + trouble.get().why()),
                    blame(seat, answers));
            return;
        }
        if (seat.phase != Phase.WAIT) {
            tell(seat, Word.SUCCEEDS, "");
        }
        passBarrier();
    }

    /** What a device did that keeps the order from going forward, and why as far as it says so. */
    private record Trouble(String what, String why) {}

    private Optional<Trouble> trouble(Seat seat, List<Answer> answers) {
        for (Answer answer : answers) {
            if (answer instanceof Refused refused) {
                return Optional.of(new Trouble("refused to " + seat.phase.words(), refused.message()));
            }
            if (answer instanceof Lost lost) {
                return Optional.of(new Trouble("was lost when it was to " + seat.phase.words(), lost.reason()));
            }
        }
        boolean changed = seat.phase == Phase.COMMIT || seat.phase == Phase.CHANGE || seat.phase == Phase.LOOK_AGAIN;
        if (!changed && seat.phase != Phase.LOOK) {
            return Optional.empty();
        }
        if (!changed && !seat.hasCandidate() && texts(answers).stream().distinct().count() != 1) {
            return Optional.of(new Trouble("has changes that are not saved", "saving ours would save them too; save them or take them back"));
        }
        Reading reading = read(seat, answers);
        if (changed ? reading instanceof Reading.After : reading instanceof Reading.Before) {
            return Optional.empty();
        }
        if (!changed) {
            return Optional.of(new Trouble("does not hold what is expected" + at(reading),
                    "it was changed outside Rilvan; read it, then look at the preview again"));
        }
        return Optional.of(new Trouble("does not hold what was committed" + at(reading), ""));
    }

    private static String at(Reading reading) {
        return reading instanceof Reading.Foreign foreign ? " at " + foreign.at() : "";
    }

    /** Goes on when every device has answered the current phase. */
    private void passBarrier() {
        if (seats.values().stream().anyMatch(seat -> seat.waiting) || proving || writing.isPresent()) {
            return;
        }
        switch (phase) {
            case OPEN -> write(State.HELD);
            case LOOK -> all(Phase.PREPARE, seat -> seat.hasCandidate() ? prepare(seat, seat.part.edit()) : List.of());
            case PREPARE -> write(State.ARMED);
            case COMMIT, CHANGE -> {
                phase = Phase.CHANGE;
                changeNext();
            }
            case PROVE -> all(Phase.LOOK_AGAIN, seat -> List.of(seat.look));
            case LOOK_AGAIN -> decide();
            default -> throw new IllegalStateException("no barrier after " + phase);
        }
    }

    /** The next device that cannot take its change back by itself; when all have changed, the proof. */
    private void changeNext() {
        Optional<Seat> next = seats.values().stream().filter(seat -> !seat.revocable() && !seat.changed)
                .min(Comparator.comparing(seat -> seat.part.kind()));
        if (next.isPresent()) {
            next.get().changed = true;
            begin(next.get(), Phase.CHANGE, List.of(next.get().hasCandidate() ? new Commit() : new Change(next.get().part.edit()), next.get().look));
            return;
        }
        phase = Phase.PROVE;
        proving = true;
        actions.add(new Action.Tell("", Phase.PROVE, Word.BEGINS, ""));
        actions.add(new Action.Prove());
    }

    /** Comes back when the shortest confirm timer has half run out. */
    private void wakeToExtend() {
        if (!waking) {
            seats.values().stream().filter(Seat::revocable).mapToLong(seat -> (seat.confirmBy - now) / 2_000_000).min().ifPresent(millis -> {
                waking = true;
                actions.add(new Action.Pause("", Math.max(millis, 0)));
            });
        }
    }

    /** While others still commit or change, and while the proof goes on, every device that waits for a confirmation waits longer. */
    private void extend() {
        waking = false;
        if (course != Course.FORWARD || phase != Phase.COMMIT && phase != Phase.CHANGE && !proving) {
            return;
        }
        for (Seat seat : seats.values()) {
            if (seat.revocable() && !seat.waiting) {
                seat.phase = Phase.WAIT;
                send(seat, List.of(longer(seat)));
            }
        }
        wakeToExtend();
    }

    private Extend longer(Seat seat) {
        seat.confirmBy = timer(seat);
        return new Extend(token, seat.part.confirmSeconds());
    }

    private void decide() {
        long latest = now + CONFIRM_MARGIN_SECONDS * 1_000_000_000L;
        Optional<Seat> late = seats.values().stream().filter(seat -> seat.revocable() && seat.confirmBy - latest < 0).findFirst();
        if (late.isPresent() && !extended) {
            extended = true;
            all(Phase.LOOK_AGAIN, seat -> seat.revocable() ? List.of(longer(seat), seat.look) : List.of(seat.look));
        } else if (late.isPresent()) {
            fail("the proof took so long that " + late.get().part.device() + " was about to go back by itself", Optional.empty());
        } else {
            write(State.DECIDED);
        }
    }

    private void proved(Event.Proved proved) {
        proving = false;
        actions.add(new Action.Tell("", Phase.PROVE, proved.holds() ? Word.SUCCEEDS : Word.FAILS, proved.summary()));
        if (course != Course.FORWARD) {
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
    private void all(Phase next, Function<Seat, List<Request>> flight) {
        phase = next;
        boolean idle = true;
        for (Seat seat : seats.values()) {
            List<Request> requests = flight.apply(seat);
            if (!requests.isEmpty()) {
                begin(seat, next, requests);
                idle = false;
            }
        }
        if (idle) {
            passBarrier();
        }
    }

    private void begin(Seat seat, Phase next, List<Request> flight) {
        seat.phase = next;
        tell(seat, Word.BEGINS, "");
        send(seat, flight);
    }

    private void send(Seat seat, List<Request> flight) {
        seat.waiting = true;
        seat.flight = List.copyOf(flight);
        actions.add(new Action.Send(seat.part.device(), seat.flight));
    }

    private void open(Seat seat) {
        seat.phase = Phase.OPEN;
        seat.waiting = true;
        tell(seat, Word.BEGINS, "");
        actions.add(new Action.Open(seat.part.device()));
    }

    private void opened(Seat seat, String sessionId) {
        seat.waiting = false;
        seat.connected = true;
        seat.session = Optional.of(sessionId);
        tell(seat, Word.SUCCEEDS, "");
        switch (course) {
            case FORWARD -> passBarrier();
            default -> settle(seat);
        }
    }

    private void notOpened(Seat seat, String why) {
        seat.waiting = false;
        switch (course) {
            case FORWARD -> {
                tell(seat, Word.FAILS, why);
                fail(seat.part.device() + " cannot be reached: " + why, blame(seat, List.of()));
            }
            default -> {
                if (written == State.OPEN) {
                    settle(seat);
                } else {
                    doubt(seat, "cannot be reached: " + why);
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
        seats.forEach((device, seat) -> {
            Set<String> open = new LinkedHashSet<>(seat.unfenced);
            seat.session.ifPresent(open::add);
            seat.onRecord = open;
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
            course = Course.OVER;
        }
    }

    private void written() {
        State before = written;
        written = writing.orElseThrow();
        writing = Optional.empty();
        if (written.ended()) {
            course = Course.OVER;
            actions.add(new Action.End(written));
            return;
        }
        if (before == State.DECIDED && written == State.TURN) {
            course = Course.BACK;
            seats.values().forEach(seat -> {
                seat.reached = false;
                seat.settled = false;
                seat.saved = false;
            });
        }
        if (course == Course.BACK || course == Course.ONWARD) {
            seats.values().forEach(this::settle);
            endWhenSettled();
            return;
        }
        switch (written) {
            case HELD -> all(Phase.LOOK, seat -> switch (seat.part.kind()) {
                case REVOCABLE, CANDIDATE -> List.of(new Lock(Datastore.RUNNING), new Lock(Datastore.CANDIDATE), seat.look);
                // What is saved later is all that runs: it is compared whole with what was saved before.
                case RUNNING_ONLY -> List.of(new Lock(Datastore.RUNNING), new Read(Datastore.RUNNING, ""), new Read(Datastore.STARTUP, ""));
                case COMMAND_LINE -> List.of(new Read(Datastore.RUNNING, ""), new Read(Datastore.STARTUP, ""));
            });
            case ARMED -> {
                seats.values().forEach(seat -> seat.confirmBy = timer(seat));
                all(Phase.COMMIT, seat -> seat.revocable()
                        ? List.of(new CommitProvisionally(token, seat.part.confirmSeconds()), seat.look) : List.of());
                wakeToExtend();
            }
            case DECIDED -> {
                course = Course.ONWARD;
                for (Seat seat : seats.values()) {
                    switch (seat.part.kind()) {
                        case REVOCABLE -> begin(seat, Phase.CONFIRM,
                                List.of(new Confirm(token), new Unlock(Datastore.CANDIDATE), new Unlock(Datastore.RUNNING)));
                        case CANDIDATE -> settled(seat);
                        case RUNNING_ONLY, COMMAND_LINE -> save(seat);
                    }
                }
                endWhenSettled();
            }
            default -> throw new IllegalStateException("nothing goes forward from " + written);
        }
    }

    // ---- the way back ----------------------------------------------------------------------------------------------

    /** Who may be at fault for what a device did: where it names nodes, whoever wants those there. */
    private static Optional<Action.Blame> blame(Seat seat, List<Answer> answers) {
        List<String> paths = answers.stream().filter(Refused.class::isInstance).flatMap(answer -> ((Refused) answer).faults().stream())
                .map(Answer.Fault::path).filter(path -> !path.isEmpty()).toList();
        return Optional.of(new Action.Blame(Optional.of(seat.part.device()), paths));
    }

    /** What is left of the order is tried again from HELD on, in the sessions that are open. */
    private void regrouped(List<Part> parts) {
        Map<String, Seat> before = Map.copyOf(seats);
        seats.clear();
        for (Part part : parts) {
            Seat seat = new Seat(part);
            Optional.ofNullable(before.get(part.device())).filter(old -> old.connected).ifPresent(old -> {
                seat.connected = true;
                seat.session = old.session;
                seat.onRecord = old.onRecord;
            });
            seats.put(part.device(), seat);
        }
        before.keySet().stream().filter(device -> !seats.containsKey(device)).sorted().forEach(device -> actions.add(new Action.Leave(device)));
        regrouping = false;
        extended = false;
        reason = "";
        blame = Optional.empty();
        course = Course.FORWARD;
        phase = Phase.OPEN;
        if (takenBackBy.isPresent()) {
            fail("taken back by " + takenBackBy.get(), Optional.empty());
            return;
        }
        seats.values().stream().filter(seat -> !seat.connected).forEach(this::open);
        passBarrier();
    }

    private void fail(String why, Optional<Action.Blame> whose) {
        if (course != Course.FORWARD) {
            return;
        }
        reason = why;
        blame = whose;
        course = Course.BACK;
        if (proving) {
            actions.add(new Action.EndProof());
        }
        if (writing.isEmpty()) {
            seats.values().forEach(this::settle);
            endWhenSettled();
        }
        // Otherwise the record under way decides what may be sent; its answer goes on from here.
    }

    /** Starts, or starts again, what brings one device to where the order leads: before, or after. */
    private void settle(Seat seat) {
        if (seat.settled || seat.waiting) {
            return;
        }
        boolean onlySessions = seat.reached || written == State.HELD || written == State.OPEN;
        if (onlySessions && seat.unfenced.isEmpty()) {
            settled(seat);
            return;
        }
        if (!seat.connected) {
            open(seat);
            return;
        }
        if (!seat.onRecord.contains(seat.session.orElseThrow())) {
            // Whoever might have to fence this session must find it in the journal before it changes anything.
            write(written);
            return;
        }
        List<Request> flight = new ArrayList<>();
        seat.unfenced.forEach(old -> flight.add(new EndSession(old)));
        seat.stage = Stage.READING;
        if (onlySessions) {
            begin(seat, Phase.RELEASE, flight);
            return;
        }
        if (!seat.revocable()) {
            if (seat.holdsCandidate && course == Course.BACK) {
                flight.add(new Discard());
            }
            flight.add(seat.look);
            begin(seat, course == Course.ONWARD ? Phase.BRING_FORWARD : Phase.GO_BACK, flight);
            return;
        }
        if (course == Course.ONWARD) {
            // A confirm commits the whole candidate, and without our lock somebody's edits may be in it: look first.
            seat.stage = Stage.COMPARING;
            flight.add(new Read(Datastore.CANDIDATE, ""));
            flight.add(new Read(Datastore.RUNNING, ""));
            begin(seat, Phase.CONFIRM, flight);
            return;
        }
        // Some agents say ok to a cancel but keep the change while our own session locks running: let running go first.
        if (seat.holdsRunning) {
            flight.add(new Unlock(Datastore.RUNNING));
        }
        flight.add(new Cancel(token));
        if (seat.holdsCandidate) {
            flight.add(new Discard());
        }
        flight.add(seat.look);
        begin(seat, Phase.GO_BACK, flight);
    }

    private void back(Seat seat, List<Answer> answers) {
        if (unfenced(seat)) {
            return;
        }
        switch (seat.phase) {
            case RELEASE -> released(seat);
            case GO_BACK -> towards(seat, answers, false);
            case CONFIRM -> saved(seat, answers, false);
            default -> settle(seat);
        }
    }

    private void onward(Seat seat, List<Answer> answers) {
        if (unfenced(seat)) {
            return;
        }
        switch (seat.phase) {
            case RELEASE -> released(seat);
            case BRING_FORWARD -> towards(seat, answers, true);
            case CONFIRM -> {
                if (!seat.revocable()) {
                    saved(seat, answers, true);
                } else if (seat.stage == Stage.COMPARING) {
                    compared(seat, answers);
                } else {
                    confirmed(seat, answers);
                }
            }
            default -> settle(seat);
        }
    }

    /** Confirms where the candidate holds nobody's edits; otherwise waits, until the device has gone back and can be locked. */
    private void compared(Seat seat, List<Answer> answers) {
        List<String> both = texts(answers);
        if (!seat.connected) {
            settle(seat);
        } else if (both.size() == 2 && both.get(0).equals(both.get(1))) {
            seat.stage = Stage.READING;
            send(seat, List.of(new Confirm(token), seat.look));
        } else if (both.size() == 2 && now - seat.overBy >= 0) {
            seat.stage = Stage.READING;
            towards(seat, answers, true);
        } else {
            doubt(seat, both.size() == 2 ? "has somebody's edits in its candidate, which a confirmation would commit"
                    : "did not let itself be read: " + refusal(answers));
        }
    }

    /** Nothing is judged while a lost session may still act: fence first. */
    private boolean unfenced(Seat seat) {
        boolean unfenced = seat.connected && !seat.unfenced.isEmpty();
        if (unfenced) {
            doubt(seat, "does not end the session that was lost: " + seat.unfenced);
        }
        return unfenced;
    }

    /** Saves what runs, and looks whether that is what was saved. */
    private void save(Seat seat) {
        begin(seat, Phase.CONFIRM, List.of(new Save(), new Read(Datastore.STARTUP, seat.look.filter())));
    }

    private void saved(Seat seat, List<Answer> answers, boolean after) {
        if (!seat.flight.contains(new Save())) {
            // The order turned while this device was still on its way forward.
            settle(seat);
            return;
        }
        Reading reading = answers.get(1) instanceof Data ? read(seat, answers) : new Reading.PartWay();
        if (after ? reading instanceof Reading.After : reading instanceof Reading.Before) {
            seat.saved = true;
            tell(seat, Word.SUCCEEDS, "");
            settled(seat);
        } else if (!seat.connected || !after && reading instanceof Reading.After) {
            settle(seat);
        } else {
            doubt(seat, "did not save: " + refusal(answers));
        }
    }

    /** A confirm that fails may be done already, or too late, or may never have been: only reading tells. */
    private void confirmed(Seat seat, List<Answer> answers) {
        boolean ok = answers.get(seat.flight.indexOf(new Confirm(token))) instanceof Done;
        boolean read = seat.flight.get(seat.flight.size() - 1) instanceof Read;
        if (ok && (!read || read(seat, answers) instanceof Reading.After)) {
            tell(seat, Word.SUCCEEDS, "");
            settled(seat);
        } else if (!seat.connected || !read) {
            settle(seat);
        } else if (read(seat, answers) instanceof Reading.After && now - seat.overBy < 0) {
            // It holds the change, but whether for good shows only once the timer has run out.
            doubt(seat, "holds the change but did not confirm it: " + refusal(answers));
        } else {
            towards(seat, answers, true);
        }
    }

    /** Judges what was read and brings a device one stage nearer to before or after: read, lock and look, change and look. */
    private void towards(Seat seat, List<Answer> answers, boolean after) {
        if (!seat.connected) {
            settle(seat);
            return;
        }
        Optional<Data> data = lastData(answers);
        if (data.isEmpty()) {
            doubt(seat, "did not let itself be read: " + refusal(answers));
            return;
        }
        Node tree;
        try {
            tree = seat.decode(data.get().text());
        } catch (MalformedConfiguration e) {
            doubt(seat, "cannot be read: " + e.getMessage());
            return;
        }
        Reading reading = seat.part.judge(tree);
        if (after ? reading instanceof Reading.After : reading instanceof Reading.Before) {
            tell(seat, Word.SUCCEEDS, "");
            // Nothing was saved before the decision; after it, whatever way the order went, what runs must be what is saved.
            if (!seat.hasCandidate() && !seat.saved && (written == State.DECIDED || written == State.TURN)) {
                save(seat);
            } else {
                settled(seat);
            }
        } else if (reading instanceof Reading.Foreign foreign) {
            doubt(seat, "holds at " + foreign.at() + " what neither this order nor anybody before it put there; it is not overwritten");
        } else if (seat.stage == Stage.READING && seat.part.kind() == DeviceKind.COMMAND_LINE) {
            // Nothing to lock: what was just read is changed.
            seat.stage = Stage.CHANGING;
            seat.phase = after ? Phase.BRING_FORWARD : Phase.GO_BACK;
            tell(seat, Word.BEGINS, after ? "the device had gone back by itself" : "undoing the change");
            change(seat, tree, after);
        } else if (seat.stage == Stage.READING) {
            seat.stage = Stage.LOCKING;
            seat.phase = after ? Phase.BRING_FORWARD : Phase.GO_BACK;
            tell(seat, Word.BEGINS, after ? "the device had gone back by itself" : "the device kept the change; undoing it");
            List<Request> flight = new ArrayList<>();
            if (!seat.holdsRunning) {
                flight.add(new Lock(Datastore.RUNNING));
            }
            if (seat.hasCandidate() && !seat.holdsCandidate) {
                flight.add(new Lock(Datastore.CANDIDATE));
            }
            flight.add(seat.look);
            send(seat, flight);
        } else if (seat.stage == Stage.LOCKING) {
            if (!seat.holdsRunning || seat.hasCandidate() && !seat.holdsCandidate) {
                doubt(seat, "cannot be locked: " + refusal(answers));
                return;
            }
            seat.stage = Stage.CHANGING;
            change(seat, tree, after);
        } else if (answers.stream().noneMatch(Refused.class::isInstance)) {
            doubt(seat, "said ok, but did not change");
        } else if (after) {
            reason = seat.part.device() + " went back by itself and now refuses the change: " + refusal(answers);
            tell(seat, Word.FAILS, reason);
            write(State.TURN);
        } else {
            doubt(seat, "refuses to be undone: " + refusal(answers));
        }
    }

    /** Changes what was read into what it is to be, for good. */
    private void change(Seat seat, Node now, boolean after) {
        String edit = seat.part.codec().edit(seat.part.towards(after, now));
        List<Request> flight = new ArrayList<>(seat.hasCandidate() ? prepare(seat, edit) : List.of(new Change(edit)));
        if (seat.hasCandidate()) {
            flight.add(new Commit());
        }
        flight.add(seat.look);
        send(seat, flight);
    }

    /** Puts a change into the candidate and has the device check it. */
    private static List<Request> prepare(Seat seat, String edit) {
        return seat.part.testsEdits() ? List.of(new Edit(edit, true)) : List.of(new Edit(edit, false), new Validate());
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

    private Reading read(Seat seat, List<Answer> answers) {
        try {
            return seat.part.judge(seat.decode(lastData(answers).map(Data::text).orElse("")));
        } catch (MalformedConfiguration e) {
            return new Reading.Foreign(seat.part.difference().changes().get(0).at());
        }
    }

    /** What is unknown is in doubt: held, shown, tried again. */
    private void doubt(Seat seat, String why) {
        tell(seat, Word.IN_DOUBT, why);
        seat.inDoubt = true;
        seat.waiting = true;
        actions.add(new Action.Pause(seat.part.device(), seat.pause));
        seat.pause = Math.min(2 * seat.pause, LONGEST_PAUSE_MILLIS);
    }

    /** What a person saw on a device in doubt counts as read, if it is where the order leads. */
    private void seen(Seat seat, Event.Seen seen) {
        if (seat == null || !seat.inDoubt || seen.after() != (course == Course.ONWARD)) {
            return;
        }
        tell(seat, Word.SUCCEEDS, "seen by " + seen.who() + ": everything is as " + (seen.after() ? "it should be after this order" : "before this order"));
        seat.inDoubt = false;
        seat.unfenced.clear();
        seat.waiting = false;
        settled(seat);
    }

    private void retry(Seat seat) {
        if (!seat.inDoubt) {
            // Somebody has seen meanwhile how the device stands.
            return;
        }
        seat.inDoubt = false;
        seat.waiting = false;
        settle(seat);
        endWhenSettled();
    }

    /** A device is where the order leads. What is left is to let go of what is held, and to end sessions that were lost. */
    private void settled(Seat seat) {
        seat.reached = true;
        List<Request> flight = new ArrayList<>();
        if (seat.holdsCandidate) {
            flight.add(new Discard());
            flight.add(new Unlock(Datastore.CANDIDATE));
        }
        if (seat.holdsRunning) {
            flight.add(new Unlock(Datastore.RUNNING));
        }
        if (!flight.isEmpty()) {
            begin(seat, Phase.RELEASE, flight);
        } else if (!seat.unfenced.isEmpty()) {
            settle(seat);
        } else {
            seat.settled = true;
            endWhenSettled();
        }
    }

    private void released(Seat seat) {
        if (seat.connected) {
            tell(seat, Word.SUCCEEDS, "");
        }
        settle(seat);
    }

    private void endWhenSettled() {
        if (!seats.values().stream().allMatch(seat -> seat.settled && !seat.waiting) || writing.isPresent() || proving || regrouping) {
            return;
        }
        if (each && course == Course.BACK && blame.isPresent() && takenBackBy.isEmpty() && written != State.TURN) {
            regrouping = true;
            actions.add(new Action.Regroup(blame.get()));
        } else {
            write(course == Course.ONWARD ? State.DONE : State.ABORTED);
        }
    }

    /** When a confirm timer that starts now runs out. */
    private long timer(Seat seat) {
        return now + seat.part.confirmSeconds() * 1_000_000_000L;
    }

    private void tell(Seat seat, Word word, String text) {
        actions.add(new Action.Tell(seat.part.device(), seat.phase, word, text));
    }
}
