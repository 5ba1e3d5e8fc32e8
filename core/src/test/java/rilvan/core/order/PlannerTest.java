package rilvan.core.order;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.Map;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.document.Refused;
import rilvan.core.order.Plan.Kind;

class PlannerTest {

    private static final String CLINICS = Shipped.text("services/l3vpn/examples/tidewater-clinics.yaml");
    private static final String GANNET = Shipped.text("services/l3vpn/examples/gannet-cold-stores.yaml");

    private final ScratchEstate desk = Shipped.skerra();

    @Test
    void aVpnBecomesTheseLinesOnEachRouter() {
        Plan plan = Shipped.plan(desk, CLINICS);
        assertThat(lines(plan, "haven-pe1")).isEqualTo("""
                  <interfaces xmlns="urn:quern:interfaces">
                    <interface>
                      <name>access-1</name>
                +     <units>
                +       <unit>
                +         <tag>110</tag>
                +         <description>tidewater-clinics haven</description>
                +         <ipv4>
                +           <address>192.0.2.0</address>
                +           <prefix-length>31</prefix-length>
                +         </ipv4>
                +         <vrf xmlns="urn:quern:vpn">VPN-1001</vrf>
                +       </unit>
                +     </units>
                    </interface>
                  </interfaces>
                + <vpn xmlns="urn:quern:vpn">
                +   <vrf>
                +     <name>VPN-1001</name>
                +     <description>Tidewater Clinics: tidewater-clinics</description>
                +     <rd>64500:10001</rd>
                +     <route-targets>
                +       <import>64500:1001</import>
                +       <export>64500:1001</export>
                +     </route-targets>
                +     <static>
                +       <route>
                +         <prefix>198.51.100.0/26</prefix>
                +         <next-hop>192.0.2.1</next-hop>
                +       </route>
                +     </static>
                +   </vrf>
                + </vpn>
                """);
        assertThat(plan.guarantee()).isEqualTo("Both devices can go back until the proof has been seen: they change together or not at all.");
        assertThat(plan.checks()).hasSize(1);
    }

    @Test
    void planningIsDeterministicAndTheSameOrderAgainChangesNothing() {
        assertThat(Shipped.plan(desk, CLINICS)).isEqualTo(Shipped.plan(desk, CLINICS));
        Shipped.done(desk, CLINICS);
        assertThat(Shipped.plan(desk, CLINICS).changesNothing()).isTrue();
        assertThat(Shipped.plan(desk, CLINICS).outcomes().get(0).kind()).isEqualTo(Kind.KEEP);
    }

    @Test
    void servicesLeaveNoTraceInWhateverOrderTheyGo() {
        Map<String, String> before = canonical();
        Shipped.done(desk, CLINICS);
        Shipped.done(desk, GANNET);
        Shipped.done(desk, CLINICS.replace("110", "111").replace("198.51.100.0/26", "198.51.100.0/27"));
        Shipped.done(desk, "remove: [tidewater-clinics]");
        Shipped.done(desk, "remove: [gannet-cold-stores]");
        assertThat(canonical()).isEqualTo(before);
        assertThat(desk.heldBy("tidewater-clinics")).isEmpty();
    }

