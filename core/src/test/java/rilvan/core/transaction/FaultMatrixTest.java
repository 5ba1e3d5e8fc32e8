package rilvan.core.transaction;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Predicate;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import rilvan.core.Shipped;
import rilvan.core.environment.Request;
import rilvan.core.network.DeviceKind;
import rilvan.core.transaction.SimulatedDevice.Fault;
import rilvan.core.transaction.SimulatedWorld.Blow;
import rilvan.core.transaction.SimulatedWorld.Manner;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * Every step of an order, every fault, every kind of device. Each cell is one order over two devices, the one at fault and
 * another that behaves; whatever its end, the world's own judgement holds (nothing half-done, nothing left behind), and an
 * order that rolls back says why. The matrix prints itself; a cell in which nothing happened fails, unless it says why it cannot.
 */
class FaultMatrixTest {

    private static final Node BEFORE = Shipped.QUERN.codec().decode(Shipped.text("demo/devices/haven-pe1.xml"));
    private static final Path RD = Path.parse("/vpn/vrf[V]/rd");
    private static final Node AFTER = BEFORE.with(Path.parse("/vpn/vrf[V]"), Node.ENTRY).with(RD, Node.leaf("1:1"));
    private static final Difference CHANGE = Difference.between(BEFORE, AFTER);
    private static final int CONFIRM_SECONDS = 30;
    private static final SimulatedDevice.Whim BEHAVES = new SimulatedDevice.Whim() { };
    private static final StringBuilder PRINTED = new StringBuilder();

    /** A step of an order on one device: what is asked, at which record, on which way. */
    private enum FaultPoint {
        OPEN("connect", false), LOCK("lock", false), LOOK("read", false), LOAD("edit", false), VALIDATE("validate", false),
        COMMIT("commit", false), READ_BACK("read after it", false), PROVE("checks", false), LOOK_AGAIN("final read", false),
        CONFIRM("confirm", false), SAVE("save", false), UNLOCK("unlock", false),
        CANCEL("back: cancel", true), DISCARD("back: discard", true), READ("back: read", true), LOCK_AGAIN("back: lock", true),
        UNDO("back: undo", true), RELEASE("back: unlock", true);

        private final String words;
        private final boolean back;

        FaultPoint(String words, boolean back) {
            this.words = words;
            this.back = back;
        }
    }

    /** What goes wrong at a step. */
    private enum Wrong {
        REFUSED("refused", Fault.REFUSED), WARNED("warned", Fault.WARNED), DROPPED_BEFORE("dropped before", Fault.DROPPED_BEFORE),
        DROPPED_AFTER("dropped after", Fault.DROPPED_AFTER), SILENT("silence", Fault.SILENT), SLOW("too slow", Fault.SLOW),
        RESTART("restart", Fault.RESTART), IGNORED("ok, not done", Fault.IGNORED), HALF("half done", Fault.HALF_DONE),
        KILLED_BEFORE("killed before", Blow.KILLED_BEFORE), KILLED_AFTER("killed after", Blow.KILLED_AFTER),
        WOKEN("stopped, woken", Blow.PAUSED);

        private final String words;
        private final Fault fault;
        private final Blow blow;

        Wrong(String words, Fault fault) {
            this.words = words;
            this.fault = fault;
            this.blow = Blow.NONE;
        }

        Wrong(String words, Blow blow) {
            this.words = words;
            this.fault = Fault.NONE;
            this.blow = blow;
        }
    }

    /** A step that a kind of device does not have, or a fault that a step cannot have, and why. */
    private static Optional<String> impossible(DeviceKind kind, FaultPoint step, Wrong wrong) {
        if (wrong == Wrong.WARNED && kind == DeviceKind.COMMAND_LINE) {
            return Optional.of("a command line does not tell warnings from errors");
        }
        boolean candidate = kind.hasCandidate();
        boolean revocable = kind == DeviceKind.CONFIRMED_COMMIT;
        return switch (step) {
            case LOCK, UNLOCK, RELEASE, LOCK_AGAIN -> kind == DeviceKind.COMMAND_LINE ? Optional.of("a command line has no locks")
                    : step == FaultPoint.LOCK_AGAIN && !revocable ? Optional.of("its locks are still held")
                    : unchanging(wrong);
            case LOAD, VALIDATE, DISCARD -> !candidate ? Optional.of("it has no candidate")
                    : step == FaultPoint.LOAD && wrong == Wrong.HALF ? Optional.of("a request is done whole or not at all")
                    : step == FaultPoint.LOAD ? Optional.empty() : unchanging(wrong);
            case CONFIRM, CANCEL -> !revocable ? Optional.of("it has no confirmed commit") : unchanging(wrong);
            case SAVE -> candidate ? Optional.of("what it commits lasts")
                    : wrong == Wrong.HALF ? Optional.of("a request is done whole or not at all") : Optional.empty();
            case COMMIT, UNDO -> wrong == Wrong.HALF && kind != DeviceKind.COMMAND_LINE ? Optional.of("a request is done whole or not at all")
                    : wrong == Wrong.IGNORED && candidate ? Optional.of("seen as an edit that was not done") : Optional.empty();
            case OPEN -> wrong == Wrong.REFUSED || wrong.blow != Blow.NONE ? Optional.empty() : Optional.of("there is no session yet");
            case PROVE -> wrong == Wrong.RESTART || wrong.blow != Blow.NONE ? Optional.empty() : Optional.of("nothing is asked of the device");
            case LOOK, READ_BACK, LOOK_AGAIN, READ -> unchanging(wrong);
        };
    }

