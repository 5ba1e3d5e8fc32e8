package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** Tenants on hosts that run real routing daemons over the kernel's links, provisioned through SSH and looked at with the kernel's own pings. */
@Timeout(value = 15, unit = TimeUnit.MINUTES)
class RoutingDaemonsTest {

    private static final List<String> LEAVES = List.of("leaf1", "leaf2", "border1");
    private static final String RECORDS = """
              - name: clinic-records
                tenant: Tidewater Clinics
                model: tenant
                parameters:
                  routers: [{ name: main }]
                  segments:
                    - { name: servers, router: main, gateway: 198.51.100.1/25, gateway6: "2001:db8:20:1::1/64" }
                    - { name: desks, router: main, gateway: 198.51.100.129/25, gateway6: "2001:db8:20:2::1/64" }
                  ports:
                    - { name: rack-1, device: leaf1, port: access-1, tag: untagged, segment: servers }
                    - { name: desk-2, device: leaf2, port: access-1, tag: untagged, segment: desks }
                  handoffs:
                    - { name: outside, device: border1, port: access-1, tag: untagged, router: main, address: 192.0.2.64/31, outside: 192.0.2.65, as: 64810 }
            """;
    private static final String CAMERAS = """
              - name: kelp-cameras
                tenant: Kelp & Co.
                model: tenant
                parameters:
                  segments: [{ name: cameras }]
                  ports:
                    - { name: quay-1, device: leaf1, port: access-2, tag: untagged, segment: cameras }
                    - { name: quay-2, device: leaf2, port: access-2, tag: untagged, segment: cameras }
            """;

    @TempDir
    private Path folder;

    /** The namespaces as a process, driven by lines like the product. */
    private static final class Fabric implements AutoCloseable {

        private final Script script;
        private final List<String[]> doors = new ArrayList<>();
        private final Path run = Product.ROOT.resolve(".build/fabric");

        Fabric() throws IOException {
            script = new Script(new ProcessBuilder(Product.ROOT.resolve("e2e/fabric.sh").toString(), run.toString()));
            script.lineThatStartsWith("ready");
            for (int i = 0; i < LEAVES.size(); i++) {
                doors.add(script.line().split(" "));
            }
        }

        void run(String function) throws IOException {
            script.run(function);
        }

        /** What the leaves show. */
        Map<String, String> held() throws IOException {
            Map<String, String> held = new TreeMap<>();
            for (String leaf : LEAVES) {
                run("holds " + leaf);
                held.put(leaf, Files.readString(run.resolve(leaf).resolve("running")));
            }
            return held;
        }

        @Override
        public void close() throws Exception {
            script.close();
        }
    }

    private static String device(String name, String role, String[] door, int number) {
        return """
                  - { name: %s, family: frr, role: %s, site: Haven hall, address: %s, port: %s, credential: hosts, loopback: 203.0.113.%d, simulated: false,
                      ports: [{ name: access-1, role: access }, { name: access-2, role: access }, { name: core-1, role: core }, { name: core-2, role: core }] }
                """.formatted(name, role, door[0], door[1], number);
    }

    private static String order(String services) {
        return "reason: tenants on hosts with routing daemons\nservices:\n" + services;
    }

    private static String done(Fabric fabric, Product product, String document) throws Exception {
        Product.Result result = product.rilvan(document, "order", "run", "-");
        if (result.code() != 0) {
            fabric.run("state");
            throw new AssertionError(result.output() + Files.readString(fabric.run.resolve("state")));
        }
        return result.output();
    }

