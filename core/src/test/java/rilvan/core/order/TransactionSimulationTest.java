package rilvan.core.order;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.Test;
import rilvan.core.RandomTrees;
import rilvan.core.Shipped;
import rilvan.core.dialect.Codec;
import rilvan.core.dialect.DeviceKind;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * Whole orders under a simulated clock and a failing world: devices that refuse, drop, lie and restart; a service that dies
 * at any moment and takes its orders up again. Every history is fixed by its seed, which a failure prints.
 */
class TransactionSimulationTest {

    private static final Codec CODEC = Shipped.QUERN.codec();
    private static final Path BY_HAND = Path.parse("/system/location");
    private static final int HISTORIES = 4_000;
    private static final int TROUBLED_STEPS = 60;
    private static final int MOST_STEPS = 5_000;

    @Test
    void everyHistoryEndsWhole() {
        long first = RandomTrees.seed();
        int histories = System.getProperty("rilvan.seed") == null ? HISTORIES : 1;
        Map<State, Integer> ends = new EnumMap<>(State.class);
        Set<Object> visited = new HashSet<>();
        for (int i = 0; i < histories; i++) {
            double faults = List.of(0.0, 0.01, 0.03, 0.08, 0.15).get((int) ((first + i) % 5));
            ends.merge(new History(first + i, faults, visited).run(), 1, Integer::sum);
        }
        if (histories > 1) {
            // A simulation in which nothing ever stands, or nothing ever fails, would prove nothing.
            assertThat(ends.get(State.DONE)).as("%s", ends).isGreaterThan(HISTORIES / 5);
            assertThat(ends.get(State.ABORTED)).as("%s", ends).isGreaterThan(HISTORIES / 5);
            assertThat(visited).contains((Object[]) State.values()).contains(Phase.GO_BACK, Phase.BRING_FORWARD, Phase.CHANGE);
        }
    }

    /** One order from its first record to its last. */
    private static final class History {
        private final long seed;
        private final Random random;
        private final double faults;
        private final Set<Object> visited;
        private final List<Part> parts = new ArrayList<>();
        private final Map<String, SimulatedDevice> devices = new LinkedHashMap<>();
        private final Map<String, Node> starts = new HashMap<>();
        private final Map<String, Integer> sessions = new HashMap<>();
        private final List<Action> waiting = new ArrayList<>();
        private final List<String> broken = new ArrayList<>();
        private final Deque<String> trace = new ArrayDeque<>();
        private State stored = State.OPEN;
        private Map<String, List<String>> identities = Map.of();
        private Transaction transaction;
        private long now;

        History(long seed, double faults, Set<Object> visited) {
            this.seed = seed;
            this.visited = visited;
            this.random = new Random(seed);
            this.faults = faults;
            for (int i = 1 + random.nextInt(3); i > 0; i--) {
                add("device-" + i);
            }
            transaction = Transaction.of("token", parts);
        }

        private void add(String name) {
            RandomTrees trees = new RandomTrees(random.nextLong());
            Node before = trees.tree();
            Difference difference = Difference.NONE;
            while (difference.isEmpty()) {
                // The order and whoever types by hand touch different nodes.
                Node after = trees.put(trees.put(before, trees.leaf()), trees.leaf()).with(BY_HAND, before.at(BY_HAND).orElse(Node.EMPTY));
                difference = Difference.between(before, after.with(Path.parse("/vpn/vrf[V0]"), Node.EMPTY));
            }
            DeviceKind kind = DeviceKind.values()[Math.max(0, random.nextInt(6) - 3)];
            parts.add(new Part(name, kind, CODEC, difference, kind == DeviceKind.REVOCABLE ? 30 : 0));
            starts.put(name, before);
            devices.put(name, new SimulatedDevice(parts.get(parts.size() - 1), before, random, broken, faults));
        }

        State run() {
            perform(transaction.start(now));
            for (int step = 0; !stored.ended(); step++) {
                assertThat(step).as("seed %d: the order does not end; it is at %s\n%s", seed, stored, String.join("\n", trace)).isLessThan(MOST_STEPS);
                if (step == TROUBLED_STEPS) {
                    devices.values().forEach(SimulatedDevice::behave);
                }
                boolean troubled = step < TROUBLED_STEPS;
                if (troubled && random.nextDouble() < faults / 5) {
                    die();
                    continue;
                }
                now += random.nextInt(200) * 1_000_000L;
                devices.values().forEach(device -> device.tick(now));
                assertThat(waiting).as("seed %d: the order at %s waits for nothing", seed, stored).isNotEmpty();
                happen(waiting.remove(random.nextInt(waiting.size())), troubled);
                assertThat(broken).as("seed %d", seed).isEmpty();
            }
            return judge();
        }

