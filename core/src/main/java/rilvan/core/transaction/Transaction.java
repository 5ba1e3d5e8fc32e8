package rilvan.core.transaction;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Request;
import rilvan.core.environment.Request.Confirm;
import rilvan.core.environment.Request.Datastore;
import rilvan.core.environment.Request.Unlock;
import rilvan.core.network.DeviceKind;
import rilvan.core.transaction.Action.Outcome;

/**
 * One order over devices of any kind.
 *
 * <p>Each phase runs on all devices side by side and ends with a barrier: connect → CONNECTED → lock and read → edit and validate →
 * PREPARED → confirmed commit → change → checks → final read → DECIDED → confirm → DONE. A capital word is a journal record that is on
 * disk before the next message leaves.
 *
 * <p>Devices with confirmed commit 1.1 (RFC 6241 §8.4) commit first, side by side. The others change after them, the first of each kind by itself, then in groups, the
 * weakest last; they are saved once the order is decided, never before. An order may also change one device after another, of whatever kind.
 *
 * <p>A failure before DECIDED rolls the order back, each device by itself. Before PREPARED no device has changed: lost sessions are
 * ended and locks released. After PREPARED the commit is cancelled, the device read, and undone from what was read if need be. After
 * DECIDED the change is applied to each device again and again; only where a device refuses it for good the whole order is rolled
 * back (ROLLING_BACK).
 *
 * <p>Where an order is atomic by service, an attempt that failed is rolled back on all devices, and the services that are not at fault
 * are tried again, in the same sessions, from CONNECTED on.
 *
 * <p>A rehearsal goes as far as "edit and validate" and back: connect → CONNECTED → lock and read → edit and validate → release → REHEARSED. What a device answers
 * keeps no other device from being asked.
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

    /** Why an order rolls back that nobody drove for a while before it was decided. */
    public static final String INTERRUPTED = "Rilvan was interrupted";

    /** Where the order leads: forward, back to the state before it, onward to the state after it once decided; or it is over. */
    enum Direction {
        FORWARD, BACK, ONWARD, OVER
    }

    private final String token;
    private final boolean each;
    private final boolean oneByOne;
    private final boolean rehearsal;
    private final Map<String, Participant> participants = new LinkedHashMap<>();
    private final List<Action> actions = new ArrayList<>();
    private State written;
    private Direction direction = Direction.FORWARD;
    private Optional<State> writing = Optional.empty();
    private String reason = "";
    private Attempt attempt = new Attempt(this);
    private final Recovery recovery = new Recovery(this);
    private boolean retrying;
    private Optional<Action.Blame> blame = Optional.empty();
    private final List<Obstacle> obstacles = new ArrayList<>();
    private boolean rehearsed;
    private Optional<String> cancelledBy = Optional.empty();
    private long now;

    /** What a rehearsal found on a device. */
    private record Obstacle(String why, Optional<Action.Blame> whose) {}

    private Transaction(String token, List<DeviceChange> parts, State written, boolean each, boolean oneByOne, boolean rehearsal) {
        this.oneByOne = oneByOne;
        this.rehearsal = rehearsal;
        this.token = token;
        this.each = each;
        this.written = written;
        parts.forEach(part -> participants.put(part.device(), new Participant(part)));
    }

    /**
     * A transaction whose OPEN record is written and of which nothing else has happened.
     *
     * @param each whether it is tried again without the services at fault
     * @param oneByOne whether one device changes after another; otherwise side by side, as far as their kinds allow
     */
    public static Transaction of(String token, List<DeviceChange> parts, boolean each, boolean oneByOne) {
        return new Transaction(token, parts, State.PLANNED, each, oneByOne, false);
    }

    /** A transaction whose OPEN record is written and that changes no device: each is asked what can be asked without. */
    public static Transaction rehearsal(String token, List<DeviceChange> parts) {
        return new Transaction(token, parts, State.PLANNED, false, false, true);
    }

    /**
     * Takes over a transaction from its journal.
     *
     * @param sessions identities of the sessions that may still be open on each device, from the last record; they are ended
     *     before anything else
     */
    public static Transaction resume(String token, List<DeviceChange> parts, State written, Map<String, List<String>> sessions, boolean rehearsal) {
        Transaction transaction = new Transaction(token, parts, written, false, false, rehearsal);
        transaction.participants.forEach((device, participant) -> participant.unfenced.addAll(sessions.getOrDefault(device, List.of())));
        transaction.direction = written == State.DECIDED ? Direction.ONWARD : Direction.BACK;
        transaction.reason = INTERRUPTED;
        return transaction;
    }

    /** How a device of this order is handled. */
    public DeviceKind kind(String device) {
        return participant(device).change.kind();
    }

    /** The last record that is known to be stored. */
    public State state() {
        return written;
    }

    /** Why the order rolls back, once it does; empty before. */
    public String reason() {
        return reason;
    }

    /** Who may be at fault for that, or for what a rehearsal found; none where nobody of the order is. */
    public List<Action.Blame> blames() {
        return rehearsed ? obstacles.stream().flatMap(obstacle -> obstacle.whose().stream()).toList() : blame.stream().toList();
    }

    /** The first actions. */
    public List<Action> start(long nowNanos) {
        now = nowNanos;
        if (direction == Direction.FORWARD) {
            participants.values().forEach(this::open);
            attempt.passBarrier();
        } else if (written == State.PLANNED) {
            write(State.ROLLED_BACK);
        } else {
            // Whoever drove the order before may have started timers until now.
            participants.values().forEach(participant -> participant.overBy = participant.timer(now));
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
        } else if (event instanceof Event.RecordRead recordRead) {
            recordRead(recordRead.state());
        } else if (event instanceof Event.Overtaken) {
            direction = Direction.OVER;
            actions.clear();
        } else if (event instanceof Event.Checked checked) {
            checked(checked);
        } else if (event instanceof Event.Resumed resumed) {
            if (resumed.device().isEmpty()) {
                attempt.extend();
            } else {
                recovery.retry(participant(resumed.device()));
            }
        } else if (event instanceof Event.Resolved seen) {
            recovery.resolved(participant(seen.device()), seen);
        } else if (event instanceof Event.RetryPlanned retryPlanned) {
            retryPlanned(retryPlanned.parts());
        } else if (event instanceof Event.NothingLeft) {
            retrying = false;
            write(State.ROLLED_BACK);
        } else if (event instanceof Event.CancelRequested cancel && !writing.equals(Optional.of(State.DECIDED))) {
            cancelledBy = Optional.of(cancel.who());
            fail("cancelled by " + cancel.who(), Optional.empty());
        }
        return drain();
    }

    // ---- for the attempt and the recovery ----------------------------------------------------------------------------

    Collection<Participant> participants() {
        return participants.values();
    }

    Direction direction() {
        return direction;
    }

    String token() {
        return token;
    }

    /** The monotonic clock at the present event, in nanoseconds. */
    long now() {
        return now;
    }

    /** Whether a record is on its way to the journal. */
    boolean isWriting() {
        return writing.isPresent();
    }

    void act(Action action) {
        actions.add(action);
    }

    /** A decided order that one device refuses for good rolls back. */
    void turn(String why) {
        reason = why;
        write(State.ROLLING_BACK);
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
        participant.note(answers, now).forEach(warning -> tell(participant, Outcome.WARNING, warning));
        switch (direction) {
            case FORWARD -> attempt.answered(participant, answers);
            case BACK -> recovery.settleBack(participant, answers);
            case ONWARD -> recovery.settleForward(participant, answers);
            default -> throw new IllegalStateException("over");
        }
    }

    private void checked(Event.Checked checked) {
        attempt.checksEnded();
        actions.add(new Action.Report("", Phase.CHECKS, checked.holds() ? Outcome.OK : Outcome.FAILED, checked.summary()));
        if (direction != Direction.FORWARD) {
            endWhenSettled();
            return;
        }
        if (checked.holds()) {
            attempt.passBarrier();
        } else {
            fail(checked.summary(), Optional.of(new Action.Blame(Optional.empty(), List.of())));
        }
    }

    void begin(Participant participant, Phase next, List<Request> flight) {
        participant.phase = next;
        tell(participant, Outcome.STARTED, "");
        send(participant, flight);
    }

    void send(Participant participant, List<Request> flight) {
        participant.waiting = true;
        participant.flight = List.copyOf(flight);
        actions.add(new Action.Send(participant.change.device(), participant.flight));
    }

    void open(Participant participant) {
        participant.phase = Phase.CONNECT;
        participant.waiting = true;
        tell(participant, Outcome.STARTED, "");
        actions.add(new Action.Open(participant.change.device()));
    }

    private void opened(Participant participant, String sessionId) {
        participant.waiting = false;
        participant.connected = true;
        participant.session = Optional.of(sessionId);
        tell(participant, Outcome.OK, "");
        switch (direction) {
            case FORWARD -> attempt.passBarrier();
            default -> recovery.settle(participant);
        }
    }

    private void notOpened(Participant participant, String why) {
        participant.waiting = false;
        switch (direction) {
            case FORWARD -> {
                tell(participant, Outcome.FAILED, why);
                meets(participant, participant.change.device() + " cannot be reached: " + why, Attempt.blame(participant, List.of()));
            }
            default -> {
                if (written == State.PLANNED) {
                    recovery.settle(participant);
                } else if (rehearsal) {
                    // What its lost session has edited goes with that (RFC 6241 §8.3.5.2), and nobody commits it.
                    tell(participant, Outcome.FAILED, why);
                    participant.unfenced.clear();
                    recovery.settle(participant);
                } else {
                    recovery.doubt(participant, "cannot be reached: " + why);
                }
            }
        }
    }

    // ---- records ---------------------------------------------------------------------------------------------------

    void write(State state) {
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
        actions.add(new Action.Write(written, state, state == State.REHEARSED ? findings() : reason, sessions));
    }

    /** What the journal says after a record's answer was lost: unknown is not no. */
    private void recordRead(State found) {
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
                participant.statement = Optional.empty();
            });
        }
        if (direction == Direction.BACK || direction == Direction.ONWARD) {
            participants.values().forEach(recovery::settle);
            endWhenSettled();
            return;
        }
        switch (written) {
            case CONNECTED -> attempt.lockAndRead();
            case PREPARED -> attempt.commit();
            case DECIDED -> {
                direction = Direction.ONWARD;
                for (Participant participant : participants.values()) {
                    switch (participant.change.kind()) {
                        case CONFIRMED_COMMIT -> begin(participant, Phase.CONFIRM,
                                List.of(new Confirm(token), new Confirm(token), new Unlock(Datastore.CANDIDATE), new Unlock(Datastore.RUNNING)));
                        case CANDIDATE -> recovery.settled(participant);
                        case RUNNING_ONLY, COMMAND_LINE -> recovery.save(participant);
                    }
                }
                endWhenSettled();
            }
            default -> throw new IllegalStateException("nothing goes forward from " + written);
        }
    }

    // ---- the way back ----------------------------------------------------------------------------------------------

    /** What is left of the order is tried again from CONNECTED on, in the sessions that are open. */
    private void retryPlanned(List<DeviceChange> parts) {
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
        reason = "";
        blame = Optional.empty();
        direction = Direction.FORWARD;
        attempt = attempt.next();
        if (cancelledBy.isPresent()) {
            fail("cancelled by " + cancelledBy.get(), Optional.empty());
            return;
        }
        participants.values().stream().filter(participant -> !participant.connected).forEach(this::open);
        attempt.passBarrier();
    }

    boolean isOneByOne() {
        return oneByOne;
    }

    boolean isRehearsal() {
        return rehearsal;
    }

    /** Something keeps a device from going forward: the order rolls back, while a rehearsal goes on with the others. */
    void meets(Participant participant, String why, Optional<Action.Blame> whose) {
        if (!rehearsal || direction != Direction.FORWARD) {
            fail(why, whose);
            return;
        }
        participant.aside = true;
        obstacles.add(new Obstacle(why, whose));
        attempt.passBarrier();
    }

    /** Every device has said what it says without being changed: what was locked and edited is released. */
    void rehearsed() {
        rehearsed = true;
        direction = Direction.BACK;
        participants.values().forEach(recovery::settle);
        endWhenSettled();
    }

    private String findings() {
        return (obstacles.size() < 2 ? "" : obstacles.size() + " devices: ") + obstacles.stream().map(Obstacle::why).collect(Collectors.joining("; "));
    }

    /** A phase in which nothing can be asked of a device. */
    void skip(Participant participant, Phase phase, String why) {
        participant.phase = phase;
        tell(participant, Outcome.WARNING, why);
    }

    void fail(String why, Optional<Action.Blame> whose) {
        if (direction != Direction.FORWARD) {
            return;
        }
        reason = why;
        blame = whose;
        direction = Direction.BACK;
        if (attempt.isChecking()) {
            actions.add(new Action.EndChecks());
        }
        if (writing.isEmpty()) {
            participants.values().forEach(recovery::settle);
            endWhenSettled();
        }
        // Otherwise the record under way decides what may be sent; its answer goes on from here.
    }

    void endWhenSettled() {
        if (!participants.values().stream().allMatch(participant -> participant.settled && !participant.waiting) || writing.isPresent() || attempt.isChecking() || retrying) {
            return;
        }
        if (each && direction == Direction.BACK && blame.isPresent() && cancelledBy.isEmpty() && written != State.ROLLING_BACK) {
            retrying = true;
            actions.add(new Action.RetryWithout(blame.get()));
        } else {
            write(direction == Direction.ONWARD ? State.DONE : rehearsed && cancelledBy.isEmpty() ? State.REHEARSED : State.ROLLED_BACK);
        }
    }

    /** Tells what happens on a device. Where one in doubt is only asked once more, and answers as before, there is nothing new to tell. */
    void tell(Participant participant, Outcome word, String text) {
        boolean askedAgain = text.isEmpty() && (word == Outcome.STARTED || participant.phase == Phase.CONNECT);
        if (!participant.doubt.isEmpty() && (askedAgain || text.equals(participant.doubt))) {
            return;
        }
        actions.add(new Action.Report(participant.change.device(), participant.phase, word, text));
    }
}
