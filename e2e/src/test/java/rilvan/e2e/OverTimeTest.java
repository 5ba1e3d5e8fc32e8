package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.nio.file.Files;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** What is found and settled without anybody asking: from outside, on a product that looks every second. */
@Timeout(value = 3, unit = TimeUnit.MINUTES)
class OverTimeTest {

    private static final String YAML = "application/yaml";

    private static Product product;
    private static Map<String, String> before;

    @BeforeAll
    static void start() throws Exception {
        product = new Product("over-time", Product.ROOT.resolve("models"), Map.of("RILVAN_READING_INTERVAL", "1s", "RILVAN_HEALTH_INTERVAL", "1s"));
        before = product.held();
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    private static String clinics() throws Exception {
        return Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml"));
    }

    private static JsonArray customersToFollow() throws Exception {
        return product.get("/api/v1/services/tidewater-clinics").getArray("customersToFollow");
    }

    @Test
    void driftIsFoundByReadingAtAnInterval() throws Exception {
        product.done(clinics());
        String vrf = product.number("tidewater-clinics", "name");
        String typing = "<vpn xmlns='urn:quern:vpn'><vrf><name>" + vrf + "</name><description>%s</description></vrf></vpn>";
        product.typed("haven-pe1", typing.formatted("typed last night"));
        while (product.drift().isEmpty()) {
            TimeUnit.MILLISECONDS.sleep(50);
        }
        assertThat(product.drift().getObject(0).getString("found")).isEqualTo("typed last night");
        product.typed("haven-pe1", typing.formatted("Tidewater Clinics: tidewater-clinics"));
        while (!product.drift().isEmpty()) {
            TimeUnit.MILLISECONDS.sleep(50);
        }
        product.done("remove: [tidewater-clinics]");
        assertThat(product.held()).isEqualTo(before);
    }

    /** A tag changes on our side first: the order is done, the checks there are repeated, and count again once the customer has changed the router. */
    @Test
    void aCustomerFollowsAfterTheOrder() throws Exception {
        product.done(clinics());
        String changed = clinics().replaceFirst("tag: 110", "tag: 115");
        assertThat(product.placed(changed).getObject("order").getString("failure")).contains("haven");
        String agreed = changed.replace("    model: l3vpn\n", "    model: l3vpn\n    customers_to_follow: [{ device: haven-pe1, port: access-1 }]\n");
        assertThat(product.request("POST", "/api/v1/orders", agreed.replace("port: access-1 }]", "port: access-9 }]"), YAML).body())
                .contains("/services/0/customers_to_follow/0", "no check of tidewater-clinics begins or ends at haven-pe1 access-9; available: haven-pe1 access-1, ternsay-pe1 access-1");
        JsonObject order = product.placed(agreed);
        assertThat(order.getObject("order").getString("state")).isEqualTo("DONE");
        assertThat(order.getArray("checks").stream().map(JsonObject.class::cast).filter(each -> each.getString("covers").equals("CUSTOMER_TO_FOLLOW")))
                .isNotEmpty().allSatisfy(each -> {
                    assertThat(each.getString("value")).contains("has no route");
                    assertThat(each.getString("valueBefore")).contains(" of 3 answered");
                });
        assertThat(product.rilvan("", "order", "show", Long.toString(order.getObject("order").getLong("id"))).output()).contains("decided: 6 checks passed, 2 customer to follow");
        assertThat(customersToFollow()).hasSize(1);
        assertThat(product.rilvan("", "service", "check", "tidewater-clinics")).satisfies(run -> {
            assertThat(run.code()).isZero();
            assertThat(run.output()).contains("customer to follow  reach");
        });
        assertThat(product.rilvan("", "service", "show", "tidewater-clinics").output()).contains("at haven-pe1 access-1: checks there are repeated");
        // Another order on the service finds it so too.
        String more = changed.replace("198.51.100.64/26", "198.51.100.64/27");
        product.done(more);
        assertThat(customersToFollow()).hasSize(1);
        String router = "<ports xmlns='urn:quern:ports'><port><name>uplink</name><circuit><id>110</id><match><outer>%s</outer></match></circuit></port></ports>";
        product.typed("haven-ce1", router.formatted("115"));
        // A minute at most: then a service is checked again where customers are to follow, and each second in this product.
        while (!customersToFollow().isEmpty()) {
            TimeUnit.MILLISECONDS.sleep(50);
        }
        product.typed("haven-ce1", router.formatted("110"));
        assertThat(product.rilvan("", "service", "check", "tidewater-clinics").code()).isEqualTo(1);
        product.done("remove: [tidewater-clinics]");
        assertThat(product.held()).isEqualTo(before);
    }
}
