package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonWriter;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.yaml.snakeyaml.Yaml;
import rilvan.core.catalog.Catalog;
import rilvan.core.document.Document;
import rilvan.core.model.Variation;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;

/**
 * Any version of a service to any other, over all parameters of all models: a version that is changed and changed back is the version that was
 * placed; each version asked for again is nothing to do; what the ledgers say is what devices hold; and removed, every device is as
 * at the start, byte for byte. Some changes meet a device that refuses: rolled back, nothing has changed. The seed is printed, and taken from {@code -Drilvan.seed};
 * {@code -Drilvan.changes} says how many.
 */
class ChangedAndBackTest {

    private static final String YAML = "application/yaml";
    private static final int CHANGES = Integer.getInteger("rilvan.changes", 3);
    private static final int TRIES = 60;
    private static final List<String> STEPS = List.of("edit", "validate", "commit", "confirm");

    private final long seed = Long.getLong("rilvan.seed", System.nanoTime());
    private final Random random = new Random(seed);
    private final Catalog catalog;
    private final Network network;
    private final Map<String, Integer> counts = new TreeMap<>();
    private Product product;

    ChangedAndBackTest() throws Exception {
        catalog = Catalog.read(Product.ROOT.resolve("models"));
        network = NetworkDocument.read(Document.read(Files.readString(Product.ROOT.resolve("models/demo/network.yaml"))));
    }

    /** An example as its order, once for each service in it that stands by itself. */
    private static List<Map<String, Object>> examples() throws Exception {
        List<Map<String, Object>> examples = new ArrayList<>();
        try (Stream<Path> files = Files.walk(Product.ROOT.resolve("models/services"))) {
            for (Path file : files.filter(each -> each.getParent().endsWith("examples")).sorted().toList()) {
                Map<String, Object> example = new Yaml().load(Files.readString(file));
                if (!((Map<?, ?>) service(example).get("parameters")).containsKey("imports")) {
                    examples.add(example);
                }
            }
        }
        return examples;
    }

