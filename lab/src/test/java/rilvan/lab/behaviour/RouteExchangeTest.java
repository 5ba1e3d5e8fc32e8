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
 * A customer with a router at each of two PEs, worked out by hand: what they tell each other through the VPN over BGP (RFC 4364 §7)
 * or OSPF (RFC 4577), and the symptom of each single thing that is wrong.
 */
class RouteExchangeTest {

    private static final Wiring WIRING = QuernDevices.wiring("haven-pe1 core-1", "ternsay-pe1 core-1", "haven-rr1 core-1", "haven-pe1 core-3",
            "ce-1 uplink", "haven-pe1 access-1", "ce-2 uplink", "ternsay-pe1 access-1");

    private static String pe(String name, String rd, int link, String routing) throws Exception {
        return QuernDevices.text(name) + """
                <ports xmlns="urn:quern:ports"><port><name>access-1</name><circuit><id>7</id><match><outer>7</outer></match>
                  <mtu>1500</mtu><ipv4>192.0.2.%d/31</ipv4><vrf xmlns="urn:quern:vpn">V</vrf></circuit></port></ports>
                <policy xmlns="urn:quern:policy"><filter><name>from-ce</name><entry><number>1</number><action>accept</action><prefix>198.51.100.0/24</prefix><longest>26</longest></entry></filter></policy>
                <vpn xmlns="urn:quern:vpn"><vrf><name>V</name><rd>64500:%s</rd>
                  <route-targets><import>64500:1</import><export>64500:1</export></route-targets>%s</vrf></vpn>""".formatted(link, rd, routing);
    }

    private static String ce(int link, String house, String routing) {
        return """
                <ports xmlns="urn:quern:ports">
                  <port><name>house</name><ipv4>%s/26</ipv4></port>
                  <port><name>uplink</name><circuit><id>7</id><match><outer>7</outer></match><mtu>1500</mtu>
                    <ipv4>192.0.2.%d/31</ipv4></circuit></port></ports>
                <routing xmlns="urn:quern:routing">%s</routing>""".formatted(house, link, routing);
    }

    private static Map<String, String> bgp() throws Exception {
        Map<String, String> texts = new HashMap<>();
        texts.put("haven-rr1", QuernDevices.text("haven-rr1"));
        texts.put("haven-pe1", pe("haven-pe1", "1", 0, """
                <bgp><neighbor><address>192.0.2.1</address><remote-as>64801</remote-as><authentication>s</authentication><import-filter>from-ce</import-filter></neighbor></bgp>"""));
        texts.put("ternsay-pe1", pe("ternsay-pe1", "2", 2, """
                <bgp><neighbor><address>192.0.2.3</address><remote-as>64802</remote-as></neighbor></bgp>"""));
        texts.put("ce-1", ce(1, "198.51.100.1", """
                <bgp><as>64801</as><neighbor><address>192.0.2.0</address><remote-as>64500</remote-as><authentication>s</authentication><family>ipv4</family></neighbor>
                  <announce>198.51.100.0/26</announce></bgp>"""));
        texts.put("ce-2", ce(3, "198.51.100.65", """
                <bgp><as>64802</as><neighbor><address>192.0.2.2</address><remote-as>64500</remote-as><family>ipv4</family></neighbor>
                  <announce>198.51.100.64/26</announce></bgp>"""));
        return texts;
    }

    private static Map<String, String> ospf() throws Exception {
        String area = "<ospf><area><id>0.0.0.0</id><link><at>%s#7</at></link>%s</area></ospf>";
        String house = "<link><at>house</at></link>";
        Map<String, String> texts = new HashMap<>();
        texts.put("haven-rr1", QuernDevices.text("haven-rr1"));
        texts.put("haven-pe1", pe("haven-pe1", "1", 0, area.formatted("access-1", "")));
        texts.put("ternsay-pe1", pe("ternsay-pe1", "2", 2, area.formatted("access-1", "")));
        texts.put("ce-1", ce(1, "198.51.100.1", area.formatted("uplink", house)));
        texts.put("ce-2", ce(3, "198.51.100.65", area.formatted("uplink", house)));
        return texts;
    }

