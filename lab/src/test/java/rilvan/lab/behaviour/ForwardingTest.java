package rilvan.lab.behaviour;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/**
 * Two PEs, a CE behind each, one VPN between them (RFC 4364), worked out by hand: with everything right the CEs reach each
 * other; each single thing wrong shows its own symptom.
 */
class ForwardingTest {

    private static final Wiring WIRING = QuernDevices.wiring("haven-pe1 core-1", "ternsay-pe1 core-1",
            "ternsay-pe1 core-2", "olvar-pe1 core-1", "olvar-pe1 core-2", "skarn-pe1 core-1", "skarn-pe1 core-2", "haven-pe1 core-2",
            "haven-rr1 core-1", "haven-pe1 core-3", "haven-ce1 uplink", "haven-pe1 access-1", "ternsay-ce1 uplink", "ternsay-pe1 access-1");
    private static String pe(String name, String rd, int link, String lan) throws Exception {
        return QuernDevices.text(name) + """
                <ports xmlns="urn:quern:ports"><port><name>access-1</name><circuit><id>110</id><match><outer>110</outer></match>
                  <ipv4>192.0.2.%d/31</ipv4>
                  <ipv6>2001:db8:b::%d/127</ipv6><vrf xmlns="urn:quern:vpn">V</vrf></circuit></port></ports>
                <vpn xmlns="urn:quern:vpn"><vrf><name>V</name><rd>64500:%s</rd>
                  <route-targets><import>64500:1</import><export>64500:1</export></route-targets>
                  <route><to>%s</to><via>192.0.2.%d</via></route>
                    <route><to>2001:db8:c:%s::/64</to><via>2001:db8:b::%d</via></route></vrf></vpn>"""
                .formatted(link, link, rd, lan, link + 1, rd, link + 1);
    }

    private static Forwarding network(String device, String given, String instead) throws Exception {
        return QuernDevices.forwarding(texts(), WIRING, device, given, instead);
    }

    private static Map<String, String> texts() throws Exception {
        Map<String, String> texts = new HashMap<>();
        texts.put("haven-pe1", pe("haven-pe1", "1", 0, "198.51.100.0/26"));
        texts.put("haven-rr1", QuernDevices.text("haven-rr1"));
        texts.put("ternsay-pe1", pe("ternsay-pe1", "2", 2, "198.51.100.64/26"));
        for (String ce : List.of("haven-ce1", "ternsay-ce1")) {
            texts.put(ce, QuernDevices.text(ce));
        }
        return texts;
    }

    @Test
    void withEverythingRightTheHousesReachEachOther() throws Exception {
        Forwarding network = network("none", "", "");
        assertThat(network.ping("haven-ce1", "", Optional.empty(), "198.51.100.65", 64)).isEqualTo(new Forwarding.Ping(true, ""));
        assertThat(network.ping("ternsay-ce1", "", Optional.of("192.0.2.3"), "192.0.2.1", 64).answered()).isTrue();
        assertThat(network.ping("haven-pe1", "V", Optional.of("192.0.2.0"), "192.0.2.3", 64).answered()).isTrue();
        // The VPN is none of the routers' own business: their own tables do not know its addresses.
        assertThat(network.ping("haven-pe1", "", Optional.empty(), "192.0.2.3", 64).reason()).isEqualTo("haven-pe1 has no route");
    }

    @Test
    void aPacketIsFollowedBothWays() throws Exception {
        assertThat(network("none", "", "").trace("haven-ce1", "", Optional.empty(), "198.51.100.65")).isEqualTo(new Forwarding.Trace(
                List.of("haven-ce1", "haven-pe1 in V", "ternsay-pe1 in V", "ternsay-ce1"), List.of("ternsay-ce1", "ternsay-pe1 in V", "haven-pe1 in V", "haven-ce1"), ""));
        // The way there may be well where the way back is not.
        Forwarding.Trace lost = network("ternsay-pe1", "<import>64500:1", "<import>64500:2").trace("haven-ce1", "", Optional.empty(), "198.51.100.65");
        assertThat(lost.back()).containsExactly("ternsay-ce1", "ternsay-pe1 in V");
        assertThat(lost.lost()).isEqualTo("ternsay-pe1 has no route in V");
    }

