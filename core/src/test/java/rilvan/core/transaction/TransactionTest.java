package rilvan.core.transaction;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.BiFunction;
import java.util.function.Function;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Request;
import rilvan.core.network.DeviceKind;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/** The protocol step by step, on devices that behave but for what a test says. */
class TransactionTest {

    private static final Node BEFORE = Shipped.QUERN.codec().decode(Shipped.text("demo/devices/haven-pe1.xml"));
    private static final Node AFTER = BEFORE.with(Path.parse("/vpn/vrf[V]"), Node.ENTRY).with(Path.parse("/vpn/vrf[V]/rd"), Node.leaf("1:1"));

    private static final SimulatedDevice.Whim BEHAVES = new SimulatedDevice.Whim() { };

    private final List<DeviceChange> parts = new ArrayList<>();
    private final Map<String, SimulatedDevice> devices = new LinkedHashMap<>();
    private final Map<String, List<String>> requests = new LinkedHashMap<>();
    private final List<State> records = new ArrayList<>();
    private final List<String> broken = new ArrayList<>();
    private BiFunction<String, Action.Send, List<Answer>> fault = (device, send) -> null;
    private final Map<String, Integer> sessions = new LinkedHashMap<>();
    private final List<Action.Report> reports = new ArrayList<>();
    private Function<Action, Optional<Event>> somebody = action -> Optional.empty();
    private boolean passing = true;
    private String told = "";
    private String recorded = "";
    private long now;
    private long alarm = Long.MAX_VALUE;

    private void device(String name) {
        device(name, DeviceKind.CONFIRMED_COMMIT);
    }

    private void device(String name, DeviceKind kind) {
        DeviceChange part = new DeviceChange(name, kind, Shipped.QUERN.codec(), Difference.between(BEFORE, AFTER), 30, false, Optional.empty());
        parts.add(part);
        requests.put(name, new ArrayList<>());
        devices.put(name, new SimulatedDevice(part, BEFORE, BEHAVES, broken, false));
    }

    private State run() {
        return run(Transaction.of("token", parts, false, false));
    }

    private State run(Transaction transaction) {
        Deque<Action> todo = new ArrayDeque<>(transaction.start(now));
        while (!todo.isEmpty()) {
            if (now >= alarm) {
                alarm = Long.MAX_VALUE;
                todo.addAll(transaction.on(new Event.Resumed(""), now));
            }
            Action action = todo.removeFirst();
            Event event = null;
            Optional<Event> said = somebody.apply(action);
            if (said.isPresent()) {
                todo.addAll(transaction.on(said.get(), now));
            }
            if (action instanceof Action.Open open) {
                sessions.put(open.device(), devices.get(open.device()).open().orElseThrow());
                event = new Event.Opened(open.device(), Integer.toString(sessions.get(open.device())));
            } else if (action instanceof Action.Send send) {
                send.flight().forEach(request -> requests.get(send.device()).add(request.getClass().getSimpleName()));
                List<Answer> answers = fault.apply(send.device(), send);
                event = new Event.Answered(send.device(), answers != null ? answers : answer(send));
            } else if (action instanceof Action.Write write) {
                records.add(write.state());
                recorded = write.reason();
                if (write.state() == State.PREPARED) {
                    devices.values().forEach(device -> device.prepared(true));
                }
                if (write.state() == State.DECIDED) {
                    devices.values().forEach(SimulatedDevice::decided);
                }
                event = new Event.Written();
            } else if (action instanceof Action.MakeChecks) {
                event = new Event.Checked(passing, passing ? "1 check holds" : "no answer");
            } else if (action instanceof Action.Pause pause && pause.device().isEmpty()) {
                alarm = now + pause.millis() * 1_000_000L;
            } else if (action instanceof Action.Pause pause) {
                pass(pause.millis() / 1000.0);
                event = new Event.Resumed(pause.device());
            } else if (action instanceof Action.Report report) {
                reports.add(report);
            }
            if (event != null) {
                todo.addAll(transaction.on(event, now));
            }
        }
        told = transaction.reason();
        assertThat(broken).isEmpty();
        return records.get(records.size() - 1);
    }

    private List<Answer> answer(Action.Send send) {
        return devices.get(send.device()).answer(sessions.get(send.device()), send.flight(), now);
    }