    /** The same over IPv6, where ends that have no network in common are neighbours all the same (RFC 5340 §2.1). */
    private static Map<String, String> ospf3() throws Exception {
        Map<String, String> texts = ospf();
        texts.replaceAll((name, text) -> text.replace("<ospf><area><id>0.0.0.0</id><link><at>access", "<ospf3><area><id>0.0.0.0</id><link><at>access")
                .replace("<ospf><area><id>0.0.0.0</id><link><at>uplink", "<ospf3><area><id>0.0.0.0</id><link><at>uplink")
                .replaceAll("(#7</at></link>(<link><at>house</at></link>)?</area></ospf)>", "$13>")
                .replaceAll("<ipv4>192\\.0\\.2\\.(.)/31</ipv4>", "<ipv6>2001:db8:a::$1/127</ipv6>").replaceAll("<ipv4>198\\.51\\.100\\.(\\d+)/26</ipv4>", "<ipv6>2001:db8:$1::1/64</ipv6>"));
        return texts;
    }

    private static Forwarding network(Map<String, String> texts, String device, String given, String instead) {
        return QuernDevices.forwarding(texts, WIRING, device, given, instead);
    }

    private static Forwarding.Ping houses(Forwarding network) {
        return network.ping("ce-1", "", Optional.of("198.51.100.1"), "198.51.100.65", 64);
    }

