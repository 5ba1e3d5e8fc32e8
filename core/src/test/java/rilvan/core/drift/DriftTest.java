package rilvan.core.drift;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.SortedSet;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;
import rilvan.core.RandomTrees;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.LedgerMerge;
import rilvan.core.ledger.LedgerMerge.Decision;
import rilvan.core.ledger.LedgerMerge.Fragment;
import rilvan.core.ledger.Owner;
import rilvan.core.schema.WholeEntries;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;

class DriftTest {

    private static final Path RD = Path.parse("/vpn/vrf[VPN-1]/rd");
    private static final Path VRF = RD.parent();
    private static final Path TARGET = Path.parse("/vpn/vrf[VPN-1]/import[1:1]");
    private static final Path ROUTE = Path.parse("/vpn/route[VPN-1,10.0.0.0/8]");
    private static final WholeEntries WHOLE = new WholeEntries(List.of(Path.parse("/vpn/vrf")), Map.of(Path.parse("/vpn/route"), Path.parse("/vpn/vrf")));

    private static Fragment fragment(String service, Node says) {
        return new Fragment(new Owner(service, "model 1", "clause", "expand/0", "family/clause.xml"), says);
    }

    private static LedgerMerge again(Ledger ledger, Node holds, Node says, Map<Path, Decision> decisions, Set<Path> left) {
        return LedgerMerge.work(ledger, holds, Set.of("a"), List.of(fragment("a", says)), WHOLE, decisions, left);
    }

    private static Node vrf(String rd) {
        return Node.EMPTY.with(VRF, Node.ENTRY).with(RD, Node.leaf(rd));
    }

    /** Somebody changes or deletes any managed nodes: just these are found; nothing is sent unasked; restored, the device is as ordered. */
    @RepeatedTest(200)
    void whateverIsChangedOutsideIsFoundAskedAboutAndRestored() {
        long seed = RandomTrees.seed();
        RandomTrees trees = new RandomTrees(seed);
        Random random = trees.random();
        Node foreign = trees.tree();
        Node says = trees.tree();
        LedgerMerge ordered = LedgerMerge.work(Ledger.EMPTY, foreign, Set.of("a"), List.of(fragment("a", says)), WholeEntries.NONE, Map.of(), Set.of());
        if (!ordered.conflicts().isEmpty() || ordered.ledger().entries().isEmpty()) {
            return;
        }
        Node asOrdered = ordered.difference().applyTo(foreign);
        assertThat(Drift.between(ordered.ledger(), asOrdered, WholeEntries.NONE)).as("seed %d", seed).isEmpty();
        Node typed = asOrdered;
        Set<Path> touched = new TreeSet<>();
        List<Path> managed = new ArrayList<>(ordered.ledger().entries().keySet());
        for (int i = 0; i <= random.nextInt(3); i++) {
            Path path = managed.get(random.nextInt(managed.size()));
            if (typed.at(path).isPresent()) {
                typed = typed.with(path, random.nextBoolean() ? Node.EMPTY : new Node(true, "typed", typed.at(path).get().children()));
                touched.add(path);
            }
        }
        List<Drift> drift = Drift.between(ordered.ledger(), typed, WholeEntries.NONE);
        Set<Path> found = drift.stream().map(Drift::at).collect(Collectors.toCollection(TreeSet::new));
        assertThat(found).as("seed %d", seed).isNotEmpty().isSubsetOf(touched);
        assertThat(touched).as("seed %d", seed).allMatch(path -> found.stream().anyMatch(each -> each.covers(path)));
        LedgerMerge unasked = again(ordered.ledger(), typed, says, Map.of(), Set.of());
        assertThat(unasked.conflicts()).as("seed %d", seed).hasSameSizeAs(drift);
        assertThat(unasked.difference().isEmpty()).isTrue();
        Map<Path, Decision> restore = found.stream().collect(Collectors.toMap(path -> path, path -> Decision.RESTORE));
        Node restored = again(ordered.ledger(), typed, says, restore, Set.of()).difference().applyTo(typed);
        assertThat(Drift.between(ordered.ledger(), restored, WholeEntries.NONE)).as("seed %d", seed).isEmpty();
        assertThat(again(ordered.ledger(), typed, says, Map.of(), found).difference().isEmpty()).as("seed %d", seed).isTrue();
    }

    @Test
    void aNodeThatChangedIsAskedAboutOnce() {
        Ledger ledger = again(Ledger.EMPTY, Node.EMPTY, vrf("1:1"), Map.of(), Set.of()).ledger();
        assertThat(again(ledger, vrf("9:9"), vrf("1:1"), Map.of(), Set.of()).conflicts()).containsExactly(
                RD + " is '9:9' where a had set '1:1'; it was changed outside Rilvan. The decision 'restore' sets '1:1', 'leave' leaves it as it is");
        assertThat(again(ledger, Node.EMPTY, vrf("1:1"), Map.of(), Set.of()).conflicts()).singleElement().asString().isEqualTo(
                VRF + " is gone, and a needs it; it was changed outside Rilvan. The decision 'restore' sets it again, 'leave' leaves it as it is");
        assertThat(Drift.between(ledger, Node.EMPTY, WHOLE)).containsExactly(new Drift(VRF, Optional.of(""), Optional.empty(), new TreeSet<>(Set.of("a"))));
        assertThat(again(ledger, vrf("9:9"), vrf("1:1"), Map.of(RD, Decision.LEAVE), Set.of()).difference().isEmpty()).isTrue();
    }