    /** Filters of packets that come in from the customers, the first entry that fits deciding; what a ping shows of them, and what a connection. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "haven-pe1   | <protocol>icmp</protocol>                                | true  | haven-pe1 keeps it out at access-1 110 by the packet filter F",
        "haven-pe1   | <protocol>tcp</protocol><port>443</port>                 | false | ''",
        "haven-pe1   | <protocol>tcp</protocol><port>80</port>                  | false | haven-pe1 keeps it out at access-1 110 by the packet filter F",
        "haven-pe1   | <destination>198.51.100.64/26</destination>              | true  | ''",
        "haven-pe1   | <source>198.51.100.64/26</source>                        | false | haven-pe1 keeps it out at access-1 110 by the packet filter F",
        // The answer comes in at the other end, to a port of the asking side's choice: a filter that knows no connections keeps it out.
        "ternsay-pe1 | <protocol>tcp</protocol><port>443</port>                 | false | no answer",
        "ternsay-pe1 | <protocol>tcp</protocol>                                 | false | ''",
    })
    void aFilterOfPacketsLetsThroughWhatItSays(String device, String accepted, boolean pinged, String symptom) throws Exception {
        Map<String, String> texts = texts();
        texts.computeIfPresent(device, (name, text) -> QuernDevices.guarded(text, accepted));
        Forwarding network = QuernDevices.forwarding(texts, WIRING, "none", "", "");
        assertThat(network.ping("haven-ce1", "", Optional.of("198.51.100.1"), "198.51.100.65", 64).answered()).isEqualTo(pinged);
        assertThat(network.connect("haven-ce1", "", Optional.of("198.51.100.1"), "198.51.100.65", 443)).isEqualTo(new Forwarding.Ping(symptom.isEmpty(), symptom));
    }

    /** The versions of IP are apart: what is wrong with the one leaves the other alone (RFC 4659). */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "haven-pe1   | <family>vpn-ipv6</family>            | <family>ipv4</family>                   | haven-pe1 has no route in V",
        "ternsay-pe1 | <to>2001:db8:c:2::/64            | <to>2001:db8:c:9::/64               | haven-pe1 has no route in V",
        "ternsay-pe1 | <ipv6>2001:db8:b::2/     | <ipv6>2001:db8:b::4/        | haven-pe1 has no route in V",
        "haven-ce1   | <via>2001:db8:b::</via>    | <via>2001:db8:b::9</via>      | haven-ce1 has no route",
    })
    void theVersionsOfIpAreApart(String device, String given, String instead, String symptom) throws Exception {
        Optional<String> house = Optional.of("2001:db8:c:1::1");
        assertThat(network("none", "", "").ping("haven-ce1", "", house, "2001:db8:c:2::1", 64)).isEqualTo(new Forwarding.Ping(true, ""));
        Forwarding broken = network(device, given, instead);
        assertThat(broken.ping("haven-ce1", "", house, "2001:db8:c:2::1", 64)).isEqualTo(new Forwarding.Ping(false, symptom));
        assertThat(broken.ping("haven-ce1", "", Optional.empty(), "198.51.100.65", 64).answered()).isTrue();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "haven-pe1   | <import>64500:1</import>      | <import>64500:9</import>      | haven-pe1 has no route in V",
        "ternsay-pe1 | <export>64500:1</export>      | <export>64500:9</export>      | haven-pe1 has no route in V",
        "ternsay-pe1 | <import>64500:1</import>      | <import>64500:9</import>      | no answer",
        "haven-pe1   | <outer>110</outer>            | <outer>111</outer>            | haven-ce1 has no route",
        "ternsay-pe1 | <outer>110</outer>            | <outer>111</outer>            | ternsay-pe1 has no route in V",
        "ternsay-pe1 | <ipv4>192.0.2.2/  | <ipv4>192.0.2.4/  | haven-pe1 has no route in V",
        "haven-pe1   | 198.51.100.0/26               | 198.51.100.128/26             | no answer",
        "ternsay-pe1 | 198.51.100.64/26              | 198.51.100.192/26             | haven-pe1 has no route in V",
        "ternsay-pe1 | <remote-as>64500</remote-as>  | <remote-as>64501</remote-as>  | haven-pe1 has no route in V",
        "ternsay-pe1 | <family>vpn-ipv4</family>     | <family>ipv4</family>         | haven-pe1 has no route in V",
        "haven-pe1   | <address>203.0.113.11</address> | <address>203.0.113.99</address> | haven-pe1 has no route in V",
        "haven-rr1   | <reflector-client>true</reflector-client> | <reflector-client>false</reflector-client> | haven-pe1 has no route in V",
        "haven-pe1   | <at>core-1</at>           | <at>core-9</at>           | haven-pe1 has no route in V",
        "haven-rr1   | <at>core-1</at>           | <at>core-1</at><hello-interval>5</hello-interval> | haven-pe1 has no route in V",
        "haven-rr1   | <id>0.0.0.0</id>              | <id>0.0.0.0</id><stub>true</stub> | haven-pe1 has no route in V",
        "ternsay-pe1 | <description>cable to haven-pe1 | <enabled>false</enabled><description>cable to haven-pe1 | haven-pe1 has no route in V",
        "ternsay-ce1 | <via>192.0.2.2           | <via>192.0.2.9           | no answer",
    })
    void eachSingleThingWrongHasItsSymptom(String device, String given, String instead, String symptom) throws Exception {
        Forwarding.Ping ping = network(device, given, instead).ping("haven-ce1", "", Optional.of("198.51.100.1"), "198.51.100.65", 64);
        assertThat(ping).isEqualTo(new Forwarding.Ping(false, symptom));
    }

    /** Packets fit the narrowest link of their way, with the two labels that are put around them. */
    @Test
    void theInteriorPassesWhatItsPortsPass() throws Exception {
        Map<String, String> texts = texts();
        for (String pe : List.of("haven-pe1", "ternsay-pe1")) {
            texts.computeIfPresent(pe, (name, text) -> text.replaceFirst("(<name>core-1</name>)", "$1<mtu>1504</mtu>"));
        }
        Forwarding network = QuernDevices.forwarding(texts, WIRING, "none", "", "");
        assertThat(network.ping("haven-ce1", "", Optional.empty(), "198.51.100.65", 1496).answered()).isTrue();
        assertThat(network.ping("haven-ce1", "", Optional.empty(), "198.51.100.65", 1497).reason())
                .isEqualTo("the way from haven-pe1 to ternsay-pe1 passes 1496 bytes at most, not 1497");
        assertThat(network.backbone().carries("haven-pe1", "ternsay-pe1", 1504)).isTrue();
        assertThat(network.backbone().carries("haven-pe1", "ternsay-pe1", 1505)).isFalse();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "<at>loopback</at>                         | <at>access-2</at>",
        "<router-id>203.0.113.2</router-id>        | <router-id>203.0.113.1</router-id>",
    })
    void aRouterIsReachedByAnAddressInOspfAndHasAnIdentifierOfItsOwn(String given, String instead) throws Exception {
        assertThat(network("ternsay-pe1", given, instead).ping("haven-ce1", "", Optional.empty(), "198.51.100.65", 64).reason()).isEqualTo("haven-pe1 has no route in V");
    }

    /** A reflector tells of one route of each distinguisher and prefix: another VPN's takes the place of this one's. */
    @ParameterizedTest
    @CsvSource({"2,haven-pe1 has no route in V", "3,''"})
    void equalDistinguishersShowAtAReflector(String rd, String symptom) throws Exception {
        Map<String, String> texts = texts();
        texts.computeIfPresent("haven-rr1", (name, text) -> text + """
                <ports xmlns="urn:quern:ports"><port><name>access-9</name><circuit><id>7</id><match><outer>7</outer></match>
                  <ipv4>192.0.2.8/31</ipv4><vrf xmlns="urn:quern:vpn">W</vrf></circuit></port></ports>
                <vpn xmlns="urn:quern:vpn"><vrf><name>W</name><rd>64500:%s</rd><route-targets><export>64500:7</export></route-targets>
                  <route><to>198.51.100.64/26</to><via>192.0.2.9</via></route></vrf></vpn>""".formatted(rd));
        assertThat(QuernDevices.forwarding(texts, WIRING, "none", "", "").ping("haven-ce1", "", Optional.empty(), "198.51.100.65", 64))
                .isEqualTo(new Forwarding.Ping(symptom.isEmpty(), symptom));
    }
}
