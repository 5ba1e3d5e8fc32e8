package rilvan.core.dialect;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.RandomTrees;
import rilvan.core.Shipped;
import rilvan.core.schema.Conformance;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

class XmlCodecTest {

    private static final XmlCodec CODEC = (XmlCodec) Shipped.QUERN.codec();
    private final long seed = RandomTrees.seed();

    @RepeatedTest(200)
    void textToTreeToTextIsTheIdentity() {
        Node tree = new RandomTrees(seed).tree();
        String text = CODEC.encode(tree);
        assertThat(CODEC.decode(text)).as("seed %d", seed).isEqualTo(tree);
        assertThat(CODEC.encode(CODEC.decode(text))).isEqualTo(text);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "<vpn xmlns='urn:quern:vpn'><vrf><rd>1:1</rd></vrf></vpn> | /vpn/vrf has an entry without its key name",
        "<vpn xmlns='urn:quern:vpn'><vrg/></vpn> | /vpn/vrg is not in the schema",
        "<vpn xmlns='urn:other'/> | /vpn is not in the schema",
        "<ports xmlns='urn:quern:ports'><port><name>a</name><mtu>99</mtu></port></ports> | 99 is not in 576..9216",
        "<ports xmlns='urn:quern:ports'><port><name>a</name><enabled>yes</enabled></port></ports> | 'yes' is none of true, false",
        "<system xmlns='urn:quern:system'>text</system> | /system has text 'text' where nodes are expected",
        "<system xmlns='urn:quern:system'> | no well-formed XML",
        "<!DOCTYPE x [<!ENTITY e SYSTEM 'file:///etc/hostname'>]><system xmlns='urn:quern:system'/> | no well-formed XML",
    })
    void whatTheSchemaDoesNotAllowIsRefusedByPath(String text, String message) {
        assertThatThrownBy(() -> CODEC.decodeExact(text)).isInstanceOf(MalformedConfiguration.class).hasMessageContaining(message);
    }

    @Test
    void anEditCreatesDeletesAndReplacesJustWhatChanges() {
        Path circuit = Path.parse("/ports/port[a]/circuit[5]");
        Node before = CODEC.decode("<ports xmlns='urn:quern:ports'><port><name>a</name><mtu>1500</mtu><description>x</description></port></ports>");
        Node after = before.with(circuit, Node.ENTRY).with(Path.parse("/ports/port[a]/mtu"), Node.leaf("9000"))
                .with(Path.parse("/ports/port[a]/description"), Node.EMPTY);
        String operation = " xmlns:nc=\"urn:ietf:params:xml:ns:netconf:base:1.0\" nc:operation=";
        assertThat(CODEC.edit(Difference.between(before, after))).isEqualTo("<ports xmlns=\"urn:quern:ports\"><port>"
                + "<name>a</name><description" + operation + "\"delete\">x</description><mtu" + operation + "\"replace\">9000</mtu><circuit"
                + operation + "\"create\"><id>5</id></circuit></port></ports>");
    }

    @Test
    void overlappingSubtreeFiltersSelectANodeOnce() {
        assertThat(CODEC.filter(List.of(Path.parse("/vpn/vrf[V1]"), Path.parse("/vpn/vrf[V1]/rd"),
                Path.parse("/ports/port[a]/circuit[5]"))))
                .isEqualTo("<ports xmlns=\"urn:quern:ports\"><port><name>a</name><circuit><id>5</id></circuit></port></ports>"
                        + "<vpn xmlns=\"urn:quern:vpn\"><vrf><name>V1</name></vrf></vpn>");
    }

    @Test
    void theDifferenceShowsAddedAndRemovedLinesInTheirBlocks() {
        Path mtu = Path.parse("/ports/port[a]/mtu");
        Node before = CODEC.decode("<ports xmlns='urn:quern:ports'><port><name>a</name><mtu>1500</mtu></port></ports>");
        assertThat(CODEC.lines(before, before.with(mtu, Node.leaf("9000"))).stream().map(line -> line.sign() + line.text()))
                .containsExactly("AROUND<ports xmlns=\"urn:quern:ports\">", "AROUND  <port>", "AROUND    <name>a</name>",
                        "GOES    <mtu>1500</mtu>", "COMES    <mtu>9000</mtu>", "AROUND  </port>", "AROUND</ports>");
    }

    @Test
    void entriesThatTheUserOrdersKeepTheirOrder() {
        String filter = "<policy xmlns='urn:quern:policy'><filter><name>F</name>%s</filter></policy>";
        String entry = "<entry><number>%d</number><action>accept</action><prefix>192.0.2.0/24</prefix></entry>";
        Node before = CODEC.decode(filter.formatted(entry.formatted(20) + entry.formatted(10)));
        Node after = CODEC.decode(filter.formatted(entry.formatted(5) + entry.formatted(10) + entry.formatted(20)));
        assertThat(CODEC.decode(CODEC.encode(before))).isEqualTo(before);
        String edit = CODEC.edit(Difference.between(before, after));
        assertThat(edit).contains("nc:operation=\"create\" xmlns:yang=\"urn:ietf:params:xml:ns:yang:1\" yang:insert=\"first\"><number>5</number>")
                .contains("yang:insert=\"after\" xmlns:p=\"urn:quern:policy\" yang:key=\"[p:number='5']\"><number>10</number>").doesNotContain("<number>20</number>");
        assertThat(CODEC.lines(before, after).stream().filter(line -> line.text().contains("<number>")).map(line -> line.sign() + line.text().strip()))
                .containsExactly("COMES<number>5</number>");
    }

    @Test
    void aWholeConfigurationIsCheckedAndEveryFaultNamed() {
        Node tree = CODEC.decode("""
                <ports xmlns="urn:quern:ports"><port><name>a</name><circuit><id>1</id>
                <vrf xmlns="urn:quern:vpn">NONE</vrf></circuit></port></ports>
                <vpn xmlns="urn:quern:vpn"><vrf><name>V1</name></vrf></vpn>""");
        assertThat(Conformance.faults(CODEC.schema(), tree).stream().map(fault -> fault.at() + " " + fault.message())).containsExactly(
                "/ports/port[a]/circuit[1]/vrf refers to 'NONE', but no /vpn/vrf/name says so",
                "/vpn/vrf[V1] lacks rd, which is mandatory");
        assertThat(Conformance.faults(CODEC.schema(), CODEC.decode("<ports xmlns='urn:quern:ports'><port><name>a</name><circuit>"
                + "<id>1</id><match><any/><untagged/></match></circuit></port></ports>")).stream().map(Object::toString))
                .singleElement().asString().contains("would have any and untagged, which exclude each other (choice frames)");
        assertThat(Conformance.faults(CODEC.schema(), CODEC.decode(Shipped.text("demo/devices/haven-pe1.xml")))).isEmpty();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "<#list 1..999999999 as i></#list> | stopped after",
        "<#macro m><@m/></#macro><@m/> | calls itself without end",
        "<#list 1..999999999 as i>${i} some text that fills</#list> | writes more than",
        "${\"freemarker.template.utility.Execute\"?new()} | test.xml, line 1",
        "${name.class} | test.xml, line 1",
        "${nobody} | test.xml, line 1, column 3",
        "<#include \"/etc/hostname\"> | test.xml",
    })
    void aTemplateThatMisbehavesIsStopped(String text, String message) {
        assertThatThrownBy(() -> Template.xml("test.xml", text).fill(Map.of("name", "x")))
                .isInstanceOf(Template.TemplateFault.class).hasMessageContaining(message);
    }

    @Test
    void valuesInATemplateAreEscaped() {
        assertThat(Template.xml("test.xml", "<a>${name}</a>").fill(Map.of("name", "</a><b>&"))).isEqualTo("<a>&lt;/a&gt;&lt;b&gt;&amp;</a>");
    }
}