    @Test
    void whatOneTellsTheOtherHearsThroughTheVpn() throws Exception {
        for (Map<String, String> texts : List.of(bgp(), ospf())) {
            Forwarding network = network(texts, "none", "", "");
            assertThat(network.silent("haven-pe1", "V", "192.0.2.1")).isEmpty();
            assertThat(network.missing("haven-pe1", "V", "198.51.100.64/26")).isEmpty();
            assertThat(network.missing("ce-1", "", "198.51.100.64/26")).isEmpty();
            assertThat(houses(network)).isEqualTo(new Forwarding.Ping(true, ""));
        }
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "haven-pe1 | <remote-as>64801             | <remote-as>64809             | AS 64801 answers there, not 64809",
        "ce-1      | <remote-as>64500             | <remote-as>64509             | ce-1 expects AS 64509 here, not 64500",
        "ce-1      | <authentication>s            | <authentication>t            | the two ends have different secrets",
        "haven-pe1 | <address>192.0.2.1</address> | <address>192.0.2.9</address> | nobody is to be a neighbour at 192.0.2.1",
        "ce-1      | <address>192.0.2.0</address> | <address>192.0.2.8</address> | ce-1 has no neighbour 192.0.2.0",
        "ce-1      | <outer>7</outer>             | <outer>8</outer>             | nothing answers at 192.0.2.1",
        "ce-1      | <family>ipv4</family>        | <family>evpn</family>        | ce-1 has no neighbour 192.0.2.0",
    })
    void aSessionIsDownForWhatIsWrong(String device, String given, String instead, String why) throws Exception {
        Forwarding network = network(bgp(), device, given, instead);
        assertThat(network.silent("haven-pe1", "V", "192.0.2.1")).contains(why);
        assertThat(houses(network).answered()).isFalse();
    }

    /** The session is up, and still what is told does not get there. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "haven-pe1   | <prefix>198.51.100.0/24</prefix> | <prefix>203.0.113.0/24</prefix>                     | false",
        "haven-pe1   | <longest>26</longest>            | <longest>25</longest>                               | false",
        "ce-1        | <announce>198.51.100.0/26        | <announce>198.51.100.0/27                           | false",
        "ternsay-pe1 | <import>64500:1</import>         | <import>64500:9</import>                            | false",
        "haven-pe1   | <import-filter>from-ce           | <prefix-limit>1</prefix-limit><import-filter>from-ce | true",
    })
    void whatIsToldIsTakenOrNot(String device, String given, String instead, boolean heard) throws Exception {
        Forwarding network = network(bgp(), device, given, instead);
        assertThat(network.silent("haven-pe1", "V", "192.0.2.1")).isEmpty();
        assertThat(network.missing("ce-2", "", "198.51.100.0/26").isEmpty()).isEqualTo(heard);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "none      | ''                           | ''                                                                     | ''",
        "ce-1      | <announce>198.51.100.0/26    | <announce>198.51.100.0/27                                              | it takes 0 prefixes from 192.0.2.1, not 1",
        "haven-pe1 | <import-filter>from-ce</import-filter> | ''                                                           | ''",
        "ce-1      | <authentication>s            | <authentication>t                                                      | the two ends have different secrets",
    })
    void prefixesAreCountedBehindTheFilter(String device, String given, String instead, String wrong) throws Exception {
        assertThat(network(bgp(), device, given, instead).miscounted("haven-pe1", "V", "192.0.2.1", 1).orElse("")).isEqualTo(wrong);
    }

    /** A filter of packets that knows nothing of routing: BGP needs a connection, OSPF its hellos. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "<protocol>icmp</protocol>                       | a packet filter keeps out what comes from there, at access-1 7 | the packet filter F keeps OSPF out at access-1 7",
        "<protocol>tcp</protocol><port>179</port>        | ''                                                             | the packet filter F keeps OSPF out at access-1 7",
        "<source>192.0.2.1/32</source>                   | ''                                                             | ''",
    })
    void packetFiltersMayKeepRoutingOut(String accepted, String bgp, String ospf) throws Exception {
        assertThat(network(guarded(bgp(), accepted), "none", "", "").silent("haven-pe1", "V", "192.0.2.1").orElse("")).isEqualTo(bgp);
        assertThat(network(guarded(ospf(), accepted), "none", "", "").silent("haven-pe1", "V", "192.0.2.1").orElse("")).isEqualTo(ospf);
    }

    private static Map<String, String> guarded(Map<String, String> texts, String accepted) {
        texts.computeIfPresent("haven-pe1", (name, text) -> QuernDevices.guarded(text, accepted));
        return texts;
    }

    /** RFC 4364 §7: two sites with one AS take each other's routes for loops, unless the provider puts its own AS instead. */
    @Test
    void sitesOfOneAsNeedTheirAsOverridden() throws Exception {
        Map<String, String> one = bgp();
        one.replaceAll((name, text) -> text.replace("64802", "64801"));
        assertThat(network(new HashMap<>(one), "none", "", "").missing("ce-2", "", "198.51.100.0/26")).isPresent();
        assertThat(network(one, "ternsay-pe1", "<remote-as>64801</remote-as>", "<remote-as>64801</remote-as><as-override>true</as-override>")
                .missing("ce-2", "", "198.51.100.0/26")).isEmpty();
    }

    /** What a customer's router was told by one VRF it tells another one: there the path holds our own AS, as often as it came through us (RFC 4271 §9.1.2). */
    @ParameterizedTest
    @CsvSource({"'',false", "<own-as-limit>1</own-as-limit>,true"})
    void ourOwnAsIsTakenAsOftenAsItMayBeInAPath(String limit, boolean taken) throws Exception {
        Map<String, String> texts = bgp();
        texts.computeIfPresent("haven-pe1", (name, text) -> text + """
                <ports xmlns="urn:quern:ports"><port><name>access-1</name><circuit><id>8</id><match><outer>8</outer></match>
                  <ipv4>192.0.2.8/31</ipv4><vrf xmlns="urn:quern:vpn">R</vrf></circuit></port></ports>
                <vpn xmlns="urn:quern:vpn"><vrf><name>R</name><rd>64500:8</rd>
                  <bgp><neighbor><address>192.0.2.9</address><remote-as>64801</remote-as>%s</neighbor></bgp></vrf></vpn>""".formatted(limit));
        texts.computeIfPresent("ce-1", (name, text) -> text + """
                <ports xmlns="urn:quern:ports"><port><name>uplink</name><circuit><id>8</id><match><outer>8</outer></match><ipv4>192.0.2.9/31</ipv4></circuit></port></ports>
                <routing xmlns="urn:quern:routing"><bgp><neighbor><address>192.0.2.8</address><remote-as>64500</remote-as><family>ipv4</family></neighbor></bgp></routing>""");
        Forwarding network = network(texts, "none", "", "");
        assertThat(network.silent("haven-pe1", "R", "192.0.2.9")).isEmpty();
        assertThat(network.missing("haven-pe1", "R", "198.51.100.0/26")).isEmpty();
        assertThat(network.missing("haven-pe1", "R", "198.51.100.64/26").isEmpty()).isEqualTo(taken);
    }

    /** A site's own routes do not come back to its other home. */
    @Test
    void theSiteOfOriginKeepsRoutesFromComingBack() throws Exception {
        Map<String, String> homes = bgp();
        homes.replaceAll((name, text) -> text.replace("</remote-as><authentication>s</authentication><import", "</remote-as><site-of-origin>64500:5</site-of-origin><authentication>s</authentication><import")
                .replace("<remote-as>64802</remote-as>", "<remote-as>64802</remote-as><site-of-origin>64500:5</site-of-origin>"));
        assertThat(network(homes, "none", "", "").missing("ce-2", "", "198.51.100.0/26")).isPresent();
    }

    @Test
    void tooManyPrefixesEndTheSession() throws Exception {
        Map<String, String> many = bgp();
        many.computeIfPresent("ce-1", (name, text) -> text.replace("<announce>198", "<announce>192.0.2.0/31</announce><announce>198"));
        assertThat(network(many, "haven-pe1", "<import-filter>from-ce</import-filter>", "<prefix-limit>1</prefix-limit>").silent("haven-pe1", "V", "192.0.2.1"))
                .contains("it sends 2 prefixes, more than the 1 that are taken");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "ce-1      | <id>0.0.0.0</id>           | <id>0.0.0.1</id>           | the area is 0.0.0.1 on ce-1, not 0.0.0.0",
        "ce-1      | <at>uplink#7</at>        | <at>other#7</at>         | ce-1 takes no part in OSPF there",
        "ce-1      | <at>uplink#7</at> | <at>uplink#7</at><hello-interval>5</hello-interval> | ce-1 says hello every 5 seconds, not every 10",
        "ce-1      | <at>uplink#7</at> | <at>uplink#7</at><dead-interval>20</dead-interval>  | ce-1 waits 20 seconds for hellos, not 40",
        "ce-1      | <id>0.0.0.0</id>           | <id>0.0.0.0</id><stub>true</stub> | the area 0.0.0.0 is no stub here and one on ce-1",
        "haven-pe1 | <id>0.0.0.0</id><link><at>access-1 | <id>0.0.0.0</id><stub>true</stub><link><at>access-1 | the area 0.0.0.0 is a stub here and not on ce-1",
        "ce-1      | <mtu>1500</mtu>            | <mtu>1400</mtu>            | ce-1 passes packets of 1400 bytes, not 1500",
        "haven-pe1 | <at>access-1#7</at>      | <at>access-9#7</at>      | nobody is to be a neighbour at 192.0.2.1",
    })
    void anAdjacencyIsDownForWhatIsWrong(String device, String given, String instead, String why) throws Exception {
        Forwarding network = network(ospf(), device, given, instead);
        assertThat(network.silent("haven-pe1", "V", "192.0.2.1")).contains(why);
        assertThat(houses(network).answered()).isFalse();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "none      | ''                | ''                 | ''",
        "haven-pe1 | 2001:db8:a::0/127 | 2001:db8:b::1/127  | ''",
        "ce-1      | <id>0.0.0.0</id>  | <id>0.0.0.1</id>   | the area is 0.0.0.1 on ce-1, not 0.0.0.0",
        "ce-1      | <mtu>1500</mtu>   | <mtu>1400</mtu>    | ce-1 passes packets of 1400 bytes, not 1500",
        "haven-pe1 | <ospf3>           | <ospf3><domain-id>0.0.0.1</domain-id> | ''",
        "haven-pe1 | <at>access-1#7    | <at>access-9#7     | nobody is to be a neighbour at 2001:db8:a::1",
    })
    void anAdjacencyOfOspfVersion3IsDownForWhatIsWrong(String device, String given, String instead, String why) throws Exception {
        Forwarding network = network(ospf3(), device, given, instead);
        assertThat(network.silent("haven-pe1", "V", "2001:db8:a::1").orElse("")).isEqualTo(why);
        assertThat(network.ping("ce-1", "", Optional.of("2001:db8:1::1"), "2001:db8:65::1", 64).answered()).isEqualTo(why.isEmpty());
    }
}
