package rilvan.bench;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Path;
import java.util.Map;
import java.util.TreeMap;
import rilvan.core.catalog.Catalog;
import rilvan.core.document.Document;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;
import rilvan.core.plan.InMemoryPlanningSource;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;

/** Networks of any size, in which every third provider edge is of another family, and services over them. */
final class Networks {

    static final Catalog CATALOG = catalog();
    private static final String[] FAMILIES = {"quern", "tarn", "brae"};

    private Networks() {}

    private static Catalog catalog() {
        try {
            return Catalog.read(Path.of(System.getProperty("rilvan.models", "models")));
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    static String edge(int number) {
        return "edge-" + number;
    }

    /** Provider edges in a row, each with a number of access ports, holding next to nothing. */
    static InMemoryPlanningSource of(int edges, int ports) {
        StringBuilder text = new StringBuilder("network: bench\ndevices:\n");
        Map<String, String> configurations = new TreeMap<>();
        for (int i = 0; i < edges; i++) {
            String family = FAMILIES[i % 3];
            text.append("  - { name: ").append(edge(i)).append(", family: ").append(family).append(", role: pe, site: S")
                    .append(i % 50).append(", address: 127.0.0.1, port: 830, credential: none, loopback: 203.0.").append(i / 250).append('.')
                    .append(i % 250 + 1).append(", ports: [{ name: core-1, role: core }, { name: core-2, role: core }");
            for (int p = 0; p < ports; p++) {
                text.append(", { name: access-").append(p).append(", role: access }");
            }
            text.append("] }\n");
            configurations.put(edge(i), "");
        }
        text.append("links:\n");
        for (int i = 1; i < edges; i++) {
            text.append("  - { a: ").append(edge(i - 1)).append(" core-2, b: ").append(edge(i)).append(" core-1 }\n");
        }
        text.append("""
                pools:
                  - { name: vpn, from: 1, to: 99999, as: "VPN-{}" }
                  - { name: route-target, from: 1, to: 999999, as: "64500:{}" }
                  - { name: route-distinguisher, from: 1, to: 9999999, as: "64500:{}" }
                  - { name: site-of-origin, from: 1, to: 999999, as: "64500:{}" }
                  - { name: access-tag, tags: 2-4094 }
                  - { name: access-link, prefix: 10.0.0.0/8, length: 31 }
                  - { name: access-link-6, prefix: "2001:db8::/32", length: 127 }
                  - { name: ospf-domain, prefix: 0.0.16.0/20, length: 32 }
                  - { name: pseudowire-id, from: 1, to: 99999999 }
                  - { name: port-rate, from: 1, to: 400000000 }
                  - { name: bundled-port, from: 1, to: 1 }
                """);
        Network network = NetworkDocument.read(Document.read(text.toString()));
        return new InMemoryPlanningSource(CATALOG, network, configurations);
    }

    /** A VPLS with a circuit on each of a number of edges. */
    static OrderDocument vpls(int edges) {
        StringBuilder text = new StringBuilder("services:\n  - name: mesh\n    tenant: Skerry Council\n    model: vpls\n    parameters:\n      circuits:\n");
        for (int i = 0; i < edges; i++) {
            text.append("        - { name: c").append(i).append(", device: ").append(edge(i)).append(", port: access-0, tag: 700 }\n");
        }
        return order(text.toString());
    }

    /** A layer 3 VPN of a number of sites over a number of edges, each with a static route. */
    static OrderDocument l3vpn(String name, int sites, int edges, int from) {
        StringBuilder text = new StringBuilder("services:\n  - name: ").append(name)
                .append("\n    tenant: Skerry Council\n    model: l3vpn\n    parameters:\n      sites:\n");
        for (int i = from; i < from + sites; i++) {
            int tag = 2 + i / edges % 4000;
            text.append("        - { name: s").append(i).append(", device: ").append(edge(i % edges)).append(", port: access-0, tag: ").append(tag)
                    .append(", address: 10.").append(i >> 15 & 255).append('.').append(i >> 7 & 255).append('.').append(2 * i & 255)
                    .append("/31, customer: 10.").append(i >> 15 & 255).append('.').append(i >> 7 & 255).append('.').append(2 * i + 1 & 255)
                    .append(", routes: [172.").append(16 + (i >> 12 & 15)).append('.').append(i >> 4 & 255).append('.').append(16 * i & 255).append("/28] }\n");
        }
        return order(text.toString());
    }

    static OrderDocument order(String text) {
        return OrderDocument.read(Document.read(text));
    }

    static int clauses(Plan plan) {
        return plan.outcomes().stream().flatMap(outcome -> outcome.expansion().stream()).mapToInt(expansion -> expansion.clauses().size()).sum();
    }
}
