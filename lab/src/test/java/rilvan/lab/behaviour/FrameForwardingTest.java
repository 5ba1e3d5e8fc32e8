package rilvan.lab.behaviour;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.lab.behaviour.FrameForwarding.AttachmentPoint;

/**
 * A VPLS over three routers, worked out by hand (RFC 4762): a full mesh with split horizon, a circuit on each; and a wire between
 * two of them that EVPN signals (RFC 8214). With everything right frames get through; each single thing wrong shows its symptom.
 */
class FrameForwardingTest {

    private static final Map<String, String> LOOPBACKS = Map.of("haven-pe1", "203.0.113.1", "ternsay-pe1", "203.0.113.2", "haven-npe1", "203.0.113.5");
    private static final Wiring WIRING = QuernDevices.wiring("haven-pe1 core-1", "ternsay-pe1 core-1", "haven-npe1 core-1", "haven-pe1 core-4",
            "haven-rr1 core-1", "haven-pe1 core-3");
    private static String bridge(String name) {
        StringBuilder text = new StringBuilder("""
                <ports xmlns="urn:quern:ports"><port><name>access-2</name><circuit><id>700</id><match><outer>700</outer></match>
                  <rewrite><pop>1</pop></rewrite><mtu>1500</mtu></circuit></port></ports>
                <switching xmlns="urn:quern:switching"><bridge><name>B</name><mtu>1500</mtu><circuit><port>access-2</port><id>700</id></circuit>""");
        LOOPBACKS.forEach((other, loopback) -> {
            if (!other.equals(name)) {
                text.append("<pseudowire><peer>").append(loopback).append("</peer><id>7</id><type>raw</type><mesh>true</mesh></pseudowire>");
            }
        });
        text.append("</bridge>");
        if (!name.equals("haven-npe1")) {
            text.append("""
                    <cross-connect><name>W</name><circuit><port>access-3</port><id>9</id></circuit>
                    <evpn><rd>1:1</rd><target>1:9</target>%s<mtu>1500</mtu></evpn></cross-connect>""".formatted(name.equals("haven-pe1")
                    ? "<local-id>1</local-id><remote-id>2</remote-id>" : "<local-id>2</local-id><remote-id>1</remote-id>"));
        }
        return text + """
                </switching><ports xmlns="urn:quern:ports"><port><name>access-3</name><circuit><id>9</id><match><any/></match></circuit>
                </port></ports>""";
    }

    private static FrameForwarding network(String device, String given, String instead) throws Exception {
        Map<String, String> texts = new HashMap<>();
        for (String name : List.of("haven-pe1", "ternsay-pe1", "haven-npe1", "haven-rr1")) {
            texts.put(name, QuernDevices.text(name) + (name.equals("haven-rr1") ? "" : bridge(name)));
        }
        return frames(texts, WIRING, device, given, instead);
    }

    private static FrameForwarding frames(Map<String, String> texts, Wiring wiring, String device, String given, String instead) {
        return new FrameForwarding(QuernDevices.switches(texts, device, given, instead), QuernDevices.forwarding(texts, wiring, device, given, instead));
    }

    private static AttachmentPoint at(String device) {
        return new AttachmentPoint(device, "access-2", "700", "700");
    }

