package rilvan.core.plan;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.api.RepeatedTest;
import rilvan.core.RandomTrees;
import rilvan.core.Shipped;

/**
 * Services of all kinds come, change and go in any order on devices of all families that hold configuration of others: what is
 * left is that configuration and the services that are left, and at last, byte for byte, what was there at the start.
 */
class NoTraceTest {

    /** Orders that can stand side by side, each with a change of it. */
    private static final List<String[]> ORDERS = List.of(
            order("l3vpn/examples/tidewater-four-islands", "rate: 200000", "rate: 100000"),
            order("l3vpn/examples/northsound-ferries", "limit: 200", "limit: 300"),
            order("l3vpn/examples/gannet-cold-stores", "tag: 120", "tag: 121"),
            order("l2vpn/examples/kelp-works-wire", "mtu: 2000", "mtu: 2100"),
            order("l2vpn/examples/council-lifeline", "class: voice", "class: business"),
            order("l2vpn/examples/ferries-ticket-line", "500/20", "500/21"),
            order("vpls/examples/kelp-drying-sheds", "tag: 720", "tag: 721"),
            order("vpls/examples/ferries-quays", "730-739", "730-735"),
            order("tenant/examples/tidewater-records", "tag: 30", "tag: 33"),
            order("tenant/examples/kelp-cameras", "tag: 40", "tag: 41"),
            order("tenant/examples/council-archive", "mtu: 8900", "mtu: 8000"),
            order("device-text/examples/lifeboat-routes", "203.0.113.240/29", "203.0.113.248/29"),
            order("device-text/examples/quay-notes", "call the harbour", "ring the harbour"),
            order("device-text/examples/council-filter", "<longest>28</longest>", "<longest>29</longest>"));

    private final long seed = RandomTrees.seed();

    private static String[] order(String file, String given, String instead) {
        String text = Shipped.text("services/" + file + ".yaml");
        assertThat(text).contains(given);
        return new String[] {text, text.replace(given, instead), text.replaceAll("(?s).*services:\\n  - name: (\\S+).*", "$1").strip()};
    }

    @RepeatedTest(15)
    void addingAndRemovingLeavesNoTrace() {
        Random random = new Random(seed);
        InMemoryPlanningSource source = Shipped.skerra();
        Map<String, String> start = canonical(source);
        List<String[]> standing = new ArrayList<>();
        for (int step = 0; step < 25; step++) {
            String[] order = ORDERS.get(random.nextInt(ORDERS.size()));
            boolean stands = source.services().contains(order[2]);
            if (stands && random.nextBoolean()) {
                Shipped.done(source, "remove: [" + order[2] + "]");
                standing.remove(order);
            } else {
                Shipped.done(source, order[random.nextInt(2)]);
                if (!stands) {
                    standing.add(order);
                }
            }
        }
        java.util.Collections.shuffle(standing, random);
        for (String[] order : standing) {
            Plan again = Shipped.plan(source, order[1]);
            assertThat(again).as("seed %d: planning is deterministic", seed).isEqualTo(Shipped.plan(source, order[1]));
            Shipped.done(source, "remove: [" + order[2] + "]");
        }
        assertThat(canonical(source)).as("seed %d", seed).isEqualTo(start);
        assertThat(source.services()).isEmpty();
    }

    @RepeatedTest(5)
    void aServiceDoesNotDependOnOthersThatWereAddedAndRemoved() {
        Random random = new Random(seed);
        String[] kept = ORDERS.get(random.nextInt(ORDERS.size()));
        InMemoryPlanningSource alone = Shipped.skerra();
        Shipped.done(alone, kept[0]);
        InMemoryPlanningSource busy = Shipped.skerra();
        Shipped.done(busy, kept[0]);
        List<String[]> others = new ArrayList<>(ORDERS);
        others.remove(kept);
        java.util.Collections.shuffle(others, random);
        others.subList(0, 5).forEach(order -> Shipped.done(busy, order[0]));
        others.subList(0, 5).forEach(order -> Shipped.done(busy, "remove: [" + order[2] + "]"));
        assertThat(canonical(busy)).as("seed %d, %s", seed, kept[2]).isEqualTo(canonical(alone));
    }

    private static Map<String, String> canonical(InMemoryPlanningSource source) {
        Map<String, String> texts = new TreeMap<>();
        source.configurations().forEach((device, text) -> texts.put(device, Shipped.canonical(device, text)));
        return texts;
    }

}
