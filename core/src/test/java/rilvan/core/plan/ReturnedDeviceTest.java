package rilvan.core.plan;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.HashMap;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;
import org.pcollections.TreePSet;
import rilvan.core.RandomTrees;
import rilvan.core.Shipped;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/** A device that returns to what it held: all of that is there again, but for what services have put there, which stays as it is. */
class ReturnedDeviceTest {

    private static final String CLINICS = Shipped.text("services/l3vpn/examples/tidewater-clinics.yaml");
    private static final String RETURN = "returns: [{ device: ternsay-pe1, at: '2026-05-04T10:00:00Z' }]";

    private final long seed = RandomTrees.seed();

    @RepeatedTest(200)
    void whateverItHolds() {
        RandomTrees trees = new RandomTrees(seed);
        Node now = trees.tree();
        Node then = trees.tree();
        Map<Path, Ledger.Entry> managed = new HashMap<>();
        now.eachPresent((path, node) -> {
            if (trees.random().nextInt(4) == 0) {
                managed.put(path, new Ledger.Entry(node.value(), TreePSet.singleton(new Owner("s", "m 1", "c", "o", "t")), Optional.empty()));
            }
        });
        Node returned = ReturnedDevice.of(now, then, new Ledger(managed));
        managed.forEach((path, entry) -> assertThat(returned.valueAt(path)).as("seed %d: %s", seed, path).isEqualTo(now.valueAt(path)));
        then.eachPresent((path, node) -> {
            if (!managed.containsKey(path)) {
                assertThat(returned.valueAt(path)).as("seed %d: %s", seed, path).isEqualTo(then.valueAt(path));
            }
        });
        returned.eachPresent((path, node) -> assertThat(then.valueAt(path).isPresent() || managed.keySet().stream().anyMatch(path::covers)).as("seed %d: %s", seed, path).isTrue());
        assertThat(ReturnedDevice.of(now, then, Ledger.EMPTY)).isEqualTo(then);
        assertThat(ReturnedDevice.of(now, now, new Ledger(managed))).isEqualTo(now);
    }

    /** Somebody has typed a table of their own beside a service's, and changed something of the service: the one goes, the other is drift as before. */
    @Test
    void whatSomebodyTypedGoes() {
        InMemoryPlanningSource desk = Shipped.skerra();
        Shipped.done(desk, CLINICS);
        String placed = desk.configuration("ternsay-pe1").orElseThrow();
        assertThatThrownBy(() -> Shipped.plan(desk, RETURN)).hasMessageContaining("what ternsay-pe1 held at 2026-05-04T10:00Z is not known");
        desk.type("ternsay-pe1", placed.replace("tidewater-clinics ternsay", "somebody's own").replace("</vpn>", "<vrf><name>LIGHTHOUSE</name><rd>64500:77</rd></vrf></vpn>"));
        Plan plan = Shipped.plan(desk, RETURN);
        assertThat(plan.outcomes()).isEmpty();
        assertThat(plan.changesNothing()).isFalse();
        assertThat(plan.devices().get("ternsay-pe1").part().difference().paths()).extracting(Path::toString).containsExactly("/vpn/vrf[LIGHTHOUSE]");
        Plan whole = Shipped.plan(desk, RETURN.replace(" }]", ", services: true }]"));
        assertThat(whole.devices().get("ternsay-pe1").part().difference().paths()).hasSize(2);
        Shipped.done(desk, RETURN);
        assertThat(Shipped.plan(desk, RETURN).changesNothing()).isTrue();
        assertThat(Shipped.plan(desk, CLINICS).changesNothing()).isTrue();
        assertThatThrownBy(() -> Shipped.plan(desk, RETURN.replace("ternsay-pe1", "ternsay-pe9"))).hasMessageContaining("there is no device named 'ternsay-pe9'; the nearest is ternsay-pe1");
        assertThatThrownBy(() -> Shipped.plan(desk, RETURN.replace("2026-05-04T10:00:00Z", "noon"))).hasMessageContaining("is no time");
    }
}