    private static Optional<String> unchanging(Wrong wrong) {
        return wrong == Wrong.IGNORED || wrong == Wrong.HALF ? Optional.of("it brings no edit") : Optional.empty();
    }

    /** Whether a request belongs to a step. */
    private static boolean is(FaultPoint step, Request request, List<Request> flight, State stored, boolean undoing) {
        boolean commits = flight.stream().anyMatch(each -> each instanceof Request.ConfirmedCommit || each instanceof Request.Commit
                || each instanceof Request.Change);
        boolean backs = stored == State.PREPARED && !commits;
        return switch (step) {
            case LOCK -> request instanceof Request.Lock && stored == State.CONNECTED;
            case LOOK -> request instanceof Request.Read && stored == State.CONNECTED;
            case LOAD -> request instanceof Request.Edit && stored == State.CONNECTED;
            case VALIDATE -> request instanceof Request.Validate && stored == State.CONNECTED;
            case COMMIT -> (request instanceof Request.ConfirmedCommit || request instanceof Request.Commit || request instanceof Request.Change)
                    && stored == State.PREPARED;
            case READ_BACK -> request instanceof Request.Read && commits && stored == State.PREPARED;
            case LOOK_AGAIN, READ -> request instanceof Request.Read && backs;
            case CONFIRM -> request instanceof Request.Confirm;
            case SAVE -> request instanceof Request.Save;
            case UNLOCK -> request instanceof Request.Unlock && stored == State.DECIDED;
            case CANCEL -> request instanceof Request.Cancel;
            case DISCARD -> request instanceof Request.Discard;
            case LOCK_AGAIN -> request instanceof Request.Lock && stored == State.PREPARED;
            case UNDO -> undoing && (request instanceof Request.Commit || request instanceof Request.Change);
            case RELEASE -> request instanceof Request.Unlock && stored == State.PREPARED;
            case OPEN, PROVE -> false;
        };
    }

    @ParameterizedTest
    @EnumSource
    void everyStepWithEveryFault(DeviceKind kind) {
        Map<String, Character> reasons = new LinkedHashMap<>();
        StringBuilder table = new StringBuilder(String.format("%n%-14s", kind.name().toLowerCase().replace('_', ' ')));
        Arrays.stream(Wrong.values()).forEach(wrong -> table.append(String.format("%-15s", wrong.words)));
        for (FaultPoint step : FaultPoint.values()) {
            table.append(String.format("%n%-14s", step.words));
            for (Wrong wrong : Wrong.values()) {
                Optional<String> impossible = impossible(kind, step, wrong);
                String cell = impossible.isPresent() ? "(" + reasons.computeIfAbsent(impossible.get(), why -> (char) ('a' + reasons.size())) + ")"
                        : cell(kind, step, wrong);
                table.append(String.format("%-15s", cell));
            }
        }
        reasons.forEach((why, letter) -> table.append(String.format("%n(%s) %s", letter, why)));
        PRINTED.append(table).append('\n');
    }

