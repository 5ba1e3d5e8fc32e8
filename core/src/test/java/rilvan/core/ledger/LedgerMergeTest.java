package rilvan.core.ledger;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;
import rilvan.core.RandomTrees;
import rilvan.core.ledger.LedgerMerge.Fragment;
import rilvan.core.schema.WholeEntries;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;

class LedgerMergeTest {

    private final long seed = RandomTrees.seed();

    /** Services come, change and go in any order; refused ones change nothing; what is left is foreign plus what stands. */
    @RepeatedTest(200)
    void theDeviceIsAlwaysTheForeignConfigurationPlusTheServicesThatStand() {
        RandomTrees trees = new RandomTrees(seed);
        Random random = trees.random();
        Node foreign = trees.tree();
        Node device = foreign;
        Ledger ledger = Ledger.EMPTY;
        Map<String, Node> standing = new HashMap<>();
        for (int i = 0; i < 20; i++) {
            String service = "service-" + random.nextInt(4);
            boolean remove = random.nextInt(3) == 0;
            Node says = remove ? Node.EMPTY : trees.tree();
            LedgerMerge footing = LedgerMerge.work(ledger, device, Set.of(service), remove ? List.of() : List.of(fragment(service, says)), WholeEntries.NONE, Map.of(), Set.of());
            if (!footing.conflicts().isEmpty()) {
                continue;
            }
            device = footing.difference().applyTo(device);
            ledger = footing.ledger();
            standing.put(service, says);
            Node expected = foreign;
            for (Node each : standing.values()) {
                expected = expected.merge(each);
            }
            assertThat(device).as("seed %d, step %d", seed, i).isEqualTo(expected);
            assertThat(ledger.footprint(service).presentNodes()).as("seed %d, step %d", seed, i).isEqualTo(says.presentNodes());
        }
        LedgerMerge last = LedgerMerge.work(ledger, device, Set.copyOf(standing.keySet()), List.of(), WholeEntries.NONE, Map.of(), Set.of());
        assertThat(last.conflicts()).as("seed %d", seed).isEmpty();
        assertThat(last.difference().applyTo(device)).as("seed %d", seed).isEqualTo(foreign);
        assertThat(last.ledger()).isEqualTo(Ledger.EMPTY);
    }

    @Test
    void aSharedNodeIsRemovedWithItsLastOwner() {
        Node vrf = Node.EMPTY.with(Path.parse("/vpn/vrf[V]"), Node.ENTRY);
        LedgerMerge first = LedgerMerge.work(Ledger.EMPTY, Node.EMPTY, Set.of("a"), List.of(fragment("a", vrf)), WholeEntries.NONE, Map.of(), Set.of());
        LedgerMerge second = LedgerMerge.work(first.ledger(), vrf, Set.of("b"), List.of(fragment("b", vrf)), WholeEntries.NONE, Map.of(), Set.of());
        assertThat(second.difference().isEmpty()).isTrue();
        LedgerMerge oneGoes = LedgerMerge.work(second.ledger(), vrf, Set.of("a"), List.of(), WholeEntries.NONE, Map.of(), Set.of());
        assertThat(oneGoes.difference().isEmpty()).isTrue();
        LedgerMerge bothGo = LedgerMerge.work(oneGoes.ledger(), vrf, Set.of("b"), List.of(), WholeEntries.NONE, Map.of(), Set.of());
        assertThat(bothGo.difference().applyTo(vrf)).isEqualTo(Node.EMPTY);
    }