    private void pass(double seconds) {
        now += (long) (seconds * 1e9);
        devices.values().forEach(device -> device.tick(now));
    }

    @Test
    void anOrderCostsFiveRecordsAndElevenRequestsADeviceWhateverTheirNumber() {
        for (int i = 0; i < 7; i++) {
            device("device-" + i);
        }
        assertThat(run()).isEqualTo(State.DONE);
        // The OPEN record is written with the plan, before the transaction starts.
        assertThat(records).containsExactly(State.CONNECTED, State.PREPARED, State.DECIDED, State.DONE);
        requests.values().forEach(sent -> assertThat(sent).containsExactly("Lock", "Lock", "Read", "Edit", "Validate",
                "ConfirmedCommit", "Read", "Read", "Confirm", "Confirm", "Unlock", "Unlock"));
    }

    /** Each device says what it says; what cannot be asked of its kind without a change is told. */
    @Test
    void aRehearsalAsksEveryDeviceWhatCanBeAskedAndChangesNone() {
        device("good");
        device("full");
        device("gone");
        device("typed-on");
        devices.put("typed-on", new SimulatedDevice(parts.get(3), BEFORE.with(Path.parse("/vpn/vrf[V]"), Node.ENTRY).with(Path.parse("/vpn/vrf[V]/rd"), Node.leaf("9:9")), BEHAVES, broken, false));
        device("plain", DeviceKind.CANDIDATE);
        device("weak", DeviceKind.RUNNING_ONLY);
        device("lines", DeviceKind.COMMAND_LINE);
        fault = (device, send) -> switch (device + " " + send.flight().get(0).getClass().getSimpleName()) {
            case "full Edit" -> List.of(new Answer.Done(), new Answer.Refused(List.of(new Answer.Fault("resource-denied", "/vpn", "no room"))));
            case "gone Lock" -> send.flight().stream().<Answer>map(request -> new Answer.Lost("the connection is gone")).toList();
            default -> null;
        };
        assertThat(run(Transaction.rehearsal("token", parts))).isEqualTo(State.REHEARSED);
        assertThat(records).startsWith(State.CONNECTED).doesNotContain(State.PREPARED);
        assertThat(recorded).startsWith("3 devices: ").contains("full refused the edit and validate: no room", "gone was lost during lock and read: the connection is gone", "typed-on differs from what Rilvan expects at /vpn/vrf[V]");
        requests.values().forEach(sent -> assertThat(sent).doesNotContain("ConfirmedCommit", "Commit", "Change", "Save", "Confirm"));
        assertThat(requests.get("good")).containsExactly("Lock", "Lock", "Read", "Edit", "Validate", "Discard", "Unlock", "Unlock");
        assertThat(requests.get("plain")).isEqualTo(requests.get("good"));
        assertThat(reports.stream().filter(report -> report.outcome() == Action.Outcome.WARNING).map(report -> report.device() + " " + report.text()))
                .containsExactly("weak not tried: a device of its kind checks a change only as it makes it", "lines not tried: a device of its kind checks a change only as it makes it");
    }

    @Test
    void oneRefusalRollsBackEveryDeviceAndNamesTheDeviceAndReason() {
        device("one");
        device("two");
        fault = (device, send) -> device.equals("two") && send.flight().get(0) instanceof Request.ConfirmedCommit
                ? List.of(new Answer.Refused(List.of(new Answer.Fault("resource-denied", "/vpn", "no room"))), new Answer.Data(text(BEFORE)))
                : null;
        assertThat(run()).isEqualTo(State.ROLLED_BACK);
        assertThat(told).isEqualTo("two refused the confirmed commit: no room (resource-denied at /vpn)");
        devices.values().forEach(device -> {
            assertThat(device.running()).isEqualTo(BEFORE);
            assertThat(device.remains(Set.of())).isEmpty();
        });
    }