    private static String cell(DeviceKind kind, FaultPoint step, Wrong wrong) {
        String name = kind + ", " + step.words + ", " + wrong.words;
        Script script = new Script();
        SimulatedWorld world = new SimulatedWorld(name, script, Optional.empty(), Manner.WHOLE);
        script.world = world;
        script.proves = !step.back;
        SimulatedDevice one = world.add(part("one", kind), BEFORE, script.whim((request, flight) -> {
            // The flight under way is counted already.
            return is(step, request, flight, world.stored(), script.commits > 1) ? wrong.fault : Fault.NONE;
        }), false);
        world.add(part("two", DeviceKind.CONFIRMED_COMMIT), BEFORE, BEHAVES, false);
        if (kind == DeviceKind.CONFIRMED_COMMIT && (step == FaultPoint.LOCK_AGAIN || step == FaultPoint.UNDO)) {
            one.lieAboutCancel();
        }
        script.opens = step == FaultPoint.OPEN && wrong == Wrong.REFUSED;
        script.blow = wrong.blow;
        script.strikes = action -> switch (step) {
            case OPEN -> action instanceof Action.Open open && open.device().equals("one");
            case PROVE -> {
                boolean checks = action instanceof Action.MakeChecks;
                if (checks && wrong == Wrong.RESTART) {
                    one.restart();
                    script.happened = true;
                }
                yield checks;
            }
            default -> action instanceof Action.Send send && send.device().equals("one") && send.flight().stream()
                    .anyMatch(request -> is(step, request, send.flight(), world.stored(), script.commits > 0));
        };
        State end = world.run();
        assertThat(script.happened).as("%s: an empty cell", name).isTrue();
        if (end == State.ROLLED_BACK) {
            assertThat(world.reason()).as(name).isNotEmpty();
        }
        return end == State.DONE ? "done" : "rolled back";
    }

    /** Faults that are no single request's. */
    private enum Mischief {
        LOCK_HELD_BY_ANOTHER, CHANGED_BEFORE_THE_LOOK, CHANGED_DURING_THE_PROOF_AND_TAKEN_BACK, EDITS_IN_CANDIDATE_AT_LOCK,
        EDITS_IN_CANDIDATE_AT_CONFIRM, CANCEL_SAYS_OK_AND_KEEPS, TIMER_RUNS_OUT_AND_KEEPS, LOCKS_REFUSED_WHILE_COMMIT_PENDS,
        CONFIRM_REFUSED_BECAUSE_DONE, CONFIRM_TOO_LATE, CONFIRM_TOO_LATE_AND_REFUSED_FOR_GOOD, PROOF_LONGER_THAN_THE_TIMER,
        PROOF_FAILS, TAKEN_BACK_BEFORE_THE_DECISION, TAKEN_BACK_AFTER_THE_DECISION, RESTART_BEFORE_SAVING
    }

    @Test
    void everyMischief() {
        StringBuilder table = new StringBuilder(String.format("%n%-42s", "mischief"));
        Arrays.stream(DeviceKind.values()).forEach(kind -> table.append(String.format("%-15s", kind.name().toLowerCase().replace('_', ' '))));
        for (Mischief mischief : Mischief.values()) {
            table.append(String.format("%n%-42s", mischief.name().toLowerCase().replace('_', ' ')));
            for (DeviceKind kind : DeviceKind.values()) {
                table.append(String.format("%-15s", has(kind, mischief) ? mischief(kind, mischief) : "(not its kind)"));
            }
        }
        PRINTED.append(table).append('\n');
    }

    private static boolean has(DeviceKind kind, Mischief mischief) {
        return switch (mischief) {
            case LOCK_HELD_BY_ANOTHER -> kind != DeviceKind.COMMAND_LINE;
            case EDITS_IN_CANDIDATE_AT_LOCK -> kind.hasCandidate();
            case EDITS_IN_CANDIDATE_AT_CONFIRM, CANCEL_SAYS_OK_AND_KEEPS, TIMER_RUNS_OUT_AND_KEEPS, LOCKS_REFUSED_WHILE_COMMIT_PENDS,
                    CONFIRM_REFUSED_BECAUSE_DONE, CONFIRM_TOO_LATE, CONFIRM_TOO_LATE_AND_REFUSED_FOR_GOOD -> kind == DeviceKind.CONFIRMED_COMMIT;
            case RESTART_BEFORE_SAVING -> !kind.hasCandidate();
            default -> true;
        };
    }

