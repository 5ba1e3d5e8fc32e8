package rilvan.core.plan;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.Map;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import rilvan.core.Shipped;
import rilvan.core.check.Check;
import rilvan.core.document.ValidationFailure;
import rilvan.core.plan.Plan.ChangeKind;

class PlannerTest {

    private static final String CLINICS = Shipped.text("services/l3vpn/examples/tidewater-clinics.yaml");
    private static final String GANNET = Shipped.text("services/l3vpn/examples/gannet-cold-stores.yaml");

    private final InMemoryPlanningSource desk = Shipped.skerra();

    @Test
    void aVpnBecomesTheseLinesOnEachRouter() {
        Plan plan = Shipped.plan(desk, CLINICS);
        assertThat(lines(plan, "haven-pe1")).isEqualTo("""
                  <ports xmlns="urn:quern:ports">
                    <port>
                      <name>access-1</name>
                +     <circuit>
                +       <id>110</id>
                +       <description>tidewater-clinics haven</description>
                +       <match>
                +         <outer>110</outer>
                +       </match>
                +       <mtu>1500</mtu>
                +       <ipv4>192.0.2.0/31</ipv4>
                +       <vrf xmlns="urn:quern:vpn">VPN-1001</vrf>
                +     </circuit>
                    </port>
                  </ports>
                + <vpn xmlns="urn:quern:vpn">
                +   <vrf>
                +     <name>VPN-1001</name>
                +     <description>Tidewater Clinics: tidewater-clinics</description>
                +     <rd>64500:10001</rd>
                +     <route-targets>
                +       <import>64500:1001</import>
                +       <export>64500:1001</export>
                +     </route-targets>
                +     <route>
                +       <to>198.51.100.0/26</to>
                +       <via>192.0.2.1</via>
                +     </route>
                +   </vrf>
                + </vpn>
                """);
        assertThat(plan.guarantee()).isEqualTo("Both devices change with a confirmed commit: if a check fails, or the session is lost, they roll back."
                + " 8 checks are run; every place has at least one.");
        // Each site reaches the other, knows what lies behind it, and no other.
        assertThat(plan.checks()).hasSize(8);
    }

    /** It belongs to the service until an order says otherwise, or the port is the service's no more. */
    @Test
    void aCustomerIsToFollowWhereTheServiceStillIs() {
        String follows = CLINICS.replace("    model: l3vpn\n", "    model: l3vpn\n    customers_to_follow: [{ device: haven-pe1, port: access-1 }]\n");
        Shipped.done(desk, follows);
        Shipped.done(desk, CLINICS.replace("tag: 110", "tag: 111"));
        assertThat(desk.service("tidewater-clinics").orElseThrow().customersToFollow()).hasSize(1);
        assertThat(Shipped.plan(desk, CLINICS).checks()).anyMatch(Check::customerFollows);
        Shipped.done(desk, CLINICS.replaceFirst("port: access-1", "port: access-5"));
        assertThat(desk.service("tidewater-clinics").orElseThrow().customersToFollow()).isEmpty();
    }

    @Test
    void planningIsDeterministicAndTheSameOrderAgainChangesNothing() {
        assertThat(Shipped.plan(desk, CLINICS)).isEqualTo(Shipped.plan(desk, CLINICS));
        Shipped.done(desk, CLINICS);
        assertThat(Shipped.plan(desk, CLINICS).changesNothing()).isTrue();
        assertThat(Shipped.plan(desk, CLINICS).outcomes().get(0).kind()).isEqualTo(ChangeKind.KEEP);
    }

    @Test
    void servicesLeaveNoTraceInWhateverOrderTheyGo() {
        Map<String, String> before = canonical();
        Shipped.done(desk, CLINICS);
        Shipped.done(desk, GANNET);
        Shipped.done(desk, CLINICS.replace("tag: 110", "tag: 111").replace("198.51.100.0/26", "198.51.100.0/27"));
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
        assertThat(plan.outcomes().get(0).kind()).isEqualTo(ChangeKind.CHANGE);
        assertThat(plan.devices().get("haven-pe1").part().difference().paths().stream().map(Object::toString)).containsExactly(
                "/ports/port[access-1]/circuit[110]", "/ports/port[access-1]/circuit[111]");
    }

    @Test
    void aNumberOfAnotherServiceIsRefused() {
        Shipped.done(desk, CLINICS);
        assertThatThrownBy(() -> Shipped.plan(desk, GANNET.replaceFirst("access-2", "access-1").replaceFirst("tag: 120", "tag: 110")))
                .hasMessage("/services/0/parameters/sites/0/tag: 110 on haven-pe1 access-1 is already in use by tidewater-clinics");
        assertThatThrownBy(() -> Shipped.plan(desk, "remove: [harbour-lights]")).hasMessage("/remove/0: there is no service named 'harbour-lights'");
        assertThatThrownBy(() -> Shipped.plan(desk, "reason: none")).hasMessageContaining("an order names services");
    }

    @Test
    void aDefaultRouteAtOneSiteIsAccepted() {
        assertThat(Shipped.plan(desk, CLINICS.replace("198.51.100.0/26", "0.0.0.0/0")).outcomes()).hasSize(1);
    }

    /** What the schema refuses hides nothing else that is wrong, and is itself said once. */
    @Test
    void everythingThatIsWrongWithFieldsIsSaidAtOnce() {
        String order = CLINICS.replaceFirst("          device: haven-pe1\n", "").replaceFirst("tag: 110", "tag: 9999").replace("customer: 192.0.2.1\n", "customer: nowhere\n")
                .replace("device: ternsay-pe1", "device: ternsay-pe9").replace("address: 192.0.2.2/31", "address: [192.0.2.2]");
        String site = "/services/0/parameters/sites/";
        assertThatThrownBy(() -> Shipped.plan(desk, order)).isInstanceOfSatisfying(ValidationFailure.class, failure ->
                assertThat(failure.problems().stream().map(ValidationFailure.Problem::pointer)).containsExactlyInAnyOrder(site + "0/device", site + "0/tag", site + "0/customer",
                        site + "1/device", site + "1/address"));
    }

    /** The hub refuses no route for the AS of a spoke; spokes do not exchange routes. */
    @Test
    void spokesOfOneAsBelowAHubAreAccepted() {
        String site = "        - { name: %s, device: %s, port: access-1, tag: 110, address: 192.0.2.%d/31, customer: 192.0.2.%d, role: %s, bgp: { as: %d } }%n";
        String order = "services:\n  - name: spokes\n    tenant: Skerry Council\n    model: l3vpn\n    parameters:\n      sites:\n"
                + site.formatted("haven", "haven-pe1", 0, 1, "hub", 64901) + site.formatted("ternsay", "ternsay-pe1", 2, 3, "spoke", 64902)
                + site.formatted("olvar", "olvar-pe1", 4, 5, "spoke", 64902);
        assertThat(Shipped.plan(desk, order).outcomes()).hasSize(1);
        assertThatThrownBy(() -> Shipped.plan(desk, order.replace("hub", "any").replace("spoke,", "any,"))).hasMessageContaining("several sites have AS 64902");
    }

    private Map<String, String> canonical() {
        return desk.configurations().entrySet().stream().collect(Collectors.toMap(Map.Entry::getKey,
                entry -> Shipped.canonical(entry.getKey(), entry.getValue())));
    }

    private static String lines(Plan plan, String device) {
        return plan.devices().get(device).lines().stream().map(line -> switch (line.sign()) {
            case COMES -> "+ ";
            case GOES -> "- ";
            case AROUND -> "  ";
        } + line.text() + "\n").collect(Collectors.joining());
    }
}