        /** The service dies; what was on the wire may still arrive or not; its sessions end now or when they are fenced. */
        private void die() {
            waiting.stream().filter(Action.Send.class::isInstance).map(Action.Send.class::cast).filter(send -> random.nextBoolean())
                    .forEach(send -> devices.get(send.device()).answer(sessions.get(send.device()), send.flight(), now));
            boolean recordArrives = random.nextBoolean();
            waiting.stream().filter(Action.Write.class::isInstance).map(Action.Write.class::cast).filter(write -> recordArrives)
                    .forEach(this::store);
            waiting.clear();
            sessions.forEach((device, session) -> devices.get(device).vanish(session));
            sessions.clear();
            now += random.nextInt(40) * 1_000_000_000L;
            devices.values().forEach(device -> device.tick(now));
            if (!stored.ended()) {
                transaction = Transaction.resume("token", parts, stored, identities);
                perform(transaction.start(now));
            }
        }

        private void remember(String line) {
            trace.addLast(line.length() > 300 ? line.substring(0, 300) + "…" : line);
            if (trace.size() > 24) {
                trace.removeFirst();
            }
        }

        private void perform(List<Action> actions) {
            for (Action action : actions) {
                remember(action.toString());
                if (action instanceof Action.Tell tell) {
                    visited.add(tell.phase());
                }
                if (!(action instanceof Action.Tell) && !(action instanceof Action.End)) {
                    waiting.add(action);
                }
            }
        }

        private void happen(Action action, boolean troubled) {
            if (action instanceof Action.Open open) {
                Optional<Integer> session = devices.get(open.device()).open();
                session.ifPresent(id -> sessions.put(open.device(), id));
                tell(session.<Event>map(id -> new Event.Opened(open.device(), Integer.toString(id)))
                        .orElseGet(() -> new Event.NotOpened(open.device(), "simulated")));
            } else if (action instanceof Action.Send send) {
                tell(new Event.Answered(send.device(), devices.get(send.device()).answer(sessions.get(send.device()), send.flight(), now)));
            } else if (action instanceof Action.Write write) {
                store(write);
                tell(new Event.Written());
            } else if (action instanceof Action.Prove) {
                now += random.nextInt(troubled ? 40 : 3) * 1_000_000_000L;
                tell(new Event.Proved(!troubled || random.nextDouble() > faults, "simulated"));
            } else if (action instanceof Action.Pause pause) {
                now += pause.millis() * 1_000_000;
                tell(new Event.Resumed(pause.device()));
            }
            if (troubled && random.nextDouble() < faults / 10) {
                tell(new Event.CancelAsked("somebody"));
            }
        }

        private void store(Action.Write write) {
            assertThat(stored).as("seed %d", seed).isEqualTo(write.expected());
            stored = write.state();
            visited.addAll(List.of(write.expected(), stored));
            identities = write.sessions();
            if (stored == State.ARMED) {
                devices.values().forEach(SimulatedDevice::armed);
            }
            if (stored == State.DECIDED) {
                devices.values().forEach(SimulatedDevice::decided);
            }
            if (stored == State.DECIDED && write.expected() == State.ARMED) {
                devices.forEach((name, device) -> assertThat(device.wasReadAsAfter())
                        .as("seed %d: decided without having read %s as after", seed, name).isTrue());
            }
        }

        private void tell(Event event) {
            remember("  " + event);
            perform(transaction.on(event, now));
        }

        private State judge() {
            // Whatever timer there may be runs out now: what was promised must hold all the same.
            devices.values().forEach(SimulatedDevice::behave);
            devices.values().forEach(device -> device.tick(now + 3_600_000_000_000L));
            for (Part part : parts) {
                SimulatedDevice device = devices.get(part.device());
                Node expected = stored == State.DONE ? part.difference().applyTo(starts.get(part.device())) : starts.get(part.device());
                expected = device.withHandiwork(expected);
                assertThat(device.running()).as("seed %d: %s, %s\n%s", seed, stored, part.device(), String.join("\n", trace)).isEqualTo(expected);
                assertThat(device.remains()).as("seed %d: what %s leaves on %s\n%s", seed, stored, part.device(), String.join("\n", trace)).isEmpty();
            }
            return stored;
        }
    }
}
