package rilvan.core.transaction;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import rilvan.core.dialect.MalformedConfiguration;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Answer.Data;
import rilvan.core.environment.Answer.Done;
import rilvan.core.environment.Answer.Refused;
import rilvan.core.environment.Request;
import rilvan.core.environment.Request.Cancel;
import rilvan.core.environment.Request.Change;
import rilvan.core.environment.Request.Commit;
import rilvan.core.environment.Request.Confirm;
import rilvan.core.environment.Request.Datastore;
import rilvan.core.environment.Request.Discard;
import rilvan.core.environment.Request.EndSession;
import rilvan.core.environment.Request.Lock;
import rilvan.core.environment.Request.Read;
import rilvan.core.environment.Request.Save;
import rilvan.core.environment.Request.Unlock;
import rilvan.core.network.DeviceKind;
import rilvan.core.transaction.Action.Outcome;
import rilvan.core.transaction.DeviceChange.Comparison;
import rilvan.core.transaction.Participant.Stage;
import rilvan.core.transaction.Transaction.Direction;
import rilvan.core.tree.Node;

/**
 * Brings each device, by itself, to where the order leads: to the state before it, or, once it is decided, to the state after it. Lost
 * sessions are ended first, confirmed commits settled next; only then a device is read and judged by what was read.
 */
final class Recovery {

    private static final long LONGEST_PAUSE_MILLIS = 30_000;

    private final Transaction order;

    Recovery(Transaction order) {
        this.order = order;
    }

    /** Starts, or starts again, what brings one device to where the order leads: before, or after. */
    void settle(Participant participant) {
        if (participant.settled || participant.waiting) {
            return;
        }
        boolean onlySessions = participant.reached || order.state() == State.CONNECTED || order.state() == State.PLANNED;
        if (onlySessions && participant.unfenced.isEmpty()) {
            settled(participant);
            return;
        }
        if (!participant.connected) {
            order.open(participant);
            return;
        }
        if (!participant.onRecord.contains(participant.session.orElseThrow())) {
            // Whoever might have to fence this session must find it in the journal before it changes anything.
            order.write(order.state());
            return;
        }
        List<Request> flight = new ArrayList<>();
        participant.unfenced.forEach(old -> flight.add(new EndSession(old)));
        participant.stage = Stage.READING;
        if (onlySessions) {
            order.begin(participant, Phase.RELEASE, flight);
            return;
        }
        if (!participant.hasConfirmedCommit()) {
            if (participant.locks.contains(Datastore.CANDIDATE) && order.direction() == Direction.BACK) {
                flight.add(new Discard());
            }
            flight.add(participant.look);
            order.begin(participant, order.direction() == Direction.ONWARD ? Phase.REAPPLY : Phase.ROLL_BACK, flight);
            return;
        }
        if (order.direction() == Direction.ONWARD) {
            // A confirm commits the whole candidate, and without our lock somebody's edits may be in it: look first.
            participant.stage = Stage.COMPARING;
            flight.add(new Read(Datastore.CANDIDATE, ""));
            flight.add(new Read(Datastore.RUNNING, ""));
            order.begin(participant, Phase.CONFIRM, flight);
            return;
        }
        // Some agents say ok to a cancel but keep the change while our own session locks running: let running go first.
        if (participant.locks.contains(Datastore.RUNNING)) {
            flight.add(new Unlock(Datastore.RUNNING));
        }
        flight.add(new Cancel(order.token()));
        if (participant.locks.contains(Datastore.CANDIDATE)) {
            flight.add(new Discard());
        }
        flight.add(participant.look);
        order.begin(participant, Phase.ROLL_BACK, flight);
    }