    @Test
    void aConflictNamesTheNodeAndBothValues() {
        Path mtu = Path.parse("/ports/port[a]/mtu");
        Path circuit = Path.parse("/ports/port[a]/circuit[1]");
        Node nine = Node.EMPTY.with(mtu, Node.leaf("9000"));
        Node fifteen = Node.EMPTY.with(mtu, Node.leaf("1500"));
        List<String> told = new ArrayList<>();
        told.addAll(LedgerMerge.work(Ledger.EMPTY, fifteen, Set.of("a"), List.of(fragment("a", nine)), WholeEntries.NONE, Map.of(), Set.of()).conflicts());
        Ledger ours = LedgerMerge.work(Ledger.EMPTY, Node.EMPTY, Set.of("a"), List.of(fragment("a", nine)), WholeEntries.NONE, Map.of(), Set.of()).ledger();
        told.addAll(LedgerMerge.work(ours, nine, Set.of("b"), List.of(fragment("b", fifteen)), WholeEntries.NONE, Map.of(), Set.of()).conflicts());
        told.addAll(LedgerMerge.work(ours, fifteen, Set.of("a"), List.of(), WholeEntries.NONE, Map.of(), Set.of()).conflicts());
        Ledger entry = LedgerMerge.work(Ledger.EMPTY, Node.EMPTY, Set.of("a"), List.of(fragment("a", Node.EMPTY.with(circuit, Node.ENTRY))), WholeEntries.NONE, Map.of(), Set.of()).ledger();
        Node built = Node.EMPTY.with(circuit, new Node(true, "", Node.EMPTY.with(Path.parse("/description"), Node.leaf("x")).children()));
        told.addAll(LedgerMerge.work(entry, built, Set.of("a"), List.of(), WholeEntries.NONE, Map.of(), Set.of()).conflicts());
        assertThat(told).containsExactly(
                mtu + " is already set to '1500' outside Rilvan; a needs '9000'. With the decision 'replace' Rilvan replaces it until the service is removed",
                mtu + " would be '9000' for a (clause) and '1500' for b (clause)",
                mtu + " is '1500' where a had set '9000'; it was changed outside Rilvan. The decision 'restore' sets what was there before the service, 'leave' leaves it as it is",
                circuit + " cannot be removed: it contains " + circuit + "/description from outside Rilvan. The decision 'leave' leaves both");
    }

    private static Fragment fragment(String service, Node says) {
        return new Fragment(new Owner(service, "model 1", "clause", "expand/0", "family/clause.xml"), says);
    }

    @Test
    void aReplacedValueIsRestoredWhenTheServiceIsRemoved() {
        Path mtu = Path.parse("/ports/port[access-1]/mtu");
        Node fifteen = Node.EMPTY.with(mtu.parent(), Node.ENTRY).with(mtu, Node.leaf("1500"));
        Node nine = fifteen.with(mtu, Node.leaf("9000"));
        LedgerMerge replaced = LedgerMerge.work(Ledger.EMPTY, fifteen, Set.of("a"), List.of(fragment("a", nine)), WholeEntries.NONE, Map.of(mtu, LedgerMerge.Decision.REPLACE), Set.of());
        assertThat(replaced.conflicts()).isEmpty();
        assertThat(replaced.difference().applyTo(fifteen)).isEqualTo(nine);
        assertThat(replaced.ledger().entries().get(mtu).prior()).contains("1500");
        LedgerMerge back = LedgerMerge.work(replaced.ledger(), nine, Set.of("a"), List.of(), WholeEntries.NONE, Map.of(), Set.of());
        assertThat(back.difference().applyTo(nine)).isEqualTo(fifteen);
        // Somebody has changed ours meanwhile: it may be left as it is, and is nobody's then.
        Node other = fifteen.with(mtu, Node.leaf("4000"));
        assertThat(LedgerMerge.work(replaced.ledger(), other, Set.of("a"), List.of(), WholeEntries.NONE, Map.of(), Set.of()).conflicts()).singleElement().asString()
                .contains("is '4000' where a had set '9000'");
        LedgerMerge left = LedgerMerge.work(replaced.ledger(), other, Set.of("a"), List.of(), WholeEntries.NONE, Map.of(mtu, LedgerMerge.Decision.LEAVE), Set.of());
        assertThat(left.conflicts()).isEmpty();
        assertThat(left.difference().isEmpty()).isTrue();
        assertThat(left.ledger().entries()).isEmpty();
    }

