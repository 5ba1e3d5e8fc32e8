package rilvan.core.drift;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
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
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

class DriftTest {

    private static final Path RD = Path.parse("/vpn/vrf[VPN-1]/rd");
    private static final Path VRF = RD.parent();

    private static Fragment fragment(String service, Node says) {
        return new Fragment(new Owner(service, "model 1", "clause", "expand/0", "family/clause.xml"), says);
    }

    private static LedgerMerge again(Ledger ledger, Node holds, Node says, Map<Path, Decision> decisions, Set<Path> left) {
        return LedgerMerge.work(ledger, holds, Set.of("a"), List.of(fragment("a", says)), List.of(), decisions, left);
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
        LedgerMerge ordered = LedgerMerge.work(Ledger.EMPTY, foreign, Set.of("a"), List.of(fragment("a", says)), List.of(), Map.of(), Set.of());
        if (!ordered.conflicts().isEmpty() || ordered.ledger().entries().isEmpty()) {
            return;
        }
        Node asOrdered = ordered.difference().applyTo(foreign);
        assertThat(Drift.between(ordered.ledger(), asOrdered)).as("seed %d", seed).isEmpty();
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
        List<Drift> drift = Drift.between(ordered.ledger(), typed);
        Set<Path> found = drift.stream().map(Drift::at).collect(Collectors.toCollection(TreeSet::new));
        assertThat(found).as("seed %d", seed).isNotEmpty().isSubsetOf(touched);
        assertThat(touched).as("seed %d", seed).allMatch(path -> found.stream().anyMatch(each -> each.covers(path)));
        LedgerMerge unasked = again(ordered.ledger(), typed, says, Map.of(), Set.of());
        assertThat(unasked.conflicts()).as("seed %d", seed).hasSameSizeAs(drift);
        assertThat(unasked.difference().isEmpty()).isTrue();
        Map<Path, Decision> restore = found.stream().collect(Collectors.toMap(path -> path, path -> Decision.RESTORE));
        Node restored = again(ordered.ledger(), typed, says, restore, Set.of()).difference().applyTo(typed);
        assertThat(Drift.between(ordered.ledger(), restored)).as("seed %d", seed).isEmpty();
        assertThat(again(ordered.ledger(), typed, says, Map.of(), found).difference().isEmpty()).as("seed %d", seed).isTrue();
    }

    @Test
    void aNodeThatChangedIsAskedAboutOnce() {
        Ledger ledger = again(Ledger.EMPTY, Node.EMPTY, vrf("1:1"), Map.of(), Set.of()).ledger();
        assertThat(again(ledger, vrf("9:9"), vrf("1:1"), Map.of(), Set.of()).conflicts()).containsExactly(
                RD + " is '9:9' where a had set '1:1'; it was changed outside Rilvan. The decision 'restore' sets '1:1', 'leave' leaves it as it is");
        assertThat(again(ledger, Node.EMPTY, vrf("1:1"), Map.of(), Set.of()).conflicts()).singleElement().asString().isEqualTo(
                VRF + " is gone, and a needs it; it was changed outside Rilvan. The decision 'restore' sets it again, 'leave' leaves it as it is");
        assertThat(Drift.between(ledger, Node.EMPTY)).containsExactly(new Drift(VRF, "", Optional.empty(), new TreeSet<>(Set.of("a"))));
        assertThat(again(ledger, vrf("9:9"), vrf("1:1"), Map.of(RD, Decision.LEAVE), Set.of()).difference().isEmpty()).isTrue();
    }

    @Test
    void anOrderForJustWhatWasTypedNeedsNoDecision() {
        Ledger ledger = again(Ledger.EMPTY, Node.EMPTY, vrf("1:1"), Map.of(), Set.of()).ledger();
        LedgerMerge merge = again(ledger, vrf("9:9"), vrf("9:9"), Map.of(), Set.of());
        assertThat(merge.conflicts()).isEmpty();
        assertThat(merge.difference().isEmpty()).isTrue();
        assertThat(Drift.between(merge.ledger(), vrf("9:9"))).isEmpty();
    }

    @Test
    void whatWasLeftIsAskedAboutAgainWhereItsServiceGoes() {
        Ledger ledger = again(Ledger.EMPTY, Node.EMPTY, vrf("1:1"), Map.of(), Set.of()).ledger();
        LedgerMerge goes = LedgerMerge.work(ledger, vrf("9:9"), Set.of("a"), List.of(), List.of(), Map.of(), Set.of(RD));
        assertThat(goes.conflicts()).isNotEmpty().first().asString().contains("The decision 'restore' sets what was there before the service");
        Node after = LedgerMerge.work(ledger, vrf("9:9"), Set.of("a"), List.of(), List.of(), Map.of(RD, Decision.RESTORE), Set.of()).difference().applyTo(vrf("9:9"));
        assertThat(after).isEqualTo(Node.EMPTY);
    }
}