    private static String mischief(DeviceKind kind, Mischief mischief) {
        String name = kind + ", " + mischief;
        Script script = new Script();
        SimulatedWorld world = new SimulatedWorld(name, script, Optional.empty(), Manner.WHOLE);
        script.world = world;
        SimulatedDevice one = world.add(part("one", kind), BEFORE, BEHAVES, mischief == Mischief.CONFIRM_TOO_LATE_AND_REFUSED_FOR_GOOD);
        world.add(part("two", DeviceKind.CONFIRMED_COMMIT), BEFORE, BEHAVES, false);
        Predicate<Action> locks = action -> action instanceof Action.Send send && send.device().equals("one") && world.stored() == State.CONNECTED;
        Predicate<Action> confirms = action -> action instanceof Action.Send send && send.device().equals("one") && world.stored() == State.DECIDED;
        Node foreign = AFTER.with(RD, Node.leaf("9:9"));
        switch (mischief) {
            case LOCK_HELD_BY_ANOTHER -> script.once(locks, one::lockByHand);
            case CHANGED_BEFORE_THE_LOOK -> script.once(locks, () -> one.change(foreign, true));
            case CHANGED_DURING_THE_PROOF_AND_TAKEN_BACK -> {
                script.once(action -> action instanceof Action.MakeChecks, () -> one.change(foreign, false));
                if (kind != DeviceKind.CONFIRMED_COMMIT) {
                    // In doubt until it is rolled back; where the commit itself is cancelled, theirs goes with it.
                    script.once(action -> action instanceof Action.Pause pause && pause.device().equals("one"), () -> one.change(AFTER, false));
                }
            }
            case EDITS_IN_CANDIDATE_AT_LOCK -> script.once(locks, one::typeIntoCandidate);
            case EDITS_IN_CANDIDATE_AT_CONFIRM -> {
                script.strikes = confirms;
                script.blow = Blow.KILLED_BEFORE;
                script.afterwards = one::typeIntoCandidate;
            }
            case CANCEL_SAYS_OK_AND_KEEPS -> {
                one.lieAboutCancel();
                script.proves = false;
            }
            case TIMER_RUNS_OUT_AND_KEEPS -> {
                one.keepAtExpiry();
                script.strikes = action -> action instanceof Action.MakeChecks;
                script.blow = Blow.KILLED_BEFORE;
                script.away = 2 * CONFIRM_SECONDS;
            }
            case LOCKS_REFUSED_WHILE_COMMIT_PENDS -> {
                script.strikes = action -> action instanceof Action.MakeChecks;
                script.blow = Blow.KILLED_BEFORE;
            }
            case CONFIRM_REFUSED_BECAUSE_DONE -> {
                script.strikes = confirms;
                script.blow = Blow.KILLED_AFTER;
            }
            case CONFIRM_TOO_LATE, CONFIRM_TOO_LATE_AND_REFUSED_FOR_GOOD -> {
                script.strikes = confirms;
                script.blow = Blow.KILLED_BEFORE;
                script.away = 2 * CONFIRM_SECONDS;
            }
            case PROOF_LONGER_THAN_THE_TIMER -> script.proofSeconds = 4 * CONFIRM_SECONDS;
            case PROOF_FAILS -> script.proves = false;
            case TAKEN_BACK_BEFORE_THE_DECISION -> script.cancelsAt = State.PREPARED;
            case TAKEN_BACK_AFTER_THE_DECISION -> script.cancelsAt = State.DECIDED;
            case RESTART_BEFORE_SAVING -> script.once(confirms, one::restart);
        }
        State end = world.run();
        boolean stands = Set.of(Mischief.EDITS_IN_CANDIDATE_AT_CONFIRM, Mischief.CONFIRM_REFUSED_BECAUSE_DONE, Mischief.CONFIRM_TOO_LATE,
                Mischief.PROOF_LONGER_THAN_THE_TIMER, Mischief.TAKEN_BACK_AFTER_THE_DECISION, Mischief.RESTART_BEFORE_SAVING).contains(mischief);
        assertThat(end).as("%s: %s", name, world.reason()).isEqualTo(stands ? State.DONE : State.ROLLED_BACK);
        assertThat(script.happened || !script.pending()).as("%s: an empty cell", name).isTrue();
        return stands ? "done" : "rolled back";
    }

