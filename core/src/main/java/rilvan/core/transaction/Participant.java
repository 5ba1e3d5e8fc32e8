package rilvan.core.transaction;

import java.util.ArrayList;
import java.util.EnumSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import rilvan.core.dialect.MalformedConfiguration;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Answer.Data;
import rilvan.core.environment.Answer.Done;
import rilvan.core.environment.Answer.Lost;
import rilvan.core.environment.Answer.Refused;
import rilvan.core.environment.Request;
import rilvan.core.environment.Request.ConfirmedCommit;
import rilvan.core.environment.Request.Datastore;
import rilvan.core.environment.Request.Edit;
import rilvan.core.environment.Request.EndSession;
import rilvan.core.environment.Request.Extend;
import rilvan.core.environment.Request.Lock;
import rilvan.core.environment.Request.Read;
import rilvan.core.environment.Request.Unlock;
import rilvan.core.environment.Request.Validate;
import rilvan.core.network.DeviceKind;
import rilvan.core.transaction.DeviceChange.Comparison;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;

/** One device in a transaction: its session, its locks, its timers, and how far it is. */
final class Participant {

    static final long FIRST_PAUSE_MILLIS = 250;

    /** How far one device is on its own way to before or after. */
    enum Stage {
        COMPARING, READING, LOCKING, CHANGING
    }

    final DeviceChange change;
    Phase phase = Phase.CONNECT;
    Stage stage = Stage.READING;
    List<Request> flight = List.of();
    boolean connected;
    /** The datastores whose lock this order holds in the present session. */
    final Set<Datastore> locks = EnumSet.noneOf(Datastore.class);
    /** Whether the order waits for an answer, a session or the end of a pause. */
    boolean waiting;
    /** Whether it is where the order leads; what is left is to release locks and to end lost sessions. */
    boolean reached;
    /** Whether a rehearsal goes on without it. */
    boolean aside;
    /** Whether nothing is left to do on it. */
    boolean settled;
    boolean inDoubt;
    /** Why it was last found in doubt; empty where it never was, or has been settled since. */
    String doubt = "";
    /** What somebody says that it holds, where that is where the order leads: it counts once the device is found in doubt again. */
    Optional<Event.Resolved> statement = Optional.empty();
    /** Whether the device has been sent its change. */
    boolean changed;
    boolean saved;
    Optional<String> session = Optional.empty();
    /** The sessions that the journal knows of. */
    Set<String> onRecord = Set.of();
    /** Lost sessions that may still act, until the device has ended them. */
    final Set<String> unfenced = new LinkedHashSet<>();
    /** Whether a confirmation was answered with ok; it may not have been meant. */
    boolean acknowledged;
    /** When its confirm timer runs out at the earliest, counted from before it was started: a confirmation before that is in time. */
    long confirmBy;
    /** When that timer runs out at the latest, counted from when nothing that starts it can reach the device any more. */
    long overBy;
    long pause = FIRST_PAUSE_MILLIS;
    /** Reads the touched nodes. */
    final Read look;
    String lastText = "";
    Node lastTree = Node.EMPTY;

    Participant(DeviceChange change) {
        this.change = change;
        this.look = new Read(Datastore.RUNNING, change.filter());
    }

    /** Reads what a device sent; most readings say what the last one said. */
    Node decode(String text) {
        if (!text.equals(lastText)) {
            lastTree = change.codec().decode(text);
            lastText = text;
        }
        return lastTree;
    }

    /** Whether it rolls back by itself where nobody confirms. */
    boolean hasConfirmedCommit() {
        return change.kind() == DeviceKind.CONFIRMED_COMMIT;
    }

    boolean hasCandidate() {
        return change.kind().hasCandidate();
    }