    /** What is decided about an entry is decided about all below it; what nobody of the order wants there is another question. */
    @Test
    void aDecisionHoldsForAllBelowItsNode() {
        Path table = Path.parse("/vpn/vrf[V]");
        Path rd = Path.parse("/vpn/vrf[V]/rd");
        WholeEntries whole = new WholeEntries(List.of(Path.parse("/vpn/vrf")), Map.of());
        Node theirs = Node.EMPTY.with(table, Node.ENTRY).with(rd, Node.leaf("64999:1"));
        Node ours = Node.EMPTY.with(table, Node.ENTRY).with(rd, Node.leaf("64500:1"));
        assertThat(LedgerMerge.work(Ledger.EMPTY, theirs, Set.of("a"), List.of(fragment("a", ours)), whole, Map.of(), Set.of()).conflicts()).isNotEmpty();
        LedgerMerge replaced = LedgerMerge.work(Ledger.EMPTY, theirs, Set.of("a"), List.of(fragment("a", ours)), whole, Map.of(table, LedgerMerge.Decision.REPLACE), Set.of());
        assertThat(replaced.conflicts()).isEmpty();
        assertThat(replaced.difference().applyTo(theirs)).isEqualTo(ours);
        assertThat(LedgerMerge.work(replaced.ledger(), ours, Set.of("a"), List.of(), whole, Map.of(), Set.of()).difference().applyTo(ours)).isEqualTo(theirs);
        Node more = theirs.with(table.child(Step.of("description")), Node.leaf("theirs"));
        assertThat(LedgerMerge.work(Ledger.EMPTY, more, Set.of("a"), List.of(fragment("a", ours)), whole, Map.of(table, LedgerMerge.Decision.REPLACE), Set.of()).conflicts()).singleElement().asString().contains("join");
    }

    @Test
    void anEntryOwnedAsAWholeHoldsNoForeignConfiguration() {
        Path circuit = Path.parse("/ports/port[access-1]/circuit[0]");
        Path address = circuit.child(Step.of("ipv4")).child(Step.of("address"));
        Node leftover = Node.EMPTY.with(circuit, Node.ENTRY).with(address, Node.leaf("192.0.2.1"));
        WholeEntries whole = new WholeEntries(List.of(Path.parse("/ports/port/circuit")), Map.of());
        Node says = Node.EMPTY.with(circuit, Node.ENTRY).with(circuit.child(Step.of("description")), Node.leaf("ours"));
        assertThat(LedgerMerge.work(Ledger.EMPTY, leftover, Set.of("a"), List.of(fragment("a", says)), whole, Map.of(), Set.of()).conflicts()).singleElement().asString()
                .contains(circuit + " exists already outside Rilvan and contains " + address).contains("Delete it on the device, or take the decision 'join'");
        LedgerMerge joined = LedgerMerge.work(Ledger.EMPTY, leftover, Set.of("a"), List.of(fragment("a", says)), whole, Map.of(circuit, LedgerMerge.Decision.JOIN), Set.of());
        assertThat(joined.conflicts()).isEmpty();
        Node both = joined.difference().applyTo(leftover);
        LedgerMerge gone = LedgerMerge.work(joined.ledger(), both, Set.of("a"), List.of(), whole, Map.of(), Set.of());
        assertThat(gone.conflicts()).isEmpty();
        assertThat(gone.difference().applyTo(both)).isEqualTo(leftover);
    }

    @Test
    void entriesOfAnOrderedListKeepTheirPlaces() {
        Path filter = Path.parse("/policy/filter[F]");
        Path order = filter.child(rilvan.core.tree.EntryOrder.step("entry"));
        Node holds = entries(filter, "10", "20").with(order, Node.leaf("[10][20]"));
        Node says = entries(filter, "5", "15").with(order, Node.leaf("first[5]after[10][15]"));
        LedgerMerge footing = LedgerMerge.work(Ledger.EMPTY, holds, Set.of("a"), List.of(fragment("a", says)), WholeEntries.NONE, Map.of(), Set.of());
        Node after = footing.difference().applyTo(holds);
        assertThat(after.at(order).orElseThrow().value()).isEqualTo("[5][10][15][20]");
        assertThat(LedgerMerge.work(footing.ledger(), after, Set.of("a"), List.of(), WholeEntries.NONE, Map.of(), Set.of()).difference().applyTo(after)).isEqualTo(holds);
    }

    private static Node entries(Path filter, String... numbers) {
        Node node = Node.EMPTY.with(filter, Node.ENTRY);
        for (String number : numbers) {
            node = node.with(filter.child(Step.of("entry", number)), Node.ENTRY);
        }
        return node;
    }
}
