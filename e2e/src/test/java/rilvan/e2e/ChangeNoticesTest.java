package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.Map;
import org.junit.jupiter.api.Test;

/** A device that says that somebody has changed it is read at once, also after the service was killed; what an order changes is no news. */
class ChangeNoticesTest {

    private static final String CLINICS = Product.example("l3vpn/examples/tidewater-clinics");
    private static final String TYPED = "<vpn xmlns='urn:quern:vpn'><vrf><name>VPN-1001</name><description>typed %d</description></vrf></vpn>";

    @Test
    void whatSomebodyTypesIsKnownWithoutAsking() throws Exception {
        try (Product product = new Product("notices", Product.ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_SETTLE_TIME", "300ms", "RILVAN_CHANGE_NOTICES", "true"))) {
            product.done(CLINICS);
            assertThat(product.rilvan("", "device", "read", "--all").code()).isZero();
            for (int change = 1; change <= 2; change++) {
                // Whether it is listened to already is not seen from outside: somebody types until it is.
                int typing = change;
                int[] typed = {0};
                product.awaitList("/api/v1/drift", drift -> {
                    if (drift.isEmpty()) {
                        try {
                            product.typed("haven-pe1", TYPED.formatted(1000 * typing + typed[0]++));
                        } catch (Exception e) {
                            throw new AssertionError(e);
                        }
                    }
                    return !drift.isEmpty();
                });
                assertThat(product.drift().getObject(0).getString("found")).startsWith("typed " + typing);
                assertThat(product.rilvan("", "device", "restore", "haven-pe1", "--reason", "back to what is ordered").code()).isZero();
                assertThat(product.drift()).isEmpty();
                product.killed();
            }
            product.removeAll();
        }
    }
}