    @Test
    void withEverythingRightFramesGetFromEachToEach() throws Exception {
        FrameForwarding network = network("none", "", "");
        for (String from : LOOPBACKS.keySet()) {
            for (String to : LOOPBACKS.keySet()) {
                if (!from.equals(to)) {
                    assertThat(network.unanswered(at(from), at(to), 1500)).as("%s to %s", from, to).isEmpty();
                    assertThat(network.down(from, "B", LOOPBACKS.get(to))).isEmpty();
                }
            }
        }
        assertThat(network.unanswered(new AttachmentPoint("haven-pe1", "access-3", "9", "any"), new AttachmentPoint("ternsay-pe1", "access-3", "9", "any"), 1500)).isEmpty();
        // A bridge is not a wire's business, nor the other way round.
        assertThat(network.unanswered(at("haven-pe1"), new AttachmentPoint("ternsay-pe1", "access-3", "9", "any"), 64)).isPresent();
        assertThat(network.unanswered(at("haven-pe1"), at("ternsay-pe1"), 1501)).hasValue("haven-pe1 passes 1500 bytes at most through access-2 700, not 1501");
        assertThat(network.down("haven-pe1", "C", "203.0.113.2")).hasValue("there is no C");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "ternsay-pe1 | <id>7</id><type>raw  | <id>8</id><type>raw | pseudowire 7 to 203.0.113.2 is down: ternsay-pe1 has none with this id towards haven-pe1",
        "ternsay-pe1 | <type>raw</type>     | <type>tagged</type> | pseudowire 7 to 203.0.113.2 is down: it is raw here and tagged on ternsay-pe1",
        "ternsay-pe1 | <name>B</name><mtu>1500 | <name>B</name><mtu>1600 | pseudowire 7 to 203.0.113.2 is down: it passes 1500 bytes here and 1600 on ternsay-pe1",
        "ternsay-pe1 | <peer>203.0.113.1    | <peer>203.0.113.9   | pseudowire 7 to 203.0.113.2 is down: ternsay-pe1 has none with this id towards haven-pe1",
        "haven-pe1   | <at>core-1</at>  | <at>core-9</at>  | pseudowire 7 to 203.0.113.2 is down: there is no way there",
        "ternsay-pe1 | <outer>700</outer>   | <outer>701</outer>   | frames would leave ternsay-pe1 access-2 with tag 701, and 700 is expected",
        "haven-pe1   | <outer>700</outer>   | <outer>701</outer>   | haven-pe1 takes 701 from access-2, not tag 700",
        "ternsay-pe1 | <rewrite><pop>1</pop></rewrite> | <rewrite><pop>1</pop><push>5</push></rewrite> | frames come to ternsay-pe1 access-2 with no tag where it takes off 5",
        "haven-pe1   | <pop>1</pop>         | <pop>2</pop>         | haven-pe1 takes 2 tags off frames from access-2, which have tag 700",
        "ternsay-pe1 | </rewrite><mtu>1500  | </rewrite><mtu>1400  | ternsay-pe1 passes 1400 bytes at most through access-2 700, not 1500",
        "ternsay-pe1 | <mesh>true</mesh>    | <mesh>false</mesh>   | frames go round: haven-npe1 gets them by two ways",
        "ternsay-pe1 | <circuit><port>access-2</port><id>700 | <circuit><port>access-2</port><id>701 | frames from haven-pe1 access-2 do not come out at ternsay-pe1 access-2",
    })
    void eachSingleThingWrongHasItsSymptom(String device, String given, String instead, String symptom) throws Exception {
        assertThat(network(device, given, instead).unanswered(at("haven-pe1"), at("ternsay-pe1"), 1500).orElseThrow().replace("no answer: ", "")).isEqualTo(symptom);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "ternsay-pe1 | <target>1:9</target>         | <target>1:8</target>        | the EVPN wire W is down: no route for end 2 of 1:9 comes in",
        "ternsay-pe1 | <remote-id>1</remote-id>     | <remote-id>3</remote-id>    | the EVPN wire W is down: ternsay-pe1 looks for end 3, not for 1",
        "ternsay-pe1 | <mtu>1500</mtu></evpn>       | <mtu>1400</mtu></evpn>      | the EVPN wire W is down: it passes 1500 bytes here and 1400 on ternsay-pe1",
        "ternsay-pe1 | <mtu>1500</mtu></evpn>       | <mtu>1500</mtu><control-word>false</control-word></evpn> | the EVPN wire W is down: the control word is wanted at one end only",
        "ternsay-pe1 | <family>evpn</family>        | <family>ipv4</family>       | the EVPN wire W is down: no route for end 2 of 1:9 comes in",
    })
    void anEvpnWireIsUpOnlyWhereBothEndsAgree(String device, String given, String instead, String symptom) throws Exception {
        assertThat(network(device, given, instead).down("haven-pe1", "W", "203.0.113.2")).hasValue(symptom);
    }

    /** A router that is connected to two others by spokes (RFC 4762 §10.2): on one at a time, on the second where the first is lost. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "none        | x                              | x                    | ''",
        "haven-pe1   | <peer>203.0.113.2</peer><id>1  | <peer>203.0.113.2</peer><id>9 | ''",
        "ternsay-pe1 | <standby-for>203.0.113.1</standby-for> | ''           | frames go round: haven-npe1 gets them by two ways",
    })
    void aSpareTakesOverWhereTheMainWayIsLostAndOnlyThen(String device, String given, String instead, String symptom) throws Exception {
        String circuit = """
                <ports xmlns="urn:quern:ports"><port><name>access-2</name><circuit><id>700</id><match><outer>700</outer></match>
                <rewrite><pop>1</pop></rewrite></circuit></port></ports>""";
        String wire = "<pseudowire><peer>%s</peer><id>%d</id><type>raw</type><mesh>%s</mesh>%s</pseudowire>";
        Map<String, String> wires = Map.of(
                "ternsay-pe1", wire.formatted("203.0.113.1", 1, "false", "") + wire.formatted("203.0.113.5", 2, "false", "<standby-for>203.0.113.1</standby-for>"),
                "haven-pe1", wire.formatted("203.0.113.2", 1, "false", "") + wire.formatted("203.0.113.5", 3, "true", ""),
                "haven-npe1", wire.formatted("203.0.113.2", 2, "false", "") + wire.formatted("203.0.113.1", 3, "true", ""));
        Map<String, String> texts = new HashMap<>();
        for (String name : wires.keySet()) {
            texts.put(name, QuernDevices.text(name) + circuit + "<switching xmlns=\"urn:quern:switching\"><bridge><name>B</name><circuit><port>access-2</port><id>700</id></circuit>"
                    + wires.get(name) + "</bridge></switching>");
        }
        FrameForwarding frames = frames(texts, QuernDevices.wiring("haven-pe1 core-1", "ternsay-pe1 core-1", "haven-npe1 core-1", "haven-pe1 core-4"), device, given, instead);
        assertThat(frames.unanswered(at("ternsay-pe1"), at("haven-npe1"), 1500).orElse("")).isEqualTo(symptom);
    }
}
