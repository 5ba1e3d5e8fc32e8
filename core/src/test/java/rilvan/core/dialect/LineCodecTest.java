package rilvan.core.dialect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.TreeSet;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.RandomTrees;
import rilvan.core.Shipped;
import rilvan.core.schema.SchemaTable.MalformedTable;
import rilvan.core.schema.StatementTable;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;

class LineCodecTest {

    private static final LineCodec BRAE = (LineCodec) Shipped.CATALOG.dialects().get("brae").codec();
    private static final String PART = """
            table A
             rd 1:1
            table B
             rd 1:2
            part p 7
             note in
             payload 1500
             table %s
             address 192.0.2.0/31
             address 2001:db8::/127
            """;

    private final long seed = RandomTrees.seed();

    /** Random configurations, small enough to meet the same lines again and again. */
    private static Node tree(Random random) {
        List<String> lines = new ArrayList<>();
        for (String table : new TreeSet<>(List.of("A", "B", "C"))) {
            if (random.nextBoolean()) {
                lines.add("table " + table + "\n rd 1:" + random.nextInt(3) + (random.nextBoolean() ? "\n take 1:1" : "") + (random.nextBoolean() ? "\n take 1:2" : ""));
                if (random.nextBoolean()) {
                    lines.add("routes " + table + "\n route 198.51.100.0/24 via 192.0.2." + random.nextInt(3) + "\n peer 192.0.2.1\n  as " + (1 + random.nextInt(3)));
                }
            }
        }
        for (int i = 0; i < 3; i++) {
            lines.add("part p " + i + "\n note some  text " + random.nextInt(2) + "\n payload " + (1500 + random.nextInt(2)) + "\n address 192.0.2." + 2 * i + "/31");
        }
        return BRAE.decode(String.join("\n", lines));
    }

    @RepeatedTest(100)
    void textToTreeToTextIsTheIdentity() {
        Node tree = tree(new Random(seed));
        String text = BRAE.encode(tree);
        assertThat(BRAE.decode(text)).as("seed %d", seed).isEqualTo(tree);
        assertThat(BRAE.encode(BRAE.decode(text))).isEqualTo(text);
    }

    @Test
    void everyShippedDeviceIsReadAndWrittenWithoutLoss() {
        Shipped.SKERRA.devices().keySet().forEach(device -> {
            String text = Shipped.skerra().configurations().get(device);
            Node tree = Shipped.codec(device).decode(text);
            assertThat(Shipped.codec(device).decode(Shipped.codec(device).encode(tree))).as(device).isEqualTo(tree);
        });
    }

    @Test
    void anEntryIsMadeBeforeItIsNamedAndRemovedAfterwards() {
        Node before = BRAE.decode("table A\n rd 1:1\npart p 7\n note x\n table A\n");
        Node after = BRAE.decode("table B\n rd 1:2\npart p 7\n note y\n table B\n");
        assertThat(BRAE.edit(Difference.between(before, after)).lines()).containsExactly(
                "table B", " rd 1:2", " exit", "part p 7", " note y", " table B", " exit", "drop table A");
        assertThat(BRAE.edit(Difference.between(after, Node.EMPTY)).lines()).containsExactly("drop part p 7", "drop table B");
    }

    @Test
    void linesThatAChangeDropsAreSentAgain() {
        Node before = BRAE.decode(PART.formatted("A"));
        Node after = BRAE.decode(PART.formatted("B"));
        Difference wide = BRAE.widen(Difference.between(before, after), before);
        assertThat(wide.changes()).hasSize(1);
        assertThat(BRAE.edit(wide).lines()).containsExactly("part p 7", " table B", " address 192.0.2.0/31", " address 2001:db8::/127", " exit");
    }

    @Test
    void hiddenDefaultsAreNotInTheTree() {
        assertThat(BRAE.decode("port p\n payload 9192\n")).isEqualTo(BRAE.decode("port p\n"));
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "port p\\n paylod 1500 | line 2, 'paylod 1500' in /port[p]: there is no such statement here",
        "port p\\n payload 15 | line 2, 'payload 15' in /port[p]: 15 is not in 576..9216",
        "part p 7\\n address 192.0.2.0 | needs a length",
        "port p\\n drop note | write only what must be present; Rilvan works out removals",
        "part p 7\\n turbo | devices of this family take that line without effect",
        "port p\\n note x\\n  note y | there is no such statement here",
    })
    void whatTheTableDoesNotAllowIsRefusedByLine(String text, String message) {
        assertThatThrownBy(() -> BRAE.decodeExact(text.replace("\\n", "\n"))).isInstanceOf(MalformedConfiguration.class).hasMessageContaining(message);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "port blok \"port {p}\" | line 1: expected: NAME single",
        "a single \"a {x:nothing*}\" | line 1: a gap of a kind that is not known: nothing*",
        "a single \"a {x:rest} b\" | line 1: what takes the rest of the line must be last in it",
        "a multi \"a\" | line 1: a statement that may occur several times needs a gap",
        "a single \"a\" drops=b | a drops b, which is not in the same block",
        "a single \"a\"\\n  b single \"b\" | line 2: a is not a block",
        "a single \"a\" dflt=b | line 1: an attribute that is not known: dflt",
    })
    void aTableThatIsWrongIsRefusedByLine(String text, String message) {
        assertThatThrownBy(() -> StatementTable.parse(text.replace("\\n", "\n"))).isInstanceOf(MalformedTable.class).hasMessageContaining(message);
    }
}