    void settleBack(Participant participant, List<Answer> answers) {
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

    void settleForward(Participant participant, List<Answer> answers) {
        if (unfenced(participant)) {
            return;
        }
        switch (participant.phase) {
            case RELEASE -> released(participant);
            case REAPPLY -> towards(participant, answers, true);
            case CONFIRM -> {
                if (!participant.hasConfirmedCommit()) {
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

    /** Confirms where the candidate holds nobody's edits; otherwise waits, until the device has rolled back and can be locked. */
    private void compared(Participant participant, List<Answer> answers) {
        List<String> both = Participant.texts(answers);
        if (!participant.connected) {
            settle(participant);
        } else if (both.size() == 2 && both.get(0).equals(both.get(1))) {
            participant.stage = Stage.READING;
            order.send(participant, List.of(new Confirm(order.token()), new Confirm(order.token()), participant.look));
        } else if (both.size() == 2 && order.now() - participant.overBy >= 0) {
            participant.stage = Stage.READING;
            towards(participant, answers, true);
        } else {
            doubt(participant, both.size() == 2 ? "has edits of another session in its candidate, which a confirmation would commit"
                    : "could not be read: " + Participant.refusal(answers));
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
    void save(Participant participant) {
        order.begin(participant, Phase.CONFIRM, List.of(new Save(), new Read(Datastore.STARTUP, participant.look.filter())));
    }

    private void saved(Participant participant, List<Answer> answers, boolean after) {
        if (!participant.flight.contains(new Save())) {
            // The order turned while this device was still on its way forward.
            settle(participant);
            return;
        }
        Comparison reading = answers.get(1) instanceof Data ? participant.read(answers) : new Comparison.PartWay();
        if (after ? reading instanceof Comparison.After : reading instanceof Comparison.Before) {
            participant.saved = true;
            order.tell(participant, Outcome.OK, "");
            settled(participant);
        } else if (!participant.connected || !after && reading instanceof Comparison.After) {
            settle(participant);
        } else {
            doubt(participant, "did not save its configuration: " + Participant.refusal(answers));
        }
    }

    /**
     * A confirm that fails may be done already, or too late, or may never have been: only reading tells. One that is answered with ok may not
     * have been meant, and reading shows the change all the same until the timer has run out. So a confirm is sent twice, and it is done where one
     * was answered with ok and a later one is answered with ok too, or finds no commit that waits. A later one that is refused for another reason
     * proves nothing.
     */
    private void confirmed(Participant participant, List<Answer> answers) {
        int first = participant.flight.indexOf(new Confirm(order.token()));
        Answer second = answers.get(first + 1);
        participant.acknowledged |= answers.get(first) instanceof Done;
        boolean ok = participant.acknowledged && (second instanceof Done || participant.findsNothingPending(second));
        participant.acknowledged |= second instanceof Done;
        boolean read = participant.flight.get(participant.flight.size() - 1) instanceof Read;
        if (ok && (!read || participant.read(answers) instanceof Comparison.After)) {
            order.tell(participant, Outcome.OK, "");
            settled(participant);
        } else if (!participant.connected || !read) {
            settle(participant);
        } else if (participant.read(answers) instanceof Comparison.After && order.now() - participant.overBy < 0) {
            // It holds the change, but whether for good shows only once the timer has run out.
            doubt(participant, "holds the change, but did not confirm it: " + Participant.refusal(answers));
        } else {
            towards(participant, answers, true);
        }
    }

    /** Judges what was read and brings a device one stage nearer to before or after: read; lock and read; change and read. */
    private void towards(Participant participant, List<Answer> answers, boolean after) {
        if (!participant.connected) {
            settle(participant);
            return;
        }
        Optional<Data> data = Participant.lastData(answers);
        if (data.isEmpty()) {
            doubt(participant, "could not be read: " + Participant.refusal(answers));
            return;
        }
        Node tree;
        try {
            tree = participant.decode(data.get().text());
        } catch (MalformedConfiguration e) {
            doubt(participant, "cannot be read: " + e.getMessage());
            return;
        }
        Comparison reading = participant.change.judge(tree);
        if (after ? reading instanceof Comparison.After : reading instanceof Comparison.Before) {
            order.tell(participant, Outcome.OK, "");
            // Nothing was saved before the decision; after it, whatever way the order went, what runs must be what is saved.
            if (!participant.hasCandidate() && !participant.saved && (order.state() == State.DECIDED || order.state() == State.ROLLING_BACK)) {
                save(participant);
            } else {
                settled(participant);
            }
        } else if (reading instanceof Comparison.Foreign foreign) {
            doubt(participant, "has a value at " + foreign.at() + " that is neither the one before this order nor the one after it; Rilvan does not overwrite it");
        } else if (participant.stage == Stage.READING && participant.change.kind() == DeviceKind.COMMAND_LINE) {
            // Nothing to lock: what was just read is changed.
            participant.stage = Stage.CHANGING;
            participant.phase = after ? Phase.REAPPLY : Phase.ROLL_BACK;
            order.tell(participant, Outcome.STARTED, after ? "the device rolled back by itself" : "the change is undone");
            change(participant, tree, after);
        } else if (participant.stage == Stage.READING) {
            participant.stage = Stage.LOCKING;
            participant.phase = after ? Phase.REAPPLY : Phase.ROLL_BACK;
            order.tell(participant, Outcome.STARTED, after ? "the device rolled back by itself" : "the device kept the change; it is undone");
            List<Request> flight = new ArrayList<>();
            if (!participant.locks.contains(Datastore.RUNNING)) {
                flight.add(new Lock(Datastore.RUNNING));
            }
            if (participant.hasCandidate() && !participant.locks.contains(Datastore.CANDIDATE)) {
                flight.add(new Lock(Datastore.CANDIDATE));
            }
            flight.add(participant.look);
            order.send(participant, flight);
        } else if (participant.stage == Stage.LOCKING) {
            if (!participant.locks.contains(Datastore.RUNNING) || participant.hasCandidate() && !participant.locks.contains(Datastore.CANDIDATE)) {
                doubt(participant, "cannot be locked: " + Participant.refusal(answers));
                return;
            }
            participant.stage = Stage.CHANGING;
            change(participant, tree, after);
        } else if (answers.stream().noneMatch(Refused.class::isInstance)) {
            doubt(participant, "answered ok, but did not change");
        } else if (after) {
            String reason = participant.change.device() + " rolled back by itself and now refuses the change: " + Participant.refusal(answers);
            order.tell(participant, Outcome.FAILED, reason);
            order.turn(reason);
        } else {
            doubt(participant, "refused to undo the change: " + Participant.refusal(answers));
        }
    }

    /** Changes what was read into what it is to be, for good. */
    private void change(Participant participant, Node found, boolean after) {
        String edit = participant.change.codec().edit(participant.change.towards(after, found));
        List<Request> flight = new ArrayList<>(participant.hasCandidate() ? participant.prepare(edit) : List.of(new Change(edit)));
        if (participant.hasCandidate()) {
            flight.add(new Commit());
        }
        flight.add(participant.look);
        order.send(participant, flight);
    }

    /** What is unknown is in doubt: held, shown, tried again. */
    void doubt(Participant participant, String why) {
        if (participant.statement.isPresent()) {
            accept(participant, participant.statement.get());
            return;
        }
        order.tell(participant, Outcome.IN_DOUBT, why);
        participant.doubt = why;
        participant.inDoubt = true;
        participant.waiting = true;
        order.act(new Action.Pause(participant.change.device(), participant.pause));
        participant.pause = Math.min(2 * participant.pause, LONGEST_PAUSE_MILLIS);
    }

    /**
     * What a person saw on a device in doubt counts as read, if it is where the order leads. A device that is just asked once more answers first:
     * what it says itself counts more.
     */
    void resolved(Participant participant, Event.Resolved seen) {
        if (participant == null || participant.doubt.isEmpty() || seen.after() != (order.direction() == Direction.ONWARD)) {
            return;
        }
        if (participant.inDoubt) {
            accept(participant, seen);
        } else {
            participant.statement = Optional.of(seen);
        }
    }

    private void accept(Participant participant, Event.Resolved seen) {
        order.tell(participant, Outcome.OK, "resolved by " + seen.who() + ": the device holds the state " + (seen.after() ? "after this order" : "before this order"));
        participant.inDoubt = false;
        participant.unfenced.clear();
        participant.waiting = false;
        settled(participant);
    }

    void retry(Participant participant) {
        if (!participant.inDoubt) {
            // Somebody has seen meanwhile how the device stands.
            return;
        }
        participant.inDoubt = false;
        participant.waiting = false;
        settle(participant);
        order.endWhenSettled();
    }

    /** A device is where the order leads. What is left is to release locks, and to end sessions that were lost. */
    void settled(Participant participant) {
        participant.reached = true;
        participant.doubt = "";
        participant.statement = Optional.empty();
        List<Request> flight = new ArrayList<>();
        if (participant.locks.contains(Datastore.CANDIDATE)) {
            flight.add(new Discard());
            flight.add(new Unlock(Datastore.CANDIDATE));
        }
        if (participant.locks.contains(Datastore.RUNNING)) {
            flight.add(new Unlock(Datastore.RUNNING));
        }
        if (!flight.isEmpty()) {
            order.begin(participant, Phase.RELEASE, flight);
        } else if (!participant.unfenced.isEmpty()) {
            settle(participant);
        } else {
            participant.settled = true;
            order.endWhenSettled();
        }
    }

    private void released(Participant participant) {
        if (participant.connected) {
            order.tell(participant, Outcome.OK, "");
        }
        settle(participant);
    }
}
