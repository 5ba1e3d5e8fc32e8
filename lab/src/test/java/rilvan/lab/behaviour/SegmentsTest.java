package rilvan.lab.behaviour;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.lab.device.Question;

/**
 * Two leaves and a spine that reflects their routes, worked out by hand: the segment "near" on the first leaf, "far" on the second,
 * "both" on both with a bundle over the two; one router joins them (RFC 9135 §4, RFC 9136 §4.4, RFC 7432 §8).
 */
class SegmentsTest {

    private static final List<String> NAMES = List.of("hall-leaf1", "hall-leaf2", "hall-spine1");
    private static final Wiring WIRING = QuernDevices.wiring("hall-leaf1 core-1", "hall-spine1 core-1", "hall-leaf2 core-1", "hall-spine1 core-2");

    private static String leaf(int number) {
        boolean first = number == 1;
        return """
                <ports xmlns="urn:quern:ports">
                  <port><name>access-1</name><circuit><id>0</id><match><untagged/></match></circuit></port>
                  <port><name>bundle-7</name><aggregate><system-id>02:00:00:00:00:07</system-id><admin-key>7</admin-key>
                    <ethernet-segment><identifier>00:00:00:00:00:00:00:00:00:07</identifier></ethernet-segment></aggregate>
                    <circuit><id>30</id><match><outer>30</outer></match><rewrite><pop>1</pop></rewrite></circuit></port>
                  <port><name>access-2</name><bundle>bundle-7</bundle></port>
                </ports>
                <vpn xmlns="urn:quern:vpn"><vrf><name>R</name><rd>1:%d</rd><route-targets><import>1:5</import><export>1:5</export></route-targets>
                  <own-address>203.0.113.6%d</own-address>
                  <vxlan><vni>5</vni><router-mac>02:52:00:00:00:0%d</router-mac></vxlan></vrf></vpn>
                <switching xmlns="urn:quern:switching">%s%s</switching>""".formatted(number, number, number,
                bridge(first ? "near" : "far", first ? "101" : "102", first ? "10.1.0.1" : "10.2.0.1", "access-1", "0"), bridge("both", "103", "10.3.0.1", "bundle-7", "30"));
    }

    private static String bridge(String name, String vni, String gateway, String port, String circuit) {
        return """
                <bridge><name>%s</name><circuit><port>%s</port><id>%s</id></circuit><vxlan><vni>%s</vni></vxlan>
                <evpn><import>1:%s</import><export>1:%s</export></evpn>
                <gateway><vrf>R</vrf><mac>02:47:00:00:00:01</mac><ipv4>%s/24</ipv4>
                <relay><server>203.0.113.250</server><source>203.0.113.6%s</source></relay></gateway></bridge>""".formatted(name, port, circuit, vni, vni, vni, gateway,
                name.equals("near") ? "1" : "2");
    }

    private static Answers network(String device, String given, String instead) throws Exception {
        Map<String, String> texts = new HashMap<>();
        for (String name : NAMES) {
            texts.put(name, QuernDevices.text(name) + (name.startsWith("hall-leaf") ? leaf(name.charAt(9) - '0') : ""));
        }
        Forwarding forwarding = QuernDevices.forwarding(texts, WIRING, device, given, instead);
        Map<String, Switch> switches = QuernDevices.switches(texts, device, given, instead);
        FrameForwarding frames = new FrameForwarding(switches, forwarding);
        return new Answers(forwarding, frames, new ForwardingState(switches, forwarding, frames));
    }

    private static Optional<String> acrossSegments(Answers network) {
        return network.not(Question.ROUTED, "hall-leaf1", List.of("access-1", "0", "untagged", "10.1.0.2", "hall-leaf2", "access-1", "0", "untagged", "10.2.0.2", "1500"));
    }

    private static Optional<String> bundle(Answers network) {
        return network.not(Question.BUNDLE, "hall-leaf1", List.of("bundle-7", "1", "hall-leaf2"));
    }