    @Test
    void aChangeKeepsTheNumbersItHas() {
        Shipped.done(desk, CLINICS);
        Shipped.done(desk, GANNET);
        Plan plan = Shipped.done(desk, CLINICS.replace("tag: 110", "tag: 111"));
        assertThat(plan.outcomes().get(0).kind()).isEqualTo(Kind.CHANGE);
        assertThat(plan.devices().get("haven-pe1").part().difference().paths().stream().map(Object::toString)).containsExactly(
                "/interfaces/interface[access-1]/units/unit[110]", "/interfaces/interface[access-1]/units/unit[111]");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "device: haven-pe1 | device: heaven-pe1 | /services/0/parameters/sites/0/device: there is no device named 'heaven-pe1'; there is haven-pe1, ternsay-pe1",
        "device: haven-pe1 | device: haven-ce1 | /services/0/parameters/sites/0/device: haven-ce1 is a ce; this must be a pe",
        "port: access-1 | port: access-9 | /services/0/parameters/sites/0/port: haven-pe1 has no port named 'access-9'; there is access-1, access-2",
        "port: access-1 | port: core-1 | /services/0/parameters/sites/0/port: the port core-1 of haven-pe1 is a core port; this must be an access port",
        "tag: 110 | tag: 4095 | /services/0/parameters/sites/0/tag: 4095 is no VLAN tag; tags go from 1 to 4094 (IEEE 802.1Q)",
        "tag: 110 | tag: '110' | /services/0/parameters/sites/0/tag: must be a whole number, not a text",
        "tag: 110 | tag: 1 | /services/0/parameters/sites/0/tag: 1 is not in the pool access-tag; there is 2 to 4094",
        "tag: 110 | tug: 110 | /services/0/parameters/sites/0/tug: is not a field of this model",
        "198.51.100.64/26 | 198.51.100.0/25 | /services/0/parameters/sites/1: ternsay has 198.51.100.0/25, which overlaps what haven has; sites of one VPN need prefixes of their own",
        "198.51.100.64/26 | 198.51.100.65/26 | /services/0/parameters/sites/1/routes/0: '198.51.100.65/26' has host bits; the prefix is 198.51.100.64/26",
        "198.51.100.0/26 | 192.0.2.0/24 | /services/0/parameters/sites/0/routes/0: 192.0.2.0/24 overlaps the site's own link 192.0.2.0/31",
        "192.0.2.0/31 | 192.0.2.0/30 | /services/0/parameters/sites/0/address: 192.0.2.0/30 is the network's or the broadcast address; a router needs one in between",
        "192.0.2.0/31 | 192.0.2.0 | /services/0/parameters/sites/0/address: '192.0.2.0' needs its network's length, such as 192.0.2.0/31",
        "customer: 192.0.2.1 | customer: 192.0.2.9 | /services/0/parameters/sites/0/customer: 192.0.2.9 is not on the link 192.0.2.0/31",
        "customer: 192.0.2.1 | customer: 192.0.2.0 | /services/0/parameters/sites/0/customer: 192.0.2.0 is our own address on this link",
        "name: ternsay | name: haven | /services/0/parameters/sites/1/name: two sites are named haven",
        "model: l3vpn | model: l4vpn | /services/0/model: there is no service model 'l4vpn'; there is l3vpn",
        "tenant: Tidewater Clinics | owner: x | /services/0/owner: line 4, column 5: is not known here; known are name, tenant, model, parameters",
        "- name: tidewater-clinics | - name: Tidewater | /services/0/name: line 3, column 5: 'Tidewater' is no name; use small letters, digits and hyphens",
    }, quoteCharacter = '`')
    void badInputIsRefusedAtTheFieldAtFault(String given, String instead, String message) {
        assertThat(CLINICS).contains(given);
        assertThatThrownBy(() -> Shipped.plan(desk, CLINICS.replaceFirst(java.util.regex.Pattern.quote(given), instead)))
                .isInstanceOf(Refused.class).satisfies(refused -> assertThat(((Refused) refused).problems().stream().map(Object::toString))
                        .contains(message));
    }

    @Test
    void whatAnotherServiceHasIsNotTakenFromIt() {
        Shipped.done(desk, CLINICS);
        assertThatThrownBy(() -> Shipped.plan(desk, GANNET.replaceFirst("access-2", "access-1").replaceFirst("tag: 120", "tag: 110")))
                .hasMessage("/services/0/parameters/sites/0/tag: 110 on haven-pe1 access-1 is already in use by tidewater-clinics");
        assertThatThrownBy(() -> Shipped.plan(desk, "remove: [harbour-lights]")).hasMessage("/remove/0: there is no service named 'harbour-lights'");
        assertThatThrownBy(() -> Shipped.plan(desk, "reason: none")).hasMessageContaining("an order names services");
    }

    private Map<String, String> canonical() {
        return desk.configurations().entrySet().stream().collect(Collectors.toMap(Map.Entry::getKey,
                entry -> Shipped.QUERN.codec().encode(Shipped.QUERN.codec().decode(entry.getValue()))));
    }

    private static String lines(Plan plan, String device) {
        return plan.devices().get(device).lines().stream().map(line -> switch (line.sign()) {
            case COMES -> "+ ";
            case GOES -> "- ";
            case AROUND -> "  ";
        } + line.text() + "\n").collect(Collectors.joining());
    }
}
