package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonParser;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/**
 * Orders over devices of the lab and NETCONF agents of another make that hold the same modules. Whatever becomes of an order, each
 * agent ends with what the lab's own device of that family ends with. Their family differs from it in one line of its dialect: its
 * devices lose an edit that they are asked to validate afterwards, so the edit itself is the check.
 */
@Timeout(value = 15, unit = TimeUnit.MINUTES)
class ForeignAgentsTest {

    private static final List<String> AGENTS = List.of("holm-pe1", "holm-pe2");
    private static final String TWIN = "holm-pe3";

    @TempDir
    private Path folder;

    /** The agents as a process, driven by lines like the product. */
    private static final class Agents implements AutoCloseable {

        private final Script script;
        private final List<String[]> doors;
        private final Path run = Product.ROOT.resolve(".build/agents");

        Agents() throws IOException {
            script = new Script(new ProcessBuilder(Product.ROOT.resolve("e2e/agents.sh").toString(), run.toString(), Integer.toString(AGENTS.size())));
            script.lineThatStartsWith("ready");
            doors = List.of(script.line().split(" "), script.line().split(" "));
        }

        void script(String function) throws IOException {
            script.run(function);
        }

        @Override
        public void close() throws Exception {
            script.close();
        }
    }

    private static String device(String name, String family, String address, String port, String credential, int number) {
        return """
                  - { name: %s, family: %s, role: pe, site: Skarn, address: %s, port: %s, credential: %s, loopback: 203.0.113.%d, ports: [{ name: access-1, role: access }] }
                """.formatted(name, family, address, port, credential, number);
    }

    /** A text on all three, the same for both families, with the clinics' VPN, which is proven. */
    private static String order(String words, int mtu, String tag) throws IOException {
        String clinics = Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml")).replace("tag: 110", "tag: " + tag);
        String text = """
                          text: |
                            <vpn xmlns="urn:quern:vpn">
                              <vrf>
                                <name>HOLM</name>
                                <description>${words}</description>
                                <rd>64500:9001</rd>
                                <route-targets>
                                  <import>64500:9001</import>
                                  <import>64500:9002</import>
                                  <export>64500:9001</export>
                                </route-targets>
                              </vrf>
                            </vpn>
                            <ports xmlns="urn:quern:ports">
                              <port>
                                <name>access-1</name>
                                <circuit>
                                    <id>40</id>
                                    <match><outer>40</outer></match>
                                    <mtu>${mtu}</mtu>
                                    <ipv4>192.0.2.80/31</ipv4>
                                    <vrf xmlns="urn:quern:vpn">HOLM</vrf>
                                </circuit>
                              </port>
                            </ports>
                            <policy xmlns="urn:quern:policy">
                              <filter>
                                <name>holm</name>
                                <entry><number>20</number><action>refuse</action><prefix>198.51.100.0/25</prefix></entry>
                                <entry><number>10</number><action>accept</action><prefix>198.51.100.0/24</prefix></entry>
                              </filter>
                            </policy>
                """;
        return clinics + """
                  - name: holm-table
                    tenant: Skerra Telecom
                    model: device-text
                    parameters:
                      values: [{ name: words, value: %s }, { name: mtu, value: "%d" }]
                      targets: [{ device: holm-pe1 }, { device: holm-pe2 }, { device: holm-pe3 }]
                      texts:
                        - family: quern
                %s        - family: foreign
                %s""".formatted(words, mtu, text, text);
    }

    private static String live(Product product, String device) throws Exception {
        Product.Result result = product.rilvan("", "device", "configuration", device, "--live");
        assertThat(result.code()).as(result.output()).isZero();
        return result.output();
    }

    /** Node by node: what either holds, in the one order that all configurations are shown in. */
    private static String sameOnAll(Product product) throws Exception {
        String twin = live(product, TWIN);
        for (String agent : AGENTS) {
            assertThat(live(product, agent)).as(agent).isEqualTo(twin);
        }
        return twin;
    }

    private static String place(Product product, String document) throws Exception {
        return "/api/v1/orders/" + JsonParser.object().from(product.request("POST", "/api/v1/orders", document, "application/yaml").body()).getLong("order");
    }

    private static void awaitOnTwin(Product product, String words) throws Exception {
        while (!product.running(TWIN).contains(words)) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
    }