    /**
     * Notes what answers say about the session, its locks and the timers.
     *
     * @return the warnings among them
     */
    List<String> note(List<Answer> answers, long now) {
        List<String> warnings = new ArrayList<>();
        for (int i = 0; i < answers.size(); i++) {
            if (flight.get(i) instanceof Lock lock && answers.get(i) instanceof Done) {
                locks.add(lock.datastore());
            } else if (flight.get(i) instanceof Unlock unlock) {
                locks.remove(unlock.datastore());
            } else if (flight.get(i) instanceof EndSession end && gone(answers.get(i))) {
                unfenced.remove(end.sessionId());
                // What the session had sent may have been done until now.
                overBy = timer(now);
            } else if (flight.get(i) instanceof ConfirmedCommit || flight.get(i) instanceof Extend) {
                overBy = timer(now);
            }
            if (answers.get(i) instanceof Done done && !done.warnings().isEmpty()) {
                warnings.add(done.warnings().stream().map(Answer.Fault::toString).collect(Collectors.joining("; ")));
            }
        }
        if (answers.stream().anyMatch(Lost.class::isInstance)) {
            // The device drops a session's locks and its locked candidate with the session (RFC 6241 §7.5, §8.3.5.2).
            connected = false;
            locks.clear();
            session.ifPresent(unfenced::add);
        }
        return warnings;
    }

    /** Whether a session that was to be ended is gone: ended now, or not known any more (RFC 6241 §7.9). */
    private static boolean gone(Answer answer) {
        return answer instanceof Done || unknown(answer);
    }

    /** Whether a device refused because what was named does not exist on it. */
    private static boolean unknown(Answer answer) {
        return answer instanceof Refused refused && refused.faults().stream().allMatch(fault -> fault.tag().equals("invalid-value"));
    }

    /** Whether the device refused a confirmation because no confirmed commit waits for it. */
    boolean findsNothingPending(Answer answer) {
        return unknown(answer) || answer instanceof Refused refused && change.notPending().isPresent()
                && refused.faults().stream().allMatch(fault -> change.notPending().get().matcher(fault.message()).find());
    }

    /** Puts a change into the candidate and has the device check it. */
    List<Request> prepare(String edit) {
        return change.testsEdits() ? List.of(new Edit(edit, true)) : List.of(new Edit(edit, false), new Validate());
    }

    /**
     * Whether saving what runs after this change would save nothing else than the change: what runs and what was saved, as they were read,
     * differ only in nodes that the change sets or takes away. They are compared by their schema, not by their text: a device may show entries that no
     * order is said for in any sequence.
     */
    boolean isSaved(List<Answer> answers) {
        List<String> texts = texts(answers);
        try {
            return texts.size() == 2 && (texts.get(0).equals(texts.get(1))
                    || change.sets(Difference.between(change.codec().decode(texts.get(0)), change.codec().decode(texts.get(1)))));
        } catch (MalformedConfiguration e) {
            return false;
        }
    }

    /** What was read, by the answers in their order. */
    static List<String> texts(List<Answer> answers) {
        return answers.stream().filter(Data.class::isInstance).map(answer -> ((Data) answer).text()).toList();
    }

    /** What was read last. */
    static Optional<Data> lastData(List<Answer> answers) {
        return answers.stream().filter(Data.class::isInstance).map(Data.class::cast).reduce((first, second) -> second);
    }

    /** Why the device refused, by the last of its errors. */
    static String refusal(List<Answer> answers) {
        return answers.stream().filter(Refused.class::isInstance).map(answer -> ((Refused) answer).message())
                .reduce((first, second) -> second).orElse("no reason given");
    }

    /** Compares what was read with the states before and after. What cannot be understood is somebody else's. */
    Comparison read(List<Answer> answers) {
        try {
            return change.judge(decode(lastData(answers).map(Data::text).orElse("")));
        } catch (MalformedConfiguration e) {
            return new Comparison.Foreign(change.difference().changes().get(0).at());
        }
    }

    /** The first node that the device does not hold as it should after the change, in words. */
    String unlike(List<Answer> answers) {
        try {
            return change.unlike(decode(lastData(answers).map(Data::text).orElse("")));
        } catch (MalformedConfiguration e) {
            return e.getMessage();
        }
    }

    /** When a confirm timer that starts now runs out. */
    long timer(long now) {
        return now + change.confirmSeconds() * 1_000_000_000L;
    }
}