    @Test
    void withEverythingRightSegmentsTalkWhereTheirRouterJoinsThem() throws Exception {
        Answers network = network("none", "", "");
        assertThat(acrossSegments(network)).isEmpty();
        // A segment that is on both leaves is entered on the one where the packet is, and left where the host is.
        assertThat(network.not(Question.ROUTED, "hall-leaf1", List.of("access-1", "0", "untagged", "10.1.0.2", "hall-leaf2", "bundle-7", "30", "30", "10.3.0.9", "1500"))).isEmpty();
        assertThat(network.not(Question.FRAMES, "hall-leaf1", List.of("bundle-7", "30", "30", "hall-leaf2", "bundle-7", "30", "30", "1500"))).isEmpty();
        // Frames alone do not cross from segment to segment.
        assertThat(network.not(Question.FRAMES, "hall-leaf1", List.of("access-1", "0", "untagged", "hall-leaf2", "access-1", "0", "untagged", "1500"))).isPresent();
        assertThat(network.not(Question.ROUTE, "hall-leaf1", List.of("10.2.0.0/24", "R"))).isEmpty();
        assertThat(network.not(Question.EXCHANGE, "hall-leaf1", List.of("203.0.113.32", "R"))).isEmpty();
        assertThat(network.not(Question.GATEWAY, "hall-leaf2", List.of("both", "10.3.0.1/24", "02:47:00:00:00:01", "R"))).isEmpty();
        assertThat(network.not(Question.RELAY, "hall-leaf1", List.of("near", "203.0.113.250"))).isEmpty();
        assertThat(bundle(network)).isEmpty();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "hall-leaf2 | <vni>5</vni>                   | <vni>6</vni>                | hall-leaf1 has no route to 10.2.0.2 in R",
        "hall-leaf2 | <import>1:5</import>           | <import>1:6</import>        | no answer: hall-leaf2 has no route to 10.1.0.2 in R",
        "hall-leaf2 | <export>1:5</export>           | <export>1:6</export>        | hall-leaf1 has no route to 10.2.0.2 in R",
        "hall-leaf2 | <router-mac>02:52:00:00:00:02</router-mac> | ''              | hall-leaf1 has no route to 10.2.0.2 in R",
        "hall-leaf2 | <router-mac>02:52:00:00:00:02  | <router-mac>02:52:00:00:00:01 | hall-leaf1 has no route to 10.2.0.2 in R",
        "hall-leaf2 | <ipv4>10.2.0.1              | <ipv4>10.4.0.1           | hall-leaf1 has no route to 10.2.0.2 in R",
        "hall-leaf1 | <ipv4>10.1.0.1              | <ipv4>10.4.0.1           | 10.1.0.2 is on no network of the gateway of hall-leaf1",
        "hall-leaf2 | <circuit><port>access-1        | <circuit><port>access-3     | packets for 10.2.0.2 do not come out at hall-leaf2 access-1",
        "hall-leaf1 | <match><untagged/>             | <match><outer>9</outer>     | hall-leaf1 takes 9 from access-1, not no tag",
    })
    void eachSingleThingWrongHasItsSymptom(String device, String given, String instead, String symptom) throws Exception {
        assertThat(acrossSegments(network(device, given, instead))).hasValue(symptom);
    }

    /** A relay's requests come from an address that only its leaf has, so that answers find it. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "hall-leaf1 | <source>203.0.113.61</source> | ''                            | it is asked from no address of this device's own",
        "hall-leaf1 | <source>203.0.113.61          | <source>203.0.113.31          | it is asked from 203.0.113.31, which R does not have on this device alone",
        "hall-leaf2 | <own-address>203.0.113.62     | <own-address>203.0.113.61     | it is asked from 203.0.113.61, which R does not have on this device alone",
    })
    void aRelayAsksFromAnAddressOfItsOwn(String device, String given, String instead, String why) throws Exception {
        assertThat(network(device, given, instead).not(Question.RELAY, "hall-leaf1", List.of("near", "203.0.113.250"))).hasValue("203.0.113.250 cannot answer: " + why);
    }

    /** Hosts on the segment that is on both leaves (RFC 7432 §7.2), whether frames that nobody knows are flooded alike or not. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "none       | ''                 | ''                                          | ''",
        "hall-leaf2 | <vni>103</vni>     | <vni>103</vni><replication>multicast</replication> | ''",
        "hall-leaf2 | <vni>103</vni>     | <vni>104</vni>                              | nothing comes in of hosts behind hall-leaf2 bundle-7",
        "hall-leaf2 | <export>1:103      | <export>1:104                               | nothing comes in of hosts behind hall-leaf2 bundle-7",
        "hall-leaf2 | <export>1:5        | <export>1:6                                 | ''",
        "hall-leaf2 | <circuit><port>bundle-7 | <circuit><port>access-3                | hall-leaf2 has bundle-7 30 down, or in no segment",
    })
    void hostsElsewhereAreKnownWhereTheirSegmentComesIn(String device, String given, String instead, String symptom) throws Exception {
        assertThat(network(device, given, instead).not(Question.HOSTS, "hall-leaf1", List.of("both", "hall-leaf2", "bundle-7", "30")).orElse("")).isEqualTo(symptom);
    }

    /** Everything that comes in is of somebody, and a stranger is named. */
    @Test
    void strangersInATableOrSegmentAreNamed() throws Exception {
        Answers network = network("none", "", "");
        assertThat(network.not(Question.ORIGINS, "hall-leaf1", List.of("R", "1:2,1:1", ""))).isEmpty();
        assertThat(network.not(Question.ORIGINS, "hall-leaf1", List.of("R", "", "1:5"))).isEmpty();
        assertThat(network.not(Question.ORIGINS, "hall-leaf1", List.of("R", "1:1", "1:6"))).hasValue("routes of R on hall-leaf2 come in, with the route distinguisher 1:2");
        assertThat(network("hall-leaf2", "<export>1:5", "<export>1:6").not(Question.ORIGINS, "hall-leaf1", List.of("R", "", ""))).isEmpty();
        assertThat(network.not(Question.PEERS, "hall-leaf1", List.of("both", "203.0.113.32"))).isEmpty();
        assertThat(network.not(Question.PEERS, "hall-leaf1", List.of("both", "203.0.113.99"))).hasValue("it is connected to hall-leaf2 too");
        assertThat(network.not(Question.PEERS, "hall-leaf1", List.of("near", ""))).isEmpty();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "hall-leaf2 | <identifier>00:00:00:00:00:00:00:00:00:07 | <identifier>00:00:00:00:00:00:00:00:00:08 | hall-leaf2 does not advertise the Ethernet segment 00:00:00:00:00:00:00:00:00:07",
        "hall-leaf2 | <admin-key>7       | <admin-key>8       | it is system 02:00:00:00:00:07 key 7 here and system 02:00:00:00:00:07 key 8 on hall-leaf2: the far end takes them for two",
        "hall-leaf2 | <identifier>00:00:00:00:00:00:00:00:00:07</identifier> | <identifier>00:00:00:00:00:00:00:00:00:07</identifier><election>preference</election> | the forwarder is elected by modulo here and by preference on hall-leaf2",
        "hall-leaf1 | <bundle>bundle-7   | <enabled>false</enabled><bundle>bundle-7 | bundle-7 has 0 ports that are up on hall-leaf1, not 1",
        "hall-leaf2 | <family>evpn       | <family>ipv4       | hall-leaf2 does not advertise the Ethernet segment 00:00:00:00:00:00:00:00:00:07",
    })
    void aBundleOverTwoLeavesIsOneOnlyWhereBothSayTheSame(String device, String given, String instead, String symptom) throws Exception {
        assertThat(bundle(network(device, given, instead))).hasValue(symptom);
    }
}
