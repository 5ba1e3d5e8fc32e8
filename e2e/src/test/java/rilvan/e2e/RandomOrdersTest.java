package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonWriter;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;

/**
 * Random orders on the real product, several at once: any mix of services of all models to add, change and remove, while random devices refuse,
 * are slow, fall silent, lie, are lost or restart. Each order ends; when all is removed again, every device is byte for byte as at the start,
 * and nothing is held. {@code e2e/orders SEEDS ORDERS} runs that many; the seed is printed, and taken from {@code -Drilvan.seed}.
 */
class RandomOrdersTest {

    private static final String YAML = "application/yaml";
    private static final int ORDERS = Integer.getInteger("rilvan.orders", 16);
    private static final int SEEDS = Integer.getInteger("rilvan.seeds", 1);
    private static final int AT_ONCE = 4;
    private static final List<String> TROUBLES = List.of("refuse", "slow", "silent", "pretend", "lose", "restart");
    private static final List<String> STEPS = List.of("sign-in", "lock", "edit", "validate", "commit", "confirm", "cancel", "save");

    /** Each service in its variants, as they stand under {@code services} in an order. */
    private final Map<String, List<String>> variants = new LinkedHashMap<>();
    private final Map<String, AtomicInteger> counts = new TreeMap<>();

    private void read() throws Exception {
        List<Path> examples;
        try (Stream<Path> models = Files.walk(Product.ROOT.resolve("models/services"))) {
            examples = models.filter(each -> each.getParent().endsWith("examples")).sorted().toList();
        }
        for (Path example : examples) {
            String text = Files.readString(example);
            String service = text.substring(text.indexOf("services:\n") + "services:\n".length());
            if (service.split("\n {2}- name: ").length > 1) {
                // Services that belong together are not placed and removed one by one.
                continue;
            }
            String name = service.replaceFirst("(?s).*?- name: (\\S+).*", "$1");
            List<String> known = variants.computeIfAbsent(name, each -> new ArrayList<>());
            known.add(service);
            known.add(service.replaceFirst("tag: (\\d\\d\\d)\\b", "tag: 9$1").replaceFirst("tag: 9\\d(\\d\\d)", "tag: 19$1"));
        }
        variants.get("tidewater-records").add(variants.get("tidewater-records").get(0).replaceFirst(".*desks-5.*\n", ""));
    }

    /** An order over a few services, to be placed in one of their variants or removed. */
    private String order(Random random, List<String> standing) {
        List<String> names = new ArrayList<>(variants.keySet());
        Collections.shuffle(names, random);
        StringBuilder services = new StringBuilder();
        List<String> removed = new ArrayList<>();
        for (String name : names.subList(0, 1 + random.nextInt(3))) {
            if (standing.contains(name) && random.nextInt(3) > 0) {
                removed.add(name);
            } else {
                services.append(variants.get(name).get(random.nextInt(variants.get(name).size())));
            }
        }
        return "atomic: " + (random.nextInt(4) == 0 ? "service" : "order") + "\n" + (removed.isEmpty() ? "" : "remove: [" + String.join(", ", removed) + "]\n")
                + (services.isEmpty() ? "" : "services:\n" + services);
    }

    private static void trouble(Product product, Random random, List<String> devices) throws Exception {
        String device = devices.get(random.nextInt(devices.size()));
        Map<String, Object> fault = new LinkedHashMap<>(Map.of("trouble", TROUBLES.get(random.nextInt(TROUBLES.size())), "seconds", 1 + random.nextInt(3),
                "message", "not now", "path", "", "during", 0));
        if (random.nextInt(6) > 0 || !List.of("lose", "restart").contains(fault.get("trouble"))) {
            fault.put("step", STEPS.get(random.nextInt(STEPS.size())));
        }
        product.fault(device, JsonWriter.string(fault));
    }

    private void place(Product product, Random random, List<String> devices) throws Exception {
        List<String> standing = array(product, "/api/v1/services").stream().map(each -> ((JsonObject) each).getString("name")).toList();
        if (random.nextBoolean()) {
            trouble(product, random, devices);
        }
        HttpResponse<String> answer = product.request("POST", "/api/v1/orders", order(random, standing), YAML);
        assertThat(answer.statusCode()).as(answer.body()).isIn(200, 202, 409, 422);
        if (answer.statusCode() != 202) {
            count(answer.statusCode() == 200 ? "no change" : "refused");
            return;
        }
        count(product.ended(JsonParser.object().from(answer.body()).getLong("order")));
    }

    private void count(String what) {
        counts.computeIfAbsent(what, each -> new AtomicInteger()).incrementAndGet();
    }

    private static JsonArray array(Product product, String path) throws Exception {
        return JsonParser.array().from(product.request("GET", path, "", YAML).body());
    }

    @Test
    void everyDeviceEndsAsItBegan() throws Exception {
        read();
        long seed = Long.getLong("rilvan.seed", System.nanoTime());
        try (Product product = new Product("orders", Product.ROOT.resolve("models"), Map.of("RILVAN_DEVICE_TIMEOUT", "3s", "RILVAN_CHECK_TIMEOUT", "5s"))) {
            Map<String, String> before = product.held();
            for (int i = 0; i < SEEDS; i++) {
                orders(product, seed + i, new ArrayList<>(before.keySet()));
                assertThat(product.held()).as("seed %d", seed + i).isEqualTo(before);
            }
        }
    }

    private void orders(Product product, long seed, List<String> devices) throws Exception {
        counts.clear();
        ExecutorService engineers = Executors.newFixedThreadPool(AT_ONCE);
        List<Future<?>> working = new ArrayList<>();
        for (int engineer = 0; engineer < AT_ONCE; engineer++) {
            Random random = new Random(seed * AT_ONCE + engineer);
            working.add(engineers.submit(() -> {
                for (int i = 0; i < ORDERS / AT_ONCE; i++) {
                    place(product, random, devices);
                }
                return null;
            }));
        }
        engineers.shutdown();
        for (Future<?> each : working) {
            each.get();
        }
        for (String device : devices) {
            assertThat(product.rilvan("", "lab", "clear", device).code()).isZero();
        }
        List<String> standing = array(product, "/api/v1/services").stream().map(each -> ((JsonObject) each).getString("name")).toList();
        System.out.println(ORDERS + " orders from seed " + seed + ": " + counts + "; then removed: " + standing);
        if (!standing.isEmpty()) {
            HttpResponse<String> answer = product.request("POST", "/api/v1/orders", "remove: [" + String.join(", ", standing) + "]", YAML);
            assertThat(answer.statusCode()).as("seed %d: %s", seed, answer.body()).isEqualTo(202);
            long id = JsonParser.object().from(answer.body()).getLong("order");
            product.await("/api/v1/orders/" + id, "order", each -> each.getString("state").equals("DONE") || each.getString("state").equals("ROLLED_BACK"));
            JsonObject order = product.get("/api/v1/orders/" + id).getObject("order");
            assertThat(order.getString("state")).as("seed %d: %s", seed, order.getString("failure")).isEqualTo("DONE");
        }
        for (Object device : array(product, "/api/v1/devices")) {
            assertThat(((JsonObject) device).isNull("heldBy")).as("seed %d: %s", seed, device).isTrue();
        }
        assertThat(product.rilvan("", "device", "read", "--all").code()).as("seed %d", seed).isZero();
        assertThat(array(product, "/api/v1/drift")).as("seed %d", seed).isEmpty();
    }
}
