package rilvan.core.dialect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import rilvan.core.Shipped;
import rilvan.core.document.ValidationFailure;
import rilvan.core.plan.InMemoryPlanningSource;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;

/** What a device holds that its family's schema does not know is kept as it is, and is in nobody's way. */
class UnreadTest {

    private static final Codec BRAE = Shipped.CATALOG.dialects().get("brae").codec();
    private static final Codec QUERN = Shipped.QUERN.codec();

    private static List<String> devices(String kind) throws Exception {
        try (Stream<Path> files = Files.list(Shipped.MODELS.resolve("demo/devices"))) {
            List<String> texts = new ArrayList<>();
            for (Path file : files.filter(each -> each.toString().endsWith(kind)).sorted().toList()) {
                texts.add(Files.readString(file));
            }
            return texts;
        }
    }

    /** A line of another feature, alone or as a block with lines of its own, anywhere. */
    private static String strange(Random random, String indent) {
        String line = indent + "zephyr " + random.nextInt(100_000) + "\n";
        return random.nextBoolean() ? line : line + indent + "  gust 7\n" + indent + "    of wind\n" + indent + "  calm\n";
    }

    @Test
    void linesOfNoStatementKeepNothingFromBeingReadAndAreWrittenBack() throws Exception {
        long seed = System.nanoTime();
        Random random = new Random(seed);
        for (String text : devices(".txt")) {
            Node known = BRAE.decode(text);
            for (int i = 0; i < 20; i++) {
                List<String> lines = new ArrayList<>(text.lines().toList());
                for (int more = 1 + random.nextInt(3); more > 0; more--) {
                    int at = random.nextInt(lines.size() + 1);
                    String indent = at == lines.size() ? "" : lines.get(at).replaceAll("\\S.*", "");
                    lines.addAll(at, strange(random, indent).lines().toList());
                }
                Node held = BRAE.decode(String.join("\n", lines));
                Node again = BRAE.decode(BRAE.encode(held));
                assertThat(again).as("seed %d", seed).isEqualTo(held);
                assertThat(Difference.between(known, held).changes()).as("seed %d", seed).isNotEmpty().allSatisfy(change ->
                        assertThat(change.at().toString()).contains("(unread)[zephyr "));
                assertThat(BRAE.encode(held)).as("seed %d", seed).contains("zephyr ");
            }
        }
    }

    @Test
    void elementsOfOtherModulesAreCarriedWithTheirNamespaces() throws Exception {
        String foreign = "<w:weather xmlns:w=\"urn:other\" w:at=\"noon\"><w:wind>7 &lt; 8</w:wind><w:none/></w:weather>";
        for (String text : devices(".xml").stream().filter(each -> each.contains("urn:quern:system")).toList()) {
            Node held = QUERN.decode(text.replaceFirst("</system>", foreign + "</system>") + foreign);
            assertThat(Difference.between(QUERN.decode(text), held).changes()).hasSize(2);
            assertThat(QUERN.encode(held)).contains("urn:other", "noon", "7 &lt; 8");
            assertThat(QUERN.decode(QUERN.encode(held))).isEqualTo(held);
        }
    }

    @Test
    void aValueThatTheSchemaDoesNotAllowIsKeptAsText() {
        Node held = BRAE.decode("port access-1\n payload 99999\n note here\n");
        assertThat(BRAE.encode(held)).isEqualTo("port access-1\n note here\n payload 99999\n");
        Node leaf = QUERN.decode("<ports xmlns=\"urn:quern:ports\"><port><name>access-1</name><mtu>many</mtu></port></ports>");
        assertThat(QUERN.encode(leaf)).contains(">many</mtu>");
    }

    /** A value of a leaf-list or a key that the schema does not allow, or a key that is missing, keeps nothing else from being read. */
    @Test
    void anEntryWithoutAReadableKeyIsKeptAsText() {
        for (String odd : List.of("<vpn xmlns=\"urn:quern:vpn\"><vrf><name>V</name><rd>64500:1</rd><route-targets><import>nothing</import></route-targets></vrf></vpn>",
                "<ports xmlns=\"urn:quern:ports\"><port><name>a b</name><mtu>1500</mtu></port><port><name>access-1</name></port></ports>",
                "<ports xmlns=\"urn:quern:ports\"><port><mtu>1500</mtu></port><port><name>access-1</name></port></ports>")) {
            Node held = QUERN.decode(odd);
            assertThat(QUERN.decode(QUERN.encode(held))).isEqualTo(held);
            assertThat(QUERN.encode(held)).containsPattern("nothing|1500").containsPattern("64500:1|access-1");
            assertThatThrownBy(() -> QUERN.decodeExact(odd)).isInstanceOf(MalformedConfiguration.class);
        }
    }

    @Test
    void theSameTextMayStandSeveralTimes() {
        String text = "port access-1\n zephyr 7\n zephyr 7\nzephyr 7\n gust\nzephyr 7\n gust\n";
        Node held = BRAE.decode(text);
        assertThat(BRAE.encode(held).lines().filter(line -> line.strip().equals("zephyr 7"))).hasSize(4);
        assertThat(BRAE.decode(BRAE.encode(held))).isEqualTo(held);
        assertThat(Difference.between(BRAE.decode(text.replaceFirst(" zephyr 7\n", "")), held).changes()).hasSize(1);
    }

    @Test
    void aSecretInItIsNotKept() {
        assertThat(BRAE.encode(BRAE.decode("user anna\n password hunter2 and more\n secrets are none\nenable-key x1\n"))).contains(" password (secret)\n", "enable-key (secret)")
                .doesNotContain("hunter2", "x1");
        assertThat(QUERN.encode(QUERN.decode("<users xmlns=\"urn:other\"><user><name>anna</name><password>hunter2</password></user></users>"))).contains("anna", "(secret)").doesNotContain("hunter2");
    }

    /** An order goes on beside it; only what would take it away is a conflict that says what stands there. */
    @Test
    void ordersGoOnBesideItAndNothingOfItIsRemoved() throws Exception {
        InMemoryPlanningSource skerra = Shipped.skerra();
        String order = Files.readString(Shipped.MODELS.resolve("services/l3vpn/examples/northsound-ferries.yaml"));
        Shipped.done(skerra, order);
        String held = skerra.configurations().get("skarn-pe1");
        String table = held.lines().filter(line -> line.startsWith("table VPN")).findFirst().orElseThrow();
        InMemoryPlanningSource typed = Shipped.skerra();
        Shipped.done(typed, order);
        typed.type("skarn-pe1", "zephyr on\n" + held.replace(table + "\n", table + "\n zephyr 7\n"));
        Shipped.done(typed, order.replaceFirst("rate: \\d+", "rate: 4000"));
        assertThat(typed.configurations().get("skarn-pe1")).contains("zephyr on", " zephyr 7");
        assertThatThrownBy(() -> Shipped.plan(typed, "remove: [northsound-tickets]")).isInstanceOf(ValidationFailure.class).hasMessageContaining("zephyr 7");
    }
}
