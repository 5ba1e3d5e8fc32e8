package rilvan.core.transaction;

import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Answer.Lost;
import rilvan.core.environment.Answer.Refused;
import rilvan.core.environment.Request;
import rilvan.core.environment.Request.Change;
import rilvan.core.environment.Request.Commit;
import rilvan.core.environment.Request.ConfirmedCommit;
import rilvan.core.environment.Request.Datastore;
import rilvan.core.environment.Request.Extend;
import rilvan.core.environment.Request.Lock;
import rilvan.core.environment.Request.Read;
import rilvan.core.network.DeviceKind;
import rilvan.core.transaction.Action.Outcome;
import rilvan.core.transaction.DeviceChange.Comparison;
import rilvan.core.transaction.Transaction.Direction;

/**
 * The way forward of a transaction: phases side by side on all devices, each ended by a barrier that all must pass. Of the devices without
 * confirmed commit the first of each kind changes by itself, the others in groups. An order that changes one device after another does so with all of them.
 */
final class Attempt {

    /** Seconds that must be left of every confirm timer when the decision is written, for all confirms to arrive in. */
    static final int CONFIRM_MARGIN_SECONDS = 5;

    private static final String UNTRIED = "not tried: a device of its kind checks a change only as it makes it";

    private final Transaction order;
    private Phase phase = Phase.CONNECT;
    private boolean checking;
    private boolean extended;
    /** Whether an event is under way that comes back to extend the confirm timers. */
    private boolean waking;

    Attempt(Transaction order) {
        this.order = order;
    }

    /** The next attempt, after one that was rolled back: what would wake that one wakes this one. */
    Attempt next() {
        Attempt next = new Attempt(order);
        next.waking = waking;
        return next;
    }

    /** Whether the checks are running. */
    boolean isChecking() {
        return checking;
    }

    void checksEnded() {
        checking = false;
    }

    /** All devices are on record with their sessions: locks and reads each. */
    void lockAndRead() {
        all(Phase.LOCK_AND_READ, participant -> switch (participant.change.kind()) {
            case CONFIRMED_COMMIT, CANDIDATE -> List.of(new Lock(Datastore.RUNNING), new Lock(Datastore.CANDIDATE), participant.look);
            // What is saved later is all that runs: it is compared whole with what was saved before.
            case RUNNING_ONLY -> List.of(new Lock(Datastore.RUNNING), new Read(Datastore.STARTUP, ""), new Read(Datastore.RUNNING, ""));
            case COMMAND_LINE -> List.of(new Read(Datastore.STARTUP, ""), new Read(Datastore.RUNNING, ""));
        });
    }

    /** All devices are prepared, and that is on record: those with confirmed commit change. */
    void commit() {
        if (order.isOneByOne()) {
            phase = Phase.CONFIRMED_COMMIT;
            changeNext();
            return;
        }
        order.participants().stream().filter(Participant::hasConfirmedCommit).forEach(this::arm);
        all(Phase.CONFIRMED_COMMIT, participant -> participant.hasConfirmedCommit()
                ? List.of(new ConfirmedCommit(order.token(), participant.change.confirmSeconds()), participant.look) : List.of());
        wakeToExtend();
    }

    /** A device with confirmed commit is about to change: from here on its timer may run. */
    private void arm(Participant participant) {
        participant.changed = true;
        participant.confirmBy = participant.timer(order.now());
    }

    void answered(Participant participant, List<Answer> answers) {
        Optional<Obstacle> obstacle = obstacle(participant, answers);
        if (obstacle.isPresent()) {
            order.tell(participant, Outcome.FAILED, obstacle.get().why());
            order.meets(participant, participant.change.device() + " " + obstacle.get().what() + (obstacle.get().why().isEmpty() ? "" : ": " + obstacle.get().why()),
                    blame(participant, answers));
            return;
        }
        if (participant.phase != Phase.EXTEND) {
            order.tell(participant, Outcome.OK, "");
        }
        passBarrier();
    }

    /** What a device did that keeps the order from going forward, and why as far as it says so. */
    private record Obstacle(String what, String why) {}

    private Optional<Obstacle> obstacle(Participant participant, List<Answer> answers) {
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
        if (!changed && !participant.hasCandidate() && !participant.isSaved(answers)) {
            return Optional.of(new Obstacle("has unsaved changes", "saving this order would save them too; save or undo them first"));
        }
        Comparison reading = participant.read(answers);
        if (changed ? reading instanceof Comparison.After : reading instanceof Comparison.Before) {
            return Optional.empty();
        }
        if (!changed) {
            return Optional.of(new Obstacle("differs from what Rilvan expects" + at(reading),
                    "it was changed outside Rilvan; read the device, then check the preview"));
        }
        return Optional.of(new Obstacle("differs from what was committed", participant.unlike(answers)
                + ". It took the change without an error; where devices of its family show a value in another form or not at all, the dialect's table says so"));
    }

    private static String at(Comparison reading) {
        return reading instanceof Comparison.Foreign foreign ? " at " + foreign.at() : "";
    }

