package rilvan.core.tree;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;
import rilvan.core.RandomTrees;

class DifferenceTest {

    private final long seed = RandomTrees.seed();

    @RepeatedTest(300)
    void leadsFromOneTreeToTheOtherAndBack() {
        RandomTrees trees = new RandomTrees(seed);
        Node a = trees.tree();
        Node b = trees.tree();
        Difference difference = Difference.between(a, b);
        assertThat(difference.applyTo(a)).as("seed %d", seed).isEqualTo(b);
        assertThat(difference.inverse().applyTo(b)).as("seed %d", seed).isEqualTo(a);
        assertThat(difference.isEmpty()).as("seed %d", seed).isEqualTo(a.equals(b));
    }

    @RepeatedTest(300)
    void touchesNothingOutsideItsPaths() {
        RandomTrees trees = new RandomTrees(seed);
        Node a = trees.tree();
        Node other = trees.tree();
        Difference difference = Difference.between(a, trees.tree());
        Node changed = a;
        // Somebody else's change, as long as it is beside ours, survives ours and is not undone by our inverse.
        for (Path path : other.presentNodes().keySet()) {
            if (difference.paths().stream().noneMatch(touched -> touched.covers(path) || path.covers(touched))) {
                changed = trees.put(changed, path);
            }
        }
        Node after = changed;
        if (difference.changes().stream().allMatch(change -> after.at(change.at()).orElse(Node.EMPTY).equals(change.before()))) {
            assertThat(difference.inverse().applyTo(difference.applyTo(after))).as("seed %d", seed).isEqualTo(after);
        }
    }

    @Test
    void refusesToBeAppliedToWhatItDoesNotExpect() {
        Path mtu = Path.parse("/ports/port[a]/mtu");
        Difference difference = new Difference(List.of(new Change(mtu, Node.leaf("1500"), Node.leaf("9000"))));
        assertThatThrownBy(() -> difference.applyTo(Node.EMPTY.with(mtu, Node.leaf("1600"))))
                .hasMessage("/ports/port[a]/mtu does not hold what the change expects");
    }

    @Test
    void pathsAreReadAsTheyAreWritten() {
        for (String key : List.of("a", "a/b", "a,b", "]", "\\", "[x]", "192.0.2.0/24")) {
            Path path = Path.of(Step.of("list", key, "second"), Step.of("leaf"));
            assertThat(Path.parse(path.toString())).isEqualTo(path);
        }
    }
}
