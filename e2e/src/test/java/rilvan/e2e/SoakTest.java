package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.regex.Pattern;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

/**
 * Sixteen people with devices and services of their own, all at once, through three instances with little memory; meanwhile devices fail, instances
 * are killed, stopped and started again, and connections to the store are cut. Each order is followed through another instance than the one
 * that took it. {@code e2e/soak MINUTES} runs it for longer; the seed is printed, and taken from {@code -Drilvan.seed}.
 */
class SoakTest {

    private static final String YAML = "application/yaml";
    private static final int PEOPLE = 16;
    private static final int INSTANCES = 3;
    private static final int SECONDS = Integer.getInteger("rilvan.soak.seconds", 25);
    private static final String HEAP = System.getProperty("rilvan.soak.heap", "256m");
    private static final int LONGEST_REST_MILLIS = 2_500;
    private static final List<String> TROUBLES = List.of("refuse", "slow", "silent", "lose", "restart");
    private static final List<String> STEPS = List.of("sign-in", "lock", "edit", "commit", "confirm", "save");
    private static final Pattern SEQUENCE = Pattern.compile("\"seq\":(\\d+)");

    private final long seed = Long.getLong("rilvan.seed", System.nanoTime());
    private final Map<String, AtomicInteger> counts = new TreeMap<>();
    private final List<String> instances = new ArrayList<>();
    /** Devices that were made to fail at some time: what is said of them is true. */
    private final Set<String> troubled = ConcurrentHashMap.newKeySet();
    private final List<String> blamed = new ArrayList<>();
    private Product product;
    private volatile boolean over;

    private void count(String what) {
        synchronized (counts) {
            counts.computeIfAbsent(what, each -> new AtomicInteger()).incrementAndGet();
        }
    }

    private Path network() throws Exception {
        Path models = Files.createDirectories(Product.ROOT.resolve("e2e/target/soak"));
        for (String each : List.of("services", "dialects", "vocabulary.yaml")) {
            Files.deleteIfExists(models.resolve(each));
            Files.createSymbolicLink(models.resolve(each), Product.ROOT.resolve("models").resolve(each));
        }
        Process kit = new ProcessBuilder("bash", "-c", ". setup/parts.sh && RILVAN_PACKAGED=yes build && kit archipelago --devices " + 4 * PEOPLE + " \"$1\"", "soak",
                models.resolve("demo").toString()).directory(Product.ROOT.toFile()).redirectErrorStream(true).start();
        assertThat(new String(kit.getInputStream().readAllBytes()) + kit.waitFor()).endsWith("0");
        return models;
    }

    private static List<String> devices(int person) {
        return List.of("isle-" + (4 * person + 1), "isle-" + (4 * person + 3));
    }

    private static String order(int person, int tag) {
        return tag == 0 ? "remove: [soak-" + person + "]\n" : """
                reason: soak
                services:
                  - name: soak-%d
                    tenant: Skerry Council
                    model: l3vpn
                    parameters:
                      sites:
                        - { name: a, device: %s, port: access-1, tag: %d, address: 192.0.2.0/31, customer: 192.0.2.1 }
                        - { name: b, device: %s, port: access-1, tag: %d, address: 192.0.2.2/31, customer: 192.0.2.3 }
                """.formatted(person, devices(person).get(0), tag, devices(person).get(1), tag);
    }

    @Test
    void nothingIsStuckDoubledOrLost() throws Exception {
        System.out.println("soaking with seed " + seed);
        try (Product started = new Product("soak", network(), Map.of("RILVAN_LEASE", "2s", "RILVAN_CHECK_TIMEOUT", "6s", "RILVAN_DEVICE_TIMEOUT", "6s",
                "SERVICE_JVM", "-XX:TieredStopAtLevel=1 -Xmx" + HEAP))) {
            product = started;
            Map<String, String> before = product.held();
            product.script("cut_service");
            for (int i = 0; i < INSTANCES; i++) {
                instances.add(product.launch(i));
            }
            ExecutorService people = Executors.newCachedThreadPool();
            List<Future<Integer>> working = new ArrayList<>();
            for (int person = 0; person < PEOPLE; person++) {
                int each = person;
                working.add(people.submit(() -> work(each, new Random(seed + each))));
            }
            disturb(new Random(seed - 1));
            over = true;
            List<Integer> standing = new ArrayList<>();
            for (Future<Integer> each : working) {
                standing.add(each.get());
            }
            people.shutdown();
            for (String device : before.keySet()) {
                assertThat(product.rilvan("", "lab", "clear", device).code()).isZero();
            }
            System.out.println(SECONDS + " s from seed " + seed + " with " + HEAP + ": " + counts);
            assertThat(blamed).as("seed %d: a device is blamed that nobody has disturbed", seed).isEmpty();
            for (int person = 0; person < PEOPLE; person++) {
                int tag = standing.get(person);
                if (tag != 0) {
                    HttpResponse<String> preview = ask("POST", "/api/v1/previews", order(person, tag));
                    assertThat(JsonParser.object().from(preview.body()).getBoolean("changesNothing")).as("seed %d, person %d, tag %d: %s", seed, person, tag, preview.body()).isTrue();
                }
            }
            List<String> services = IntStream.range(0, PEOPLE).filter(person -> standing.get(person) != 0).mapToObj(person -> "soak-" + person).toList();
            if (!services.isEmpty()) {
                HttpResponse<String> answer = ask("POST", "/api/v1/orders", "remove: [" + String.join(", ", services) + "]\n");
                assertThat(answer.statusCode()).as(answer.body()).isEqualTo(202);
                JsonObject end = end(JsonParser.object().from(answer.body()).getLong("order"));
                assertThat(end.getString("state")).as("seed %d: %s", seed, end.getString("failure")).isEqualTo("DONE");
            }
            for (Object device : JsonParser.array().from(ask("GET", "/api/v1/devices", "").body())) {
                assertThat(((JsonObject) device).isNull("heldBy")).as("seed %d: %s", seed, device).isTrue();
                String name = ((JsonObject) device).getString("name");
                assertThat(product.running(name)).as("seed %d: %s", seed, name).isEqualTo(before.get(name));
            }
            Product.assertThatTheLogOfActsIsWhole(path -> ask("GET", path, "").body());
        }
    }