    /** Every record: not stored, stored without an answer, the process killed around it, or stopped before it and woken later. */
    @ParameterizedTest
    @EnumSource
    void everyRecord(DeviceKind kind) {
        List<Blow> blows = List.of(Blow.UNANSWERED_NOT_STORED, Blow.UNANSWERED_STORED, Blow.KILLED_BEFORE, Blow.KILLED_AFTER, Blow.PAUSED);
        StringBuilder table = new StringBuilder(String.format("%n%-14s", kind.name().toLowerCase().replace('_', ' ') + ", records"));
        blows.forEach(blow -> table.append(String.format(" %-22s", blow.name().toLowerCase().replace('_', ' '))));
        for (State record : List.of(State.CONNECTED, State.PREPARED, State.DECIDED, State.DONE, State.ROLLED_BACK)) {
            table.append(String.format("%n%-24s", record));
            for (Blow blow : blows) {
                String name = kind + ", " + record + ", " + blow;
                Script script = new Script();
                SimulatedWorld world = new SimulatedWorld(name, script, Optional.empty(), Manner.WHOLE);
                script.world = world;
                world.add(part("one", kind), BEFORE, BEHAVES, false);
                world.add(part("two", DeviceKind.CONFIRMED_COMMIT), BEFORE, BEHAVES, false);
                script.proves = record != State.ROLLED_BACK;
                script.strikes = action -> action instanceof Action.Write write && write.state() == record;
                script.blow = blow;
                State end = world.run();
                assertThat(script.happened).as("%s: an empty cell", name).isTrue();
                boolean unanswered = blow == Blow.UNANSWERED_NOT_STORED || blow == Blow.UNANSWERED_STORED;
                boolean stands = record == State.DONE || unanswered && record != State.ROLLED_BACK || record == State.DECIDED && blow == Blow.KILLED_AFTER;
                assertThat(end).as("%s: %s", name, world.reason()).isEqualTo(stands ? State.DONE : State.ROLLED_BACK);
                table.append(String.format("%-23s", end == State.DONE ? "done" : "rolled back"));
            }
        }
        PRINTED.append(table).append('\n');
    }

    @AfterAll
    static void print() {
        System.out.println(PRINTED);
    }

    private static DeviceChange part(String name, DeviceKind kind) {
        return new DeviceChange(name, kind, Shipped.QUERN.codec(), CHANGE, kind == DeviceKind.CONFIRMED_COMMIT ? CONFIRM_SECONDS : 0, false, Optional.empty());
    }

    /** One fault, once; everything else goes well and in order. */
    private static final class Script implements SimulatedWorld.Fate {

        private interface AtRequest {
            Fault at(Request request, List<Request> flight);
        }

        private record Once(Predicate<Action> when, Runnable what) {}

        private final List<Once> planned = new ArrayList<>();
        private SimulatedWorld world;
        private Predicate<Action> strikes = action -> false;
        private Blow blow = Blow.NONE;
        private Runnable afterwards = () -> { };
        private boolean opens;
        private boolean proves = true;
        private boolean happened;
        private State cancelsAt;
        private int proofSeconds = 1;
        private int away = 5;
        private int commits;
        private List<Request> sending = List.of();

        void once(Predicate<Action> when, Runnable what) {
            planned.add(new Once(when, what));
        }

        /** Whether something was planned that has to happen for the story to be told. */
        boolean pending() {
            return !planned.isEmpty() || blow != Blow.NONE;
        }

        @Override
        public int next(int underWay) {
            return 0;
        }

        @Override
        public Blow at(Action action) {
            if (action instanceof Action.Send send && send.device().equals("one")) {
                sending = send.flight();
            }
            for (Once each : List.copyOf(planned)) {
                if (each.when().test(action)) {
                    planned.remove(each);
                    happened = planned.isEmpty();
                    each.what().run();
                    break;
                }
            }
            boolean hit = strikes.test(action) && blow != Blow.NONE;
            if (action instanceof Action.Send send && send.device().equals("one") && send.flight().stream().anyMatch(request ->
                    request instanceof Request.ConfirmedCommit || request instanceof Request.Commit || request instanceof Request.Change)) {
                commits++;
            }
            if (!hit) {
                return Blow.NONE;
            }
            Blow now = blow;
            blow = Blow.NONE;
            happened = true;
            return now;
        }

        @Override
        public long takes(Action action) {
            return action instanceof Action.MakeChecks ? proofSeconds * 1_000_000_000L : 10_000_000L;
        }

        @Override
        public long away() {
            afterwards.run();
            return away * 1_000_000_000L;
        }

        @Override
        public boolean proves() {
            return proves;
        }

        @Override
        public boolean cancels() {
            boolean now = world.stored() == cancelsAt;
            happened |= now;
            return now;
        }

        @Override
        public void calm() {
            strikes = action -> false;
        }

        SimulatedDevice.Whim whim(AtRequest at) {
            return new SimulatedDevice.Whim() {
                private boolean done;

                @Override
                public Fault at(Request request) {
                    Fault fault = done ? Fault.NONE : at.at(request, sending);
                    if (fault != Fault.NONE) {
                        done = true;
                        happened = true;
                    }
                    return fault;
                }

                @Override
                public boolean chance(double weight) {
                    // Only opening a session asks with full weight before anything else has happened.
                    boolean refused = opens && weight == 1;
                    opens = opens && !refused;
                    happened |= refused;
                    return refused;
                }
            };
        }
    }
}