    /** Goes on when every device has answered the current phase. */
    void passBarrier() {
        if (order.participants().stream().anyMatch(participant -> participant.waiting) || checking || order.isWriting()) {
            return;
        }
        switch (phase) {
            case CONNECT -> order.write(State.CONNECTED);
            case LOCK_AND_READ -> {
                if (order.isRehearsal()) {
                    order.participants().stream().filter(participant -> !participant.aside && !participant.hasCandidate()).forEach(participant -> order.skip(participant, Phase.EDIT_AND_VALIDATE, UNTRIED));
                }
                all(Phase.EDIT_AND_VALIDATE, participant -> participant.hasCandidate() ? participant.prepare(participant.change.edit()) : List.of());
            }
            case EDIT_AND_VALIDATE -> {
                if (order.isRehearsal()) {
                    order.rehearsed();
                } else {
                    order.write(State.PREPARED);
                }
            }
            case CONFIRMED_COMMIT, CHANGE -> {
                phase = Phase.CHANGE;
                changeNext();
            }
            case CHECKS -> all(Phase.FINAL_READ, participant -> List.of(participant.look));
            case FINAL_READ -> decide();
            default -> throw new IllegalStateException("no barrier after " + phase);
        }
    }

    /** The next devices that cannot take their change back by themselves, or the next one of any kind; when all have changed, the checks. */
    private void changeNext() {
        List<Participant> unchanged = order.participants().stream().filter(participant -> !participant.changed)
                .sorted(Comparator.comparing(participant -> participant.change.kind())).toList();
        if (!unchanged.isEmpty()) {
            DeviceKind kind = unchanged.get(0).change.kind();
            // What the first of a kind refuses, the others most likely would: so it is asked before any other has changed.
            boolean first = order.participants().stream().noneMatch(participant -> participant.changed && participant.change.kind() == kind);
            unchanged.stream().filter(participant -> participant.change.kind() == kind).limit(first || order.isOneByOne() ? 1 : DeviceKind.CHANGED_AT_ONCE).forEach(this::change);
            return;
        }
        phase = Phase.CHECKS;
        checking = true;
        order.act(new Action.Report("", Phase.CHECKS, Outcome.STARTED, ""));
        order.act(new Action.MakeChecks());
    }

    private void change(Participant participant) {
        if (participant.hasConfirmedCommit()) {
            arm(participant);
            order.begin(participant, Phase.CONFIRMED_COMMIT, List.of(new ConfirmedCommit(order.token(), participant.change.confirmSeconds()), participant.look));
            wakeToExtend();
        } else {
            participant.changed = true;
            order.begin(participant, Phase.CHANGE, List.of(participant.hasCandidate() ? new Commit() : new Change(participant.change.edit()), participant.look));
        }
    }

    /** Comes back when the shortest confirm timer has half run out. */
    private void wakeToExtend() {
        if (!waking) {
            order.participants().stream().filter(participant -> participant.hasConfirmedCommit() && participant.changed).mapToLong(participant -> (participant.confirmBy - order.now()) / 2_000_000).min().ifPresent(millis -> {
                waking = true;
                order.act(new Action.Pause("", Math.max(millis, 0)));
            });
        }
    }

    /** While others still commit or change, and while checks are made, every device that waits for a confirmation waits longer. */
    void extend() {
        waking = false;
        if (order.direction() != Direction.FORWARD || phase != Phase.CONFIRMED_COMMIT && phase != Phase.CHANGE && !checking) {
            return;
        }
        for (Participant participant : order.participants()) {
            if (participant.hasConfirmedCommit() && participant.changed && !participant.waiting) {
                participant.phase = Phase.EXTEND;
                order.send(participant, List.of(longer(participant)));
            }
        }
        wakeToExtend();
    }

    private Extend longer(Participant participant) {
        participant.confirmBy = participant.timer(order.now());
        return new Extend(order.token(), participant.change.confirmSeconds());
    }

    private void decide() {
        long latest = order.now() + CONFIRM_MARGIN_SECONDS * 1_000_000_000L;
        Optional<Participant> late = order.participants().stream().filter(participant -> participant.hasConfirmedCommit() && participant.confirmBy - latest < 0).findFirst();
        if (late.isPresent() && !extended) {
            extended = true;
            all(Phase.FINAL_READ, participant -> participant.hasConfirmedCommit() ? List.of(longer(participant), participant.look) : List.of(participant.look));
        } else if (late.isPresent()) {
            order.fail("the checks took too long: " + late.get().change.device() + " was about to roll back by itself", Optional.empty());
        } else {
            order.write(State.DECIDED);
        }
    }

    /** Starts a phase on all devices that have something to do in it. */
    void all(Phase next, Function<Participant, List<Request>> flight) {
        phase = next;
        boolean idle = true;
        for (Participant participant : order.participants()) {
            List<Request> requests = participant.aside ? List.of() : flight.apply(participant);
            if (!requests.isEmpty()) {
                order.begin(participant, next, requests);
                idle = false;
            }
        }
        if (idle) {
            passBarrier();
        }
    }

    /** Who may be at fault for what a device did: where it names nodes, whoever wants those there. */
    static Optional<Action.Blame> blame(Participant participant, List<Answer> answers) {
        List<Answer.Fault> faults = answers.stream().filter(Refused.class::isInstance).flatMap(answer -> ((Refused) answer).faults().stream()).toList();
        return Optional.of(new Action.Blame(Optional.of(participant.change.device()), faults));
    }
}