    @Test
    void aChangeFromOutsideIsNotOverwritten() {
        device("one");
        device("two");
        Node drifted = BEFORE.with(Path.parse("/vpn/vrf[V]"), Node.ENTRY).with(Path.parse("/vpn/vrf[V]/rd"), Node.leaf("9:9"));
        fault = (device, send) -> {
            if (!device.equals("one") || !(send.flight().get(0) instanceof Request.Lock)) {
                return null;
            }
            List<Answer> answers = answer(send);
            return List.of(answers.get(0), answers.get(1), new Answer.Data(text(drifted)));
        };
        assertThat(run()).isEqualTo(State.ROLLED_BACK);
        assertThat(told).startsWith("one differs from what Rilvan expects at /vpn").contains("changed outside Rilvan");
        assertThat(records).containsExactly(State.CONNECTED, State.ROLLED_BACK);
        assertThat(requests.values()).noneMatch(sent -> sent.contains("Edit"));
    }

    @Test
    void anOrderWhoseChecksFailIsRolledBack() {
        device("one");
        passing = false;
        assertThat(run()).isEqualTo(State.ROLLED_BACK);
        assertThat(told).isEqualTo("no answer");
        assertThat(devices.get("one").running()).isEqualTo(BEFORE);
    }

    @Test
    void anEditThatWasAnsweredOkButNotMadeIsFoundByReading() {
        device("one");
        fault = (device, send) -> send.flight().get(0) instanceof Request.Edit ? List.of(new Answer.Done(), new Answer.Done()) : null;
        assertThat(run()).isEqualTo(State.ROLLED_BACK);
        assertThat(told).startsWith("one differs from what was committed: /").contains("It took the change without an error");
    }

    /** The device's timer counts from when the device acted, which may be long after it was asked to. */
    @Test
    void aReadingBeforeTheConfirmTimerHasRunOutDecidesNothing() {
        device("one");
        SimulatedDevice one = devices.get("one");
        fault = (device, send) -> {
            if (send.flight().get(0) instanceof Request.ConfirmedCommit) {
                pass(20);
            } else if (send.flight().get(0) instanceof Request.Confirm && now < 25e9) {
                one.typeIntoCandidate();
                return send.flight().stream().<Answer>map(request -> new Answer.Lost("gone")).toList();
            } else if (now > 60e9) {
                one.leaveAlone();
            }
            return null;
        };
        assertThat(run()).isEqualTo(State.DONE);
        pass(3600);
        assertThat(one.running()).isEqualTo(AFTER);
        assertThat(one.remains(Set.of())).isEmpty();
    }

    /**
     * What somebody saw on a device in doubt counts, also while the device is just asked once more; not before it was in doubt, and not where the
     * order does not lead. A device that answers the same again and again has one thing to tell.
     */
    @ParameterizedTest
    @CsvSource({"in doubt, false, true", "asked again, false, true", "in doubt, true, false", "asked again, true, false", "at the beginning, false, false"})
    void whatSomebodySawOnADeviceInDoubtCounts(String when, boolean after, boolean counts) {
        device("one", DeviceKind.CANDIDATE);
        AtomicInteger refused = new AtomicInteger();
        fault = (device, send) -> {
            boolean leaves = reports.stream().anyMatch(report -> report.phase() == Phase.ROLL_BACK) && refused.incrementAndGet() <= 5;
            return leaves || send.flight().get(0) instanceof Request.Commit
                    ? send.flight().stream().<Answer>map(request -> new Answer.Refused(List.of(new Answer.Fault("operation-failed", "", "busy")))).toList() : null;
        };
        AtomicBoolean said = new AtomicBoolean();
        somebody = action -> {
            boolean now = switch (when) {
                case "in doubt" -> action instanceof Action.Pause pause && pause.device().equals("one");
                case "asked again" -> action instanceof Action.Send && refused.get() == 3;
                default -> action instanceof Action.Open;
            };
            return now && said.compareAndSet(false, true) ? Optional.of(new Event.Resolved("one", after, "anna")) : Optional.empty();
        };
        assertThat(run()).isEqualTo(State.ROLLED_BACK);
        assertThat(said).isTrue();
        assertThat(reports.stream().filter(report -> report.text().startsWith("resolved by anna"))).hasSize(counts ? 1 : 0);
        assertThat(reports.stream().filter(report -> report.outcome() == Action.Outcome.IN_DOUBT)).hasSize(1);
    }