    @Test
    void tenantsAreProvenByPings() throws Exception {
        // The family is published on the running service.
        Path models = folder.resolve("models");
        WalkThroughTest.copy(Product.ROOT.resolve("models"), models);
        Path family = folder.resolve("frr");
        Files.move(models.resolve("dialects/frr"), family);
        try (Fabric fabric = new Fabric(); Product product = new Product("hosts", models, Map.of("RILVAN_DEVICE_TIMEOUT", "8s", "RILVAN_CHECK_TIMEOUT", "40s"))) {
            Product.Result first = product.rilvan("", "model", "publish", family.toString(), "--reason", "hosts of our own");
            assertThat(first.output()).contains("dialect frr", "is published and in force");
            String devices = device("leaf1", "leaf", fabric.doors.get(0), 101) + device("leaf2", "leaf", fabric.doors.get(1), 102)
                    + device("border1", "border", fabric.doors.get(2), 103);
            String network = Files.readString(product.run().resolve("network.yaml")).replace("devices:\n", "devices:\n" + devices)
                    .replace("links:\n", "links:\n  - { a: leaf1 core-1, b: leaf2 core-1 }\n  - { a: leaf2 core-2, b: border1 core-1 }\n");
            assertThat(product.rilvan(network, "network", "load", "-").code()).isZero();
            assertThat(product.rilvan(Files.readString(fabric.run.resolve("password")), "network", "credential", "hosts", "--user", "engineer", "--password-file", "-").code()).isZero();
            assertThat(product.rilvan("leaf1 " + fabric.doors.get(0)[2] + "\nleaf2 " + fabric.doors.get(1)[2] + "\nborder1 " + fabric.doors.get(2)[2] + "\n", "device", "trust", "-").code()).isZero();
            Product.Result read = product.rilvan("", "device", "read", "leaf1", "leaf2", "border1");
            assertThat(read.code()).as(read.output()).isZero();
            Map<String, String> before = fabric.held();
            fabric.run("no_ping_from a1 198.51.100.139");
            fabric.run("no_ping_from b1 198.51.100.12");

            // Two tenants, one with the other's addresses; one of them routed from leaf to leaf, the other bridged.
            assertThat(product.rilvan(order(RECORDS + CAMERAS), "order", "preview", "-").output()).contains("+ bridge clinic-records-servers", "leaf1, leaf2: sessions have no numbers",
                    "Devices of the family frr cannot be asked for hosts, routed: such checks are not run.");
            done(fabric, product, order(RECORDS + CAMERAS));
            fabric.run("ping_from a1 198.51.100.139");
            fabric.run("ping_from a2 198.51.100.11");
            fabric.run("ping_from a1 198.51.100.225");
            fabric.run("ping_from a1 2001:db8:20:2::11");
            fabric.run("ping_from a2 2001:db8:20:1::11");
            fabric.run("ping_from b1 198.51.100.12");
            fabric.run("no_ping_from a1 198.51.100.12");
            assertThat(product.rilvan(order(RECORDS + CAMERAS), "order", "preview", "-").output()).contains("no change");
            assertThat(product.rilvan("", "device", "read", "leaf1", "leaf2").output()).contains("leaf1 read: no change", "leaf2 read: no change");
            Map<String, String> placed = fabric.held();

            // A host restarts: its links are made again from what was saved, and then the daemons start.
            fabric.run("restart leaf2");
            // Its neighbours take some time to find that it was away, and that it is there again.
            fabric.run("ping_from a1 198.51.100.139 60");
            fabric.run("ping_from a1 2001:db8:20:2::11");
            fabric.run("ping_from b1 198.51.100.12");
            assertThat(fabric.held()).isEqualTo(placed);
            assertThat(product.rilvan("", "device", "read", "leaf2").output()).contains("leaf2 read: no change");

            // What somebody does to it is seen, and named.
            fabric.run("typed leaf2 router bgp 64500 ; address-family l2vpn evpn ; vni " + product.number("kelp-cameras", "vni/cameras") + " ; no route-target import "
                    + product.number("kelp-cameras", "target/cameras"));
            Product.Result broken = product.rilvan("", "service", "check", "kelp-cameras");
            assertThat(broken.code()).as(broken.output()).isEqualTo(1);
            assertThat(broken.output()).contains("leaf2");
            assertThat(product.rilvan("", "device", "read", "leaf2").code()).isZero();
            Product.Result restored = product.rilvan("", "device", "restore", "leaf2", "--reason", "as ordered");
            assertThat(restored.code()).as(restored.output()).isZero();
            fabric.run("ping_from b1 198.51.100.12");
            assertThat(fabric.held()).isEqualTo(placed);

            // A version of the model with a wrong target: what does not work is rolled back.
            Path wrong = folder.resolve("tenant");
            WalkThroughTest.copy(Product.ROOT.resolve("models/services/tenant"), wrong);
            Path model = wrong.resolve("model.yaml");
            Files.writeString(model, Files.readString(model).replace("version: " + Product.version("tenant") + "\n", "version: 1000\n").replace("import: \"=[target[p.segment]]\"", "import: [\"64500:65000\"]"));
            Product.Result published = product.rilvan("", "model", "publish", wrong.toString(), "--reason", "tried");
            assertThat(published.code()).as(published.output()).isZero();
            Product.Result moved = product.rilvan("", "service", "move", "kelp-cameras", "--to", "1000", "--reason", "tried");
            assertThat(moved.code()).as(moved.output()).isEqualTo(1);
            assertThat(moved.output()).contains("rolled back");
            fabric.run("ping_from b1 198.51.100.12");
            assertThat(fabric.held()).isEqualTo(placed);

            // Whoever takes over an order cannot end the lost sessions, which have no numbers: it waits until they must have ended, and reads.
            long taken = product.place(order(CAMERAS.replace("name: quay-", "name: pier-")));
            product.await("/api/v1/orders/" + taken, "order", order -> !List.of("WAITING", "PLANNED", "CONNECTED").contains(order.getString("state")));
            product.killed();
            product.await("/api/v1/orders/" + taken, "order", order -> List.of("DONE", "ROLLED_BACK").contains(order.getString("state")));
            assertThat(product.rilvan("", "device", "read", "leaf1", "leaf2").output()).contains("leaf1 read: no change", "leaf2 read: no change");
            if (product.get("/api/v1/orders/" + taken).getObject("order").getString("state").equals("DONE")) {
                done(fabric, product, order(CAMERAS));
            }
            fabric.run("ping_from b1 198.51.100.12");
            assertThat(fabric.held()).isEqualTo(placed);

            // A daemon dies once devices change, and comes back with what was saved.
            long cut = product.place("remove: [kelp-cameras]");
            product.await("/api/v1/orders/" + cut, "order", order -> !List.of("WAITING", "PLANNED", "CONNECTED").contains(order.getString("state")));
            fabric.run("kill_daemon leaf2 bgpd");
            product.await("/api/v1/orders/" + cut, "order", order -> order.getBoolean("inDoubt") || List.of("ROLLING_BACK", "DONE", "ROLLED_BACK").contains(order.getString("state")));
            fabric.run("start_daemon leaf2 bgpd");
            fabric.run("boot leaf2");
            product.await("/api/v1/orders/" + cut, "order", order -> List.of("DONE", "ROLLED_BACK").contains(order.getString("state")));
            if (product.get("/api/v1/orders/" + cut).getObject("order").getString("state").equals("ROLLED_BACK")) {
                assertThat(fabric.held()).isEqualTo(placed);
                fabric.run("ping_from b1 198.51.100.12");
                done(fabric, product, "remove: [kelp-cameras]");
            }
            fabric.run("no_ping_from b1 198.51.100.12");
            fabric.run("ping_from a1 198.51.100.139");

            done(fabric, product, "remove: [clinic-records]");
            fabric.run("no_ping_from a1 198.51.100.139");
            assertThat(fabric.held()).isEqualTo(before);
            fabric.run("bare leaf1 4");
            fabric.run("bare leaf2 4");
            fabric.run("bare border1 3");
        }
    }
}