    @Test
    void anOrderForJustWhatWasTypedNeedsNoDecision() {
        Ledger ledger = again(Ledger.EMPTY, Node.EMPTY, vrf("1:1"), Map.of(), Set.of()).ledger();
        LedgerMerge merge = again(ledger, vrf("9:9"), vrf("9:9"), Map.of(), Set.of());
        assertThat(merge.conflicts()).isEmpty();
        assertThat(merge.difference().isEmpty()).isTrue();
        assertThat(Drift.between(merge.ledger(), vrf("9:9"), WHOLE)).isEmpty();
    }

    @Test
    void whatWasLeftIsAskedAboutAgainWhereItsServiceGoes() {
        Ledger ledger = again(Ledger.EMPTY, Node.EMPTY, vrf("1:1"), Map.of(), Set.of()).ledger();
        LedgerMerge goes = LedgerMerge.work(ledger, vrf("9:9"), Set.of("a"), List.of(), WHOLE, Map.of(), Set.of(RD));
        assertThat(goes.conflicts()).isNotEmpty().first().asString().contains("The decision 'restore' sets what was there before the service");
        Node after = LedgerMerge.work(ledger, vrf("9:9"), Set.of("a"), List.of(), WHOLE, Map.of(RD, Decision.RESTORE), Set.of()).difference().applyTo(vrf("9:9"));
        assertThat(after).isEqualTo(Node.EMPTY);
    }

    /** Into an entry, and beside it into a table whose rows begin with its key; something of another entry, or into a shared one, is nobody's drift. */
    @Test
    void whatSomebodyPutsIntoWhatAServiceHasAloneIsFoundAndRemovedWhereItIsDecidedSo() {
        Ledger ledger = again(Ledger.EMPTY, Node.EMPTY, vrf("1:1"), Map.of(), Set.of()).ledger();
        Path others = Path.parse("/vpn/vrf[other]/import[1:1]");
        Node typed = vrf("1:1").with(TARGET, Node.ENTRY).with(ROUTE, Node.ENTRY).with(ROUTE.child(Step.of("via")), Node.leaf("10.0.0.1")).with(others, Node.ENTRY)
                .with(Path.parse("/vpn/route[other,10.0.0.0/8]"), Node.ENTRY);
        SortedSet<String> a = new TreeSet<>(Set.of("a"));
        assertThat(Drift.between(ledger, typed, WHOLE)).containsExactly(new Drift(ROUTE, Optional.empty(), Optional.of(""), a), new Drift(TARGET, Optional.empty(), Optional.of(""), a));
        assertThat(Drift.between(ledger, typed, WHOLE).get(1).inWords()).isEqualTo(TARGET + " is there; it was not ordered (a)");

        LedgerMerge unasked = again(ledger, typed, vrf("1:1"), Map.of(), Set.of());
        assertThat(unasked.conflicts()).isEmpty();
        assertThat(unasked.difference().isEmpty()).isTrue();
        Node restored = again(ledger, typed, vrf("1:1"), Map.of(TARGET, Decision.RESTORE), Set.of()).difference().applyTo(typed);
        assertThat(restored).isEqualTo(typed.with(TARGET, Node.EMPTY));
        Node asked = vrf("1:1").with(TARGET, Node.ENTRY);
        LedgerMerge wanted = again(ledger, typed, asked, Map.of(TARGET, Decision.RESTORE), Set.of());
        assertThat(wanted.difference().isEmpty()).as("what an order asks for is not taken away by it").isTrue();

        assertThat(goes(ledger, typed, Map.of()).conflicts()).singleElement().asString().contains("contains " + TARGET, "'restore' removes both");
        assertThat(goes(ledger, typed, Map.of(TARGET, Decision.RESTORE)).conflicts()).singleElement().asString().contains(ROUTE + " from outside Rilvan belongs to it");
        assertThat(goes(ledger, typed, Map.of(VRF, Decision.RESTORE, ROUTE, Decision.RESTORE)).difference().applyTo(typed).at(VRF)).isEmpty();

        Ledger shared = again(Ledger.EMPTY, Node.EMPTY.with(VRF, Node.ENTRY).with(TARGET, Node.ENTRY), vrf("1:1"), Map.of(VRF, Decision.JOIN), Set.of()).ledger();
        assertThat(Drift.between(shared, typed, WHOLE)).isEmpty();
    }

    private static LedgerMerge goes(Ledger ledger, Node holds, Map<Path, Decision> decisions) {
        return LedgerMerge.work(ledger, holds, Set.of("a"), List.of(), WHOLE, decisions, Set.of());
    }
}
