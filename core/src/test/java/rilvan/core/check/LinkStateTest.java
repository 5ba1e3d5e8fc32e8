package rilvan.core.check;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.check.Observed.Coverage;
import rilvan.core.document.Document;
import rilvan.core.network.Network;
import rilvan.core.network.Network.End;
import rilvan.core.network.Network.Link;
import rilvan.core.network.NetworkDocument;

class LinkStateTest {

    private static final Link LINK = new Link(new End("haven-pe1", "core-1"), new End("ternsay-pe1", "core-1"));

    private static Observed seen(End end, End far, boolean up, String neighbour, String area) {
        Check check = LinkState.check(end, far);
        return new Observed(check, end.device(), check.end(), Coverage.TO_THE_HANDOFF, up, up ? "up" : "down",
                up ? Map.of("neighbour", neighbour, "area", area, "mtu", "9192") : Map.of(), "");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "true  | ternsay-pe1 core-1 | 0.0.0.0 | true  | haven-pe1 core-1 | 0.0.0.0 | true  | []",
        "true  | ternsay-pe1 core-1 | 0.0.0.0 | true  | haven-pe1 core-1 | 0.0.0.9 | true  | [area is 0.0.0.0 at haven-pe1 core-1 and 0.0.0.9 at ternsay-pe1 core-1]",
        "true  | ternsay-pe1 core-1 | ''      | true  | haven-pe1 core-1 | 0.0.0.0 | true  | [area is none at haven-pe1 core-1 and 0.0.0.0 at ternsay-pe1 core-1]",
        "true  | ternsay-pe1 core-9 | 0.0.0.0 | true  | haven-pe1 core-1 | 0.0.0.0 | false | [haven-pe1 core-1 hears ternsay-pe1 core-9 and not ternsay-pe1 core-1]",
        "true  | ''                 | 0.0.0.0 | true  | haven-pe1 core-1 | 0.0.0.0 | false | [haven-pe1 core-1 hears nobody and not ternsay-pe1 core-1]",
        "false | ''                 | ''      | false | ''               | ''      | false | [haven-pe1 core-1 is down, ternsay-pe1 core-1 is down]",
    })
    void bothEndsAreCompared(boolean upHere, String heardHere, String areaHere, boolean upThere, String heardThere, String areaThere, boolean up, String wrong) {
        LinkState state = LinkState.of(LINK, seen(LINK.a(), LINK.b(), upHere, heardHere, areaHere), seen(LINK.b(), LINK.a(), upThere, heardThere, areaThere), false);
        assertThat(state.up()).isEqualTo(up);
        assertThat(state.wrong()).hasToString(wrong);
    }

    /** At a handoff the two sides need not say the same: what is on the ports is up to services. */
    @Test
    void atAHandoffOnlyThePortsCount() {
        Observed ours = seen(LINK.a(), LINK.b(), true, "ternsay-pe1 core-1", "");
        assertThat(LinkState.of(LINK, ours, seen(LINK.b(), LINK.a(), true, "haven-pe1 core-1", "0.0.0.0"), true).wrong()).isEmpty();
        assertThat(LinkState.of(LINK, ours, seen(LINK.b(), LINK.a(), false, "", ""), true).wrong()).isNotEmpty();
    }

    /** From the customer's own router where it is known, with its own addresses; from the provider's where it is not. */
    @Test
    void aCheckStartsAtTheCustomersRouterWhereThereIsOne() {
        Network network = NetworkDocument.read(Document.read(Shipped.text("demo/network.yaml")));
        Check check = new Check("s", "reach", true, Map.of("device", "haven-pe1", "port", "access-1", "vrf", "V", "address", "192.0.2.0", "beyond", "192.0.2.1"),
                Map.of("device", "ternsay-pe1", "port", "access-4", "vrf", "V", "address", "192.0.2.2", "beyond", "192.0.2.3"));
        Viewpoint view = Viewpoint.of(check, network);
        assertThat(view.observer()).isEqualTo("haven-ce1");
        assertThat(view.request()).containsEntry("vrf", "").containsEntry("source", "192.0.2.1").containsEntry("destination", "192.0.2.2");
        assertThat(view.target()).isEqualTo("ternsay-pe1 192.0.2.2");
        assertThat(view.coverage()).isEqualTo(Coverage.TO_THE_HANDOFF);
        Check frames = new Check("s", "frames", true, Map.of("device", "haven-pe1", "port", "access-1"), Map.of("device", "ternsay-pe1", "port", "access-4"));
        assertThat(Viewpoint.of(frames, network).observer()).isEqualTo("haven-pe1");
        assertThat(Viewpoint.of(frames, network).target()).isEqualTo("ternsay-pe1 access-4");
    }

    /** A session with a customer's router counts once that router is known. */
    @Test
    void aRouterThatIsNotThereYetIsNotTestableYet() {
        Network network = NetworkDocument.read(Document.read(Shipped.text("demo/network.yaml")));
        assertThat(session("access-3", network).coverage()).isEqualTo(Coverage.TO_THE_HANDOFF);
        assertThat(session("core-9", network).coverage()).isEqualTo(Coverage.NOT_TESTABLE_YET);
        assertThat(session("access-3", network).target()).isEqualTo("haven-pe1 access-3 192.0.2.1");
    }

    private static Viewpoint session(String port, Network network) {
        return Viewpoint.of(new Check("s", "session", true, Map.of("device", "haven-pe1", "vrf", "V"),
                Map.of("device", "haven-pe1", "behind", port, "address", "192.0.2.1")), network);
    }
}