    /** One person's day; returns the tag that stands in the end, 0 for no service. */
    private int work(int person, Random random) throws Exception {
        int stands = 0;
        while (!over) {
            int wanted = List.of(0, 200, 300).get(random.nextInt(3));
            if (wanted == stands) {
                continue;
            }
            String key = "soak-" + person + "-" + random.nextLong();
            long order = place(key, order(person, wanted));
            follow(order, random);
            JsonObject end = end(order);
            String failure = end.getString("failure");
            count(end.getString("state"));
            if (end.getString("state").equals("DONE")) {
                stands = wanted;
            } else if (devices(person).stream().noneMatch(troubled::contains) && failure.contains("isle-")) {
                synchronized (blamed) {
                    blamed.add("order " + order + ": " + failure);
                }
            }
        }
        return stands;
    }

    /** The same request is sent until somebody answers it: its key makes sure that it is one order. */
    private long place(String key, String document) throws Exception {
        while (true) {
            String instance = instances.get((int) (Math.random() * INSTANCES));
            try {
                HttpResponse<String> answer = product.requestWithKey(instance, key, "/api/v1/orders", document);
                if (answer.statusCode() == 202) {
                    return JsonParser.object().from(answer.body()).getLong("order");
                }
                assertThat(answer.statusCode()).as(answer.body()).isIn(429, 503);
                count("answered " + answer.statusCode());
            } catch (IOException e) {
                count("no answer");
            }
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS * 5);
        }
    }

    /** Whoever follows an order to its end hears of each step once. */
    private void follow(long order, Random random) throws Exception {
        List<Integer> heard = new ArrayList<>();
        String last = "";
        try {
            List<String> lines = product.follow(instances.get(random.nextInt(INSTANCES)), order);
            for (int i = 0; i < lines.size(); i++) {
                if (lines.get(i).equals("event:step")) {
                    SEQUENCE.matcher(lines.get(i + 1)).results().forEach(found -> heard.add(Integer.parseInt(found.group(1))));
                } else if (lines.get(i).equals("event:state")) {
                    last = lines.get(i + 1);
                }
            }
        } catch (IOException | UncheckedIOException e) {
            count("no longer followed");
            return;
        }
        if (last.contains("DONE") || last.contains("ROLLED_BACK")) {
            count("followed to its end");
            assertThat(heard).as("seed %d, order %d", seed, order).isEqualTo(IntStream.rangeClosed(1, heard.size()).boxed().toList());
        }
    }

    private JsonObject end(long order) throws Exception {
        while (true) {
            HttpResponse<String> answer = ask("GET", "/api/v1/orders/" + order, "");
            try {
                JsonObject now = JsonParser.object().from(answer.body()).getObject("order");
                if (now != null && Set.of("DONE", "ROLLED_BACK").contains(now.getString("state"))) {
                    return now;
                }
            } catch (JsonParserException e) {
                count("answered " + answer.statusCode());
            }
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS * 5);
        }
    }

    /** Asks whichever instance answers. */
    private HttpResponse<String> ask(String method, String path, String body) throws Exception {
        for (int i = 0;; i++) {
            try {
                HttpResponse<String> answer = product.request(instances.get(i % INSTANCES), method, path, body, YAML);
                if (answer.statusCode() != 503) {
                    return answer;
                }
            } catch (IOException e) {
                // Another one may be there.
            }
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
    }

    private void disturb(Random random) throws Exception {
        long until = System.nanoTime() + SECONDS * 1_000_000_000L;
        while (System.nanoTime() < until) {
            TimeUnit.MILLISECONDS.sleep(random.nextInt(LONGEST_REST_MILLIS));
            int instance = random.nextInt(INSTANCES);
            int dice = random.nextInt(13);
            product.script("revive");
            if (dice < 5) {
                trouble(random);
            } else if (dice < 8) {
                count("connections cut");
                product.script("cut_connections");
            } else if (dice < 10) {
                count("killed");
                product.script("cut " + instance);
                product.launch(instance);
            } else if (dice < 11) {
                count("started again");
                product.script("end " + instance);
                product.launch(instance);
            } else if (dice < 12) {
                count("stopped for a while");
                product.script("pause " + instance);
                TimeUnit.MILLISECONDS.sleep(random.nextInt(2 * LONGEST_REST_MILLIS));
                product.script("wake " + instance);
            } else {
                count("store killed");
                product.script("cut_store");
            }
        }
        product.script("revive");
    }

    private void trouble(Random random) throws Exception {
        String device = devices(random.nextInt(PEOPLE / 2)).get(random.nextInt(2));
        troubled.add(device);
        count("trouble");
        Map<String, Object> fault = new LinkedHashMap<>(Map.of("trouble", TROUBLES.get(random.nextInt(TROUBLES.size())), "seconds", 1 + random.nextInt(3),
                "message", "not now", "path", "", "during", 0, "step", STEPS.get(random.nextInt(STEPS.size()))));
        product.fault(device, JsonWriter.string(fault));
    }
}