    /** The first of a kind refuses before any other of it has changed. */
    @Test
    void theFirstOfAKindChangesByItselfAndTheOthersInGroups() {
        for (int i = 0; i < 12; i++) {
            device("weak-" + i, DeviceKind.CANDIDATE);
        }
        List<String> asked = new ArrayList<>();
        fault = (device, send) -> {
            if (!(send.flight().get(0) instanceof Request.Commit)) {
                return null;
            }
            asked.add(device);
            return send.flight().stream().<Answer>map(request -> new Answer.Lost("gone")).toList();
        };
        assertThat(run()).isEqualTo(State.ROLLED_BACK);
        assertThat(asked).hasSize(1);
    }

    /** Devices that change after others take longer than the timer of the one that waits for its confirmation. */
    @Test
    void confirmedCommitsWaitForDevicesThatChangeLater() {
        device("one");
        for (int i = 0; i <= 40; i++) {
            device("weak-" + i, DeviceKind.CANDIDATE);
        }
        List<String> firstOfAGroup = List.of("weak-0", "weak-1", "weak-9", "weak-17", "weak-25", "weak-33");
        fault = (device, send) -> {
            if (send.flight().get(0) instanceof Request.Commit && firstOfAGroup.contains(device)) {
                pass(6);
            }
            return null;
        };
        assertThat(run()).as(told).isEqualTo(State.DONE);
        assertThat(requests.get("one")).contains("Extend");
        pass(3600);
        devices.values().forEach(device -> assertThat(device.running()).isEqualTo(AFTER));
    }

    /** What runs and what is saved may be shown in another sequence, where the schema gives none. */
    @Test
    void entriesInAnotherSequenceAreNoUnsavedChange() {
        device("one", DeviceKind.RUNNING_ONLY);
        List<String> reordered = new ArrayList<>();
        fault = (device, send) -> {
            if (!reordered.isEmpty() || send.flight().stream().noneMatch(new Request.Read(Request.Datastore.STARTUP, "")::equals)) {
                return null;
            }
            List<Answer> answers = new ArrayList<>(answer(send));
            Answer.Data saved = (Answer.Data) answers.get(answers.size() - 1);
            String text = Pattern.compile("(  <port>\n    <name>.*?\n  </port>\n)(  <port>\n    <name>.*?\n  </port>\n)", Pattern.DOTALL)
                    .matcher(saved.text()).replaceFirst("$2$1");
            assertThat(text).isNotEqualTo(saved.text());
            reordered.add(text);
            answers.set(answers.size() - 1, new Answer.Data(text));
            return answers;
        };
        assertThat(run()).isEqualTo(State.DONE);
        assertThat(reordered).hasSize(1);
    }

    @Test
    void anOrderThatTouchesNoDeviceIsWrittenAllTheSame() {
        assertThat(run()).isEqualTo(State.DONE);
        assertThat(records).containsExactly(State.CONNECTED, State.PREPARED, State.DECIDED, State.DONE);
    }

    private static String text(Node node) {
        return Shipped.QUERN.codec().encode(node);
    }

    /** Saving an order saves nothing else: what is unsaved within what the order sets is gone by then, anything else is an obstacle. */
    @Test
    void unsavedChangesAreAnObstacleUnlessTheOrderSetsJustThese() {
        Map<Path, State> ends = Map.of(Path.parse("/vpn/vrf[V]"), State.DONE, Path.parse("/vpn/vrf[W]"), State.ROLLED_BACK);
        ends.forEach((path, end) -> {
            parts.clear();
            records.clear();
            device("unsaved", DeviceKind.RUNNING_ONLY);
            String saved = Shipped.QUERN.codec().encode(BEFORE.with(path, Node.ENTRY).with(path.child(rilvan.core.tree.Step.of("rd")), Node.leaf("9:9")));
            boolean[] looked = {false};
            fault = (device, send) -> {
                int at = send.flight().indexOf(new Request.Read(Request.Datastore.STARTUP, ""));
                if (at < 0 || looked[0]) {
                    return null;
                }
                looked[0] = true;
                List<Answer> answers = new ArrayList<>(answer(send));
                answers.set(at, new Answer.Data(saved));
                return answers;
            };
            assertThat(run()).as("unsaved at %s", path).isEqualTo(end);
        });
    }
}