    @Test
    void everyVersionLeadsToEveryOtherAndBack() throws Exception {
        System.out.println("changing with seed " + seed);
        List<Map<String, Object>> examples = examples();
        try (Product started = new Product("changes", Product.ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "5s", "RILVAN_SETTLE_TIME", "300ms"))) {
            product = started;
            Map<String, String> before = product.held();
            for (int i = 0; i < CHANGES; i++) {
                Map<String, Object> placed = examples.get(random.nextInt(examples.size()));
                String name = (String) service(placed).get("name");
                String text = JsonWriter.string(placed);
                String told = "seed " + seed + ", change " + i + " of " + name;
                if (!run(text).equals("DONE")) {
                    throw new AssertionError(told + " could not be placed");
                }
                Map<String, String> asPlaced = canonical();
                String changed = changed(placed);
                if (changed.isEmpty()) {
                    count("nothing found to change");
                } else {
                    told += " to " + changed;
                    Optional<Placed> asChanged = roundTrip(name, text, changed, told, asPlaced);
                    if (asChanged.isPresent()) {
                        removed(name, told, before);
                        afresh(name, changed, told, asChanged.get());
                    }
                }
                if (product.request("GET", "/api/v1/services", "", YAML).body().contains("\"" + name + "\"")) {
                    removed(name, told, before);
                }
            }
        }
        System.out.println(CHANGES + " changes from seed " + seed + ": " + counts);
    }

    /** What every device holds, in the canonical form: a device shows entries in the sequence in which they were made. */
    private Map<String, String> canonical() throws Exception {
        assertThat(product.rilvan("", "device", "read", "--all").code()).isZero();
        Map<String, String> canonical = new TreeMap<>();
        for (String device : product.held().keySet()) {
            canonical.put(device, product.request("GET", "/api/v1/devices/" + device + "/configuration", "", YAML).body());
        }
        return canonical;
    }

    /** What a service holds of pools, by key, and what every device holds with it. */
    private record Placed(String numbers, Map<String, String> devices) {}

    private Placed placed(String name) throws Exception {
        return new Placed(JsonWriter.string(product.get("/api/v1/services/" + name).getArray("numbers")), canonical());
    }

    private void removed(String name, String told, Map<String, String> before) throws Exception {
        assertThat(run("{\"remove\": [\"" + name + "\"]}")).as(told).isEqualTo("DONE");
        assertThat(product.held()).as(told).isEqualTo(before);
    }

    /** A service that was changed is what it would be if it had been placed so, where it has the same numbers. */
    private void afresh(String name, String changed, String told, Placed asChanged) throws Exception {
        if (!run(changed).equals("DONE")) {
            // Links from a pool may get other addresses than customers' routers have.
            assertThat(changed).as(told).contains("\"addressing\":\"pool");
            count("other links than customers' routers have, placed afresh");
            return;
        }
        Placed afresh = placed(name);
        if (afresh.numbers().equals(asChanged.numbers())) {
            count("compared with one placed afresh");
            assertThat(afresh.devices()).as("%s, placed afresh", told).isEqualTo(asChanged.devices());
        } else {
            count("other numbers than one placed afresh");
        }
    }

    /** Changes a service and changes it back; tells how it was in between, where the change was done. */
    private Optional<Placed> roundTrip(String name, String text, String changed, String told, Map<String, String> asPlaced) throws Exception {
        Optional<Placed> asChanged = Optional.empty();
        String end = "";
        if (random.nextInt(3) == 0) {
            List<String> devices = new ArrayList<>(preview(changed).orElseThrow().getObject("devices").keySet());
            if (!devices.isEmpty()) {
                String device = devices.get(random.nextInt(devices.size()));
                product.fault(device, "{\"trouble\":\"refuse\",\"step\":\"" + STEPS.get(random.nextInt(STEPS.size())) + "\",\"message\":\"not now\",\"path\":\"\",\"during\":0}");
                end = run(changed);
                if (end.equals("ROLLED_BACK")) {
                    count("refused by a device");
                    assertThat(canonical()).as(told).isEqualTo(asPlaced);
                }
                assertThat(product.rilvan("", "lab", "clear", device).code()).isZero();
            }
        }
        // A refusal to confirm is settled, since the order is decided by then.
        end = end.equals("DONE") ? end : run(changed);
        count(end);
        if (end.equals("DONE")) {
            assertThat(preview(changed).orElseThrow().getBoolean("changesNothing")).as(told).isTrue();
            asChanged = Optional.of(placed(name));
            assertThat(JsonParser.array().from(product.request("GET", "/api/v1/drift", "", YAML).body())).as(told).isEmpty();
            assertThat(run(text)).as(told).isEqualTo("DONE");
        }
        assertThat(canonical()).as(told).isEqualTo(asPlaced);
        return asChanged;
    }

    /** Another version that the service takes, and that changes something; empty where none was found. */
    private String changed(Map<String, Object> placed) throws Exception {
        for (int i = 0; i < TRIES; i++) {
            Map<String, Object> copy = new Yaml().load(new Yaml().dump(placed));
            if (new Variation(catalog.latest((String) service(copy).get("model")).orElseThrow().parameters(), network, random).change(service(copy).get("parameters"))) {
                String text = JsonWriter.string(copy);
                if (preview(text).filter(preview -> !preview.getBoolean("changesNothing")).isPresent()) {
                    return text;
                }
            }
        }
        return "";
    }

    private Optional<JsonObject> preview(String text) throws Exception {
        HttpResponse<String> answer = product.request("POST", "/api/v1/previews", text, YAML);
        assertThat(answer.statusCode()).as(answer.body() + text).isIn(200, 422);
        return answer.statusCode() == 200 ? Optional.of(JsonParser.object().from(answer.body())) : Optional.empty();
    }

    @SuppressWarnings("unchecked")
    private static Map<String, Object> service(Map<String, Object> order) {
        return (Map<String, Object>) ((List<Object>) order.get("services")).get(0);
    }

    private String run(String document) throws Exception {
        HttpResponse<String> answer = product.request("POST", "/api/v1/orders", document, YAML);
        assertThat(answer.statusCode()).as("seed %d: %s: %s", seed, answer.body(), document).isEqualTo(202);
        long order = JsonParser.object().from(answer.body()).getLong("order");
        Map<String, String> end = new LinkedHashMap<>();
        product.await("/api/v1/orders/" + order, "order", each -> {
            end.put("state", each.getString("state"));
            end.put("failure", each.getString("failure"));
            return each.getString("state").equals("DONE") || each.getString("state").equals("ROLLED_BACK");
        });
        if (end.get("state").equals("ROLLED_BACK")) {
            System.out.println("rolled back: " + end.get("failure"));
        }
        return end.get("state");
    }

    private void count(String what) {
        counts.merge(what, 1, Integer::sum);
    }
}
