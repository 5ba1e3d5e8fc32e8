package rilvan.core.schema;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.schema.SchemaTable.MalformedTable;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/** What modules say of nodes that depend on each other (RFC 7950 must, when, unique), held before a device is asked. */
class ConstraintsTest {

    private static final SchemaTable HALL = SchemaTable.parse("""
        namespace h urn:hall
        hall@h container
          rack list name unique="rd" unique="place/row place/column"
            name leaf string
            rd leaf string
            place container
              row leaf whole range=1..99
              column leaf whole range=1..99
          port list name
            name leaf string
            mtu leaf whole range=68..9216 default="1500"
          line list port,vlan must="not(mtu) or mtu <= ../port[name = current()/port]/mtu" says="the line's mtu exceeds its port's" must="count(../line) < 4"
            port leaf string
            vlan leaf whole range=1..4094
            mtu leaf whole range=1..9216
            kind leaf enumeration names=plain|paired default="plain"
            peer leaf string when="../kind = 'paired'"
            paired leaf empty choice=way/pair when-parent="kind = 'paired'"
            note leaf string must="string-length(.) > 2" must="deref(.)"
            of leaf-list string must="current() = ../../rack/name"
        """);

    private static Node tree(String nodes) {
        TreeMap<Path, String> present = new TreeMap<>();
        for (String each : nodes.split(" ")) {
            String[] parts = each.split("=", 2);
            present.put(Path.parse("/hall/" + parts[0]), parts.length == 1 ? "" : parts[1]);
        }
        return Node.of(present);
    }

    private static List<String> faults(Node before, Node after) {
        return Conformance.faults(HALL, before, after, Difference.between(before, after).paths()).stream().map(fault -> fault.at() + " " + fault.message()).toList();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "port[a] line[a,1]/mtu=1500 line[a,1]                                      | ",
        "port[a] line[a,1]/mtu=1501 line[a,1]                                      | /hall/line[a,1] the line's mtu exceeds its port's",
        "port[a] port[a]/mtu=9000 line[a,1]/mtu=1501 line[a,1]                     | ",
        "rack[x] rack[x]/rd=1:1 rack[y] rack[y]/rd=1:1                             | /hall/rack[y] has the same rd as /hall/rack[x]: 1:1",
        "rack[x] rack[x]/rd=1:1 rack[y] rack[y]/rd=1:2                             | ",
        "rack[x] rack[x]/place/row=1 rack[x]/place/column=2 rack[y] rack[y]/place/row=1 rack[y]/place/column=2 | /hall/rack[y] has the same place/row and place/column as /hall/rack[x]: 1, 2",
        "rack[x] rack[x]/place/row=1 rack[y] rack[y]/place/row=1                   | ",
        "line[a,1] line[a,1]/kind=paired line[a,1]/peer=b                          | ",
        "line[a,1] line[a,1]/peer=b                                                | /hall/line[a,1]/peer may be there only where this is true: ../kind = 'paired'",
        "line[a,1] line[a,1]/paired                                                | /hall/line[a,1]/paired may be there only where this is true: kind = 'paired'",
        "line[a,1] line[a,1]/note=ab                                               | /hall/line[a,1]/note does not satisfy: string-length(.) > 2",
        "line[a,1] line[a,1]/note=abc                                              | ",
        "line[a,1] line[a,1]/of[x]                                                 | /hall/line[a,1]/of[x] does not satisfy: current() = ../../rack/name",
        "rack[x] line[a,1] line[a,1]/of[x]                                         | ",
    })
    void whatDoesNotHoldIsNamed(String nodes, String fault) {
        assertThat(faults(Node.EMPTY, tree(nodes.strip()))).isEqualTo(fault == null ? List.of() : List.of(fault));
    }

    /** A change elsewhere may make it fail: a port's mtu goes down below that of its line. */
    @Test
    void aChangeOfWhatAnExpressionNamesIsSeen() {
        Node before = tree("port[a] port[a]/mtu=9000 line[a,1] line[a,1]/mtu=2000");
        assertThat(faults(before, tree("port[a] line[a,1] line[a,1]/mtu=2000"))).containsExactly("/hall/line[a,1] the line's mtu exceeds its port's");
    }

    /** What a device holds already it has accepted, whatever we make of it. */
    @Test
    void whatFailedBeforeIsNotTheOrders() {
        Node before = tree("port[a] line[a,1] line[a,1]/mtu=2000");
        assertThat(faults(before, tree("port[a] line[a,1] line[a,1]/mtu=2000 line[a,2] line[a,2]/mtu=900"))).isEmpty();
    }

    @Test
    void anExpressionLosesItsPrefixesAndOnlyThese() {
        assertThat(Constraint.Expression.withoutPrefixes("../h:port[h:name = 'a:b']/ancestor::h:hall  or child::*")).isEqualTo("../port[name = 'a:b']/ancestor::hall or child::*");
        assertThat(Constraint.Expression.unknown("derived-from-or-self(../kind, 'h:plain') and count(x) = 1 or deref(.)")).containsExactly("deref", "derived-from-or-self");
        assertThatThrownBy(() -> SchemaTable.parse("namespace h urn:h\nx@h leaf string says=\"no\"")).isInstanceOf(MalformedTable.class).hasMessageContaining("stands behind the must");
    }
}
