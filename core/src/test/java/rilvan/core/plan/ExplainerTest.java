package rilvan.core.plan;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.plan.Explainer.Because;
import rilvan.core.plan.Explainer.Explained;

class ExplainerTest {

    private final InMemoryPlanningSource source = Shipped.skerra();
    private final Explainer explainer = new Explainer(() -> Shipped.CATALOG, source, source);

    private List<Explained> explain(String device, String what) {
        return explainer.explain(Shipped.SKERRA.device(device).orElseThrow(), what);
    }

    /** The parameter that says just this; none where the model works it out. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', nullValues = "-", value = {
        "haven-pe1   | /ports/port[access-1]/circuit[110]/mtu          | 1500       | attachment   | sites/0/mtu",
        "haven-pe1   | /ports/port[access-1]/circuit[110]/ipv4 | 192.0.2.0/31 | attachment   | -",
        "haven-pe1   | /vpn/vrf[VPN-1001]/rd                                        | 64500:10001 | vrf         | -",
        "ternsay-pe1 | <to>198.51.100.64/26</to>                            | -          | static-route | sites/1/routes/0",
    })
    void aNodeIsExplainedByItsClauseAndParameter(String device, String what, String says, String clause, String parameter) {
        Shipped.done(source, Shipped.text("services/l3vpn/examples/tidewater-clinics.yaml"));
        Explained explained = explain(device, what).get(0);
        Because because = explained.because().get(0);
        assertThat(explained.value()).isEqualTo(says == null ? "" : says);
        assertThat(because.owner().service()).isEqualTo("tidewater-clinics");
        assertThat(because.owner().clause()).isEqualTo(clause);
        assertThat(because.parameter()).isEqualTo(parameter == null ? "" : parameter);
    }

    @Test
    void aNodeOfNoServiceHasNoOwner() {
        assertThat(explain("haven-pe1", "/system/name").get(0).because()).isEmpty();
    }
}