    @Test
    void everyOrderEndsOnThemAsOnTheLabsOwn() throws Exception {
        Path models = folder.resolve("models");
        WalkThroughTest.copy(Product.ROOT.resolve("models"), models);
        Path foreign = folder.resolve("foreign");
        WalkThroughTest.copy(models.resolve("dialects/quern"), foreign);
        Path dialect = foreign.resolve("dialect.yaml");
        String text = Files.readString(dialect);
        assertThat(text).contains("dialect: quern\n", "confirm-seconds: 30 ");
        Files.writeString(dialect, text.replace("dialect: quern\n", "dialect: foreign\nvalidate: within-edit\nnot-pending: persistent confirmed commit not active\n").replace("confirm-seconds: 30 ", "confirm-seconds: 15 "));
        Path network = models.resolve("demo/network.yaml");
        Files.writeString(network, Files.readString(network).replace("devices:\n", "devices:\n" + device(TWIN, "quern", "127.20.0.90", "8830", "lab", 203)));
        try (Agents agents = new Agents(); Product product = new Product("foreign", models, java.util.Map.of())) {
            // Their family is published while everything runs.
            Product.Result published = product.rilvan("", "model", "publish", foreign.toString(), "--reason", "agents of another make");
            assertThat(published.code()).as(published.output()).isZero();
            assertThat(published.output()).contains("dialect foreign 2 is published and in force");
            String twoMore = device(AGENTS.get(0), "foreign", "127.0.0.1", agents.doors.get(0)[0], "agents", 201)
                    + device(AGENTS.get(1), "foreign", "127.0.0.1", agents.doors.get(1)[0], "agents", 202);
            String all = Files.readString(product.run().resolve("network.yaml")).replace("devices:\n", "devices:\n" + twoMore);
            assertThat(product.rilvan(all, "network", "load", "-").code()).isZero();
            assertThat(product.rilvan(Files.readString(agents.run.resolve("password")), "network", "credential", "agents", "--user", "rilvan-agent", "--password-file", "-").code())
                    .isZero();
            assertThat(product.rilvan(AGENTS.get(0) + " " + agents.doors.get(0)[1] + "\n" + AGENTS.get(1) + " " + agents.doors.get(1)[1] + "\n", "device", "trust", "-").code())
                    .isZero();
            Product.Result read = product.rilvan("", "device", "read", AGENTS.get(0), AGENTS.get(1));
            assertThat(read.code()).as(read.output()).isZero();
            String before = sameOnAll(product);

            Product.Result added = product.rilvan(order("first words", 1500, "110"), "order", "run", "-");
            assertThat(added.code()).as(added.output()).isZero();
            assertThat(added.output()).contains("check reach from haven-ce1", "holm-pe1       confirmed commit       ok");
            assertThat(sameOnAll(product)).contains("<description>first words</description>", "<number>20</number>").isNotEqualTo(before);

            Product.Result changed = product.rilvan(order("second words", 1600, "110"), "order", "run", "-");
            assertThat(changed.code()).as(changed.output()).isZero();
            String stands = sameOnAll(product);
            assertThat(stands).contains("<description>second words</description>", "<mtu>1600</mtu>").doesNotContain("first words");

            // Somebody else holds the lock of one agent: it refuses, and nothing changes anywhere.
            agents.script("hold 2");
            Product.Result refused = product.rilvan(order("third words", 1700, "110"), "order", "run", "-");
            assertThat(refused.code()).as(refused.output()).isEqualTo(1);
            assertThat(refused.output()).contains("holm-pe2", "lock", "rolled back: every device has the configuration that it had before the order");
            agents.script("release");
            assertThat(sameOnAll(product)).isEqualTo(stands);

            // An agent dies with the change in it, and comes back without any of it.
            String cut = place(product, order("fourth words", 1800, "140"));
            awaitOnTwin(product, "fourth words");
            agents.script("break_agent 1");
            product.await(cut, "order", order -> order.getBoolean("inDoubt") || order.getString("state").equals("ROLLED_BACK"));
            agents.script("start_agent 1");
            product.await(cut, "order", order -> order.getString("state").equals("ROLLED_BACK"));
            assertThat(sameOnAll(product)).isEqualTo(stands);

            // The service dies with the change on all of them: their timers run out, and it finds them as they were.
            String left = place(product, order("fifth words", 1900, "140"));
            awaitOnTwin(product, "fifth words");
            product.script("cut_service");
            agents.script("until_without fifth 1");
            agents.script("until_without fifth 2");
            product.script("start_service");
            product.await(left, "order", order -> order.getString("state").equals("ROLLED_BACK"));
            assertThat(sameOnAll(product)).isEqualTo(stands);

            Product.Result removed = product.rilvan("remove: [holm-table, tidewater-clinics]", "order", "run", "-");
            assertThat(removed.code()).as(removed.output()).isZero();
            assertThat(sameOnAll(product)).isEqualTo(before);
        }
    }
}
