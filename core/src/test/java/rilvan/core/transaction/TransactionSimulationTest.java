package rilvan.core.transaction;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.util.EnumMap;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import rilvan.core.RandomTrees;
import rilvan.core.Shipped;
import rilvan.core.dialect.Codec;
import rilvan.core.environment.Request;
import rilvan.core.network.DeviceKind;
import rilvan.core.transaction.SimulatedDevice.Fault;
import rilvan.core.transaction.SimulatedWorld.Blow;
import rilvan.core.transaction.SimulatedWorld.Manner;
import rilvan.core.transaction.SimulatedWorld.Removal;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * Whole orders under a simulated clock and a failing world: devices that refuse, drop, lie, are slow and restart; a store that
 * does not answer; processes that die, or are stopped and wake up after another has taken over. Every history is fixed by its
 * seed, which a failure prints; {@code -Drilvan.seed=N} runs that one again, {@code -Drilvan.histories=N} runs so many.
 */
class TransactionSimulationTest {

    /** What some of the simulated devices answer where no confirmed commit waits; others have no words for it that are known. */
    private static final Optional<Pattern> NOT_PENDING = Optional.of(Pattern.compile("^not active$"));
    private static final Codec CODEC = Shipped.QUERN.codec();
    private static final int HISTORIES = Integer.getInteger("rilvan.histories", 4_000);
    private static final int TROUBLED_STEPS = 60;

    @Test
    void everyHistoryEndsWhole() {
        long first = RandomTrees.seed();
        int histories = System.getProperty("rilvan.seed") == null ? HISTORIES : 1;
        Map<State, Integer> ends = new EnumMap<>(State.class);
        Set<Object> visited = new HashSet<>();
        for (int i = 0; i < histories; i++) {
            SimulatedWorld world = history(first + i, Optional.empty());
            try {
                ends.merge(world.run(), 1, Integer::sum);
            } catch (IllegalStateException e) {
                throw new AssertionError("seed " + (first + i) + ": " + e.getMessage() + world.trace(), e);
            }
            visited.addAll(world.records());
            world.told().forEach(tell -> visited.add(tell.phase()));
        }
        System.out.printf("%,d histories from seed %d: %s%n", histories, first, ends);
        if (histories > 1) {
            // A simulation in which nothing ever stands, or nothing ever fails, would prove nothing.
            assertThat(ends.get(State.DONE)).as("%s", ends).isGreaterThan(HISTORIES / 5);
            assertThat(ends.get(State.ROLLED_BACK)).as("%s", ends).isGreaterThan(HISTORIES / 5);
            assertThat(visited).containsAll(EnumSet.range(State.PLANNED, State.ROLLED_BACK)).contains(Phase.ROLL_BACK, Phase.REAPPLY, Phase.CHANGE);
        }
    }

    /** Whatever befalls it, a rehearsal changes nothing, and what one device does keeps no other from being asked. */
    @Test
    void everyRehearsalEndsAsItBegan() {
        long first = RandomTrees.seed();
        int histories = System.getProperty("rilvan.seed") == null ? HISTORIES : 1;
        Map<State, Integer> ends = new EnumMap<>(State.class);
        Set<Object> visited = new HashSet<>();
        for (int i = 0; i < histories; i++) {
            SimulatedWorld world = history(first + i, Optional.empty(), true);
            ends.merge(world.run(), 1, Integer::sum);
            visited.addAll(world.records());
            world.told().forEach(tell -> visited.add(tell.phase()));
        }
        System.out.printf("%,d rehearsals from seed %d: %s%n", histories, first, ends);
        if (histories > 1) {
            assertThat(ends.get(State.REHEARSED)).as("%s", ends).isGreaterThan(HISTORIES / 5);
            assertThat(ends.get(State.ROLLED_BACK)).as("%s", ends).isGreaterThan(HISTORIES / 20);
            assertThat(visited).contains(State.CONNECTED, Phase.EDIT_AND_VALIDATE, Phase.RELEASE).doesNotContain(State.PREPARED, State.DECIDED, State.DONE, Phase.CONFIRMED_COMMIT, Phase.CHANGE, Phase.REAPPLY);
        }
    }

    /** Rows {@code | state | event | … | next state |} of the README beside the protocol. */
    private static final Pattern ROW = Pattern.compile("\\| ([a-z ]+) \\| `(\\w+)` \\|[^|]*\\| ([a-z ]+) \\|");

    /** The table of transitions that the README shows is what the protocol does: nothing is missing in it, and nothing is made up. */
    @Test
    void theTransitionsAreThoseOfTheReadme() throws IOException {
        Set<String> shown = new TreeSet<>();
        ROW.matcher(Files.readString(java.nio.file.Path.of("src/main/java/rilvan/core/transaction/README.md"))).results()
                .forEach(row -> shown.add(row.group(1) + " | " + row.group(2) + " | " + row.group(3)));
        Set<String> seen = new TreeSet<>();
        for (long seed = 1; seed <= 20_000; seed++) {
            SimulatedWorld world = history(seed, Optional.empty(), seed % 4 == 0);
            world.run();
            world.transitions().forEach(each -> seen.add(each.from().words() + " | " + each.event() + " | " + each.to().words()));
        }
        assertThat(seen).isEqualTo(shown);
    }

    /** A protocol that does without one of these rules does not hold: so the simulation sees what they are for. */
    @ParameterizedTest
    @EnumSource
    void everyRuleIsNeeded(Removal removal) {
        long first = RandomTrees.seed();
        for (int i = 0; i < 20_000; i++) {
            try {
                history(first + i, Optional.of(removal)).run();
            } catch (AssertionError | IllegalStateException e) {
                System.out.printf("without %s, history %d breaks: %s%n", removal, first + i, e.getMessage().lines().filter(line -> !line.matches("\\s*\\d+: .*")).limit(3).toList());
                return;
            }
        }
        throw new AssertionError("from seed " + first + ": nothing breaks without " + removal);
    }

    private static SimulatedWorld history(long seed, Optional<Removal> removed) {
        return history(seed, removed, false);
    }

    private static SimulatedWorld history(long seed, Optional<Removal> removed, boolean rehearsed) {
        Random random = new Random(seed);
        RandomFate fate = new RandomFate(random, List.of(0.0, 0.01, 0.03, 0.08, 0.15).get((int) Math.floorMod(seed, 5L)));
        SimulatedWorld world = new SimulatedWorld("seed " + seed, fate, removed, rehearsed ? Manner.REHEARSED : List.of(Manner.BY_SERVICE, Manner.ONE_BY_ONE, Manner.WHOLE, Manner.WHOLE).get(random.nextInt(4)));
        for (int i = 1 + random.nextInt(3) + (random.nextInt(8) == 0 ? 3 : 0); i > 0; i--) {
            RandomTrees trees = new RandomTrees(random.nextLong());
            Node before = trees.tree();
            Difference difference = Difference.NONE;
            while (difference.isEmpty()) {
                // The order and whoever types by hand touch different nodes.
                Node after = trees.put(trees.put(before, trees.leaf()), trees.leaf())
                        .with(SimulatedDevice.BY_HAND, before.at(SimulatedDevice.BY_HAND).orElse(Node.EMPTY));
                difference = Difference.between(before, after.with(Path.parse("/vpn/vrf[V0]"), Node.EMPTY));
            }
            DeviceKind kind = DeviceKind.values()[Math.max(0, random.nextInt(7) - 3)];
            DeviceChange part = new DeviceChange("device-" + i, kind, CODEC, difference, kind == DeviceKind.CONFIRMED_COMMIT ? 30 : 0, random.nextBoolean(), NOT_PENDING);
            world.add(part, before, fate, random.nextInt(4) == 0);
        }
        return world;
    }

    /** Anything may happen, more or less often, for a number of steps; then the world behaves. */
    private static final class RandomFate implements SimulatedWorld.Fate, SimulatedDevice.Whim {
        private final Random random;
        private final double faults;
        private int steps;

        RandomFate(Random random, double faults) {
            this.random = random;
            this.faults = faults;
        }

        private boolean troubled() {
            return steps < TROUBLED_STEPS;
        }

        @Override
        public int next(int underWay) {
            return random.nextInt(underWay);
        }

        @Override
        public Blow at(Action action) {
            steps++;
            if (!troubled()) {
                return Blow.NONE;
            }
            double dice = random.nextDouble();
            if (dice < faults / 5) {
                return List.of(Blow.KILLED_BEFORE, Blow.KILLED_AFTER, Blow.PAUSED).get(random.nextInt(3));
            }
            boolean store = action instanceof Action.Write || action instanceof Action.ReadRecord;
            return store && dice > 1 - faults ? random.nextBoolean() ? Blow.UNANSWERED_STORED : Blow.UNANSWERED_NOT_STORED : Blow.NONE;
        }

        @Override
        public long takes(Action action) {
            return action instanceof Action.MakeChecks ? random.nextInt(troubled() ? 40 : 3) * 1_000_000_000L : random.nextInt(200) * 1_000_000L;
        }

        @Override
        public long away() {
            return random.nextInt(40) * 1_000_000_000L;
        }

        @Override
        public boolean proves() {
            return !chance(1);
        }

        @Override
        public boolean cancels() {
            return chance(0.1);
        }

        @Override
        public void calm() {
            steps = TROUBLED_STEPS;
        }

        @Override
        public Fault at(Request request) {
            if (!troubled()) {
                return Fault.NONE;
            }
            double dice = random.nextDouble();
            if (dice < faults) {
                return List.of(Fault.DROPPED_BEFORE, Fault.DROPPED_AFTER, Fault.SILENT, Fault.SLOW).get(random.nextInt(4));
            }
            return dice > 1 - faults / 3 ? random.nextInt(4) == 0 ? Fault.WARNED : Fault.REFUSED : dice > 1 - faults * 2 / 3 ? Fault.HALF_DONE : Fault.NONE;
        }

        @Override
        public boolean chance(double weight) {
            return troubled() && random.nextDouble() < faults * weight;
        }

        @Override
        public boolean coin() {
            return random.nextBoolean();
        }

        @Override
        public int below(int bound) {
            return random.nextInt(bound);
        }
    }
}
