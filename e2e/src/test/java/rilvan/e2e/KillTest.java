package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.io.IOException;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;

/**
 * Real orders on the real product, of which something is killed at a random moment: the instance that drives the order (by
 * SIGKILL), or the store (by SIGKILL); or the instance is stopped and woken after another has taken over. After each round the
 * order has ended, every device holds byte for byte what the services that stand make of it, nothing is held, and what stands
 * agrees with the devices. {@code e2e/kill N} runs N rounds; the seed is printed, and taken from {@code -Drilvan.seed}.
 */
class KillTest {

    private static final String YAML = "application/yaml";
    private static final int ROUNDS = Integer.getInteger("rilvan.rounds", 4);
    private static final int INSTANCES = 3;
    private static final int ATTEMPTS = 4;
    private static final int LATEST_BLOW_MILLIS = 1_200;
    private static final String NOTHING = "remove: [tidewater-clinics]";

    private enum Blow {
        KILL, KILL_STORE, STOP_AND_WAKE
    }

    private final long seed = Long.getLong("rilvan.seed", System.nanoTime());
    private final Random random = new Random(seed);
    private final Map<String, Map<String, String>> heldWith = new HashMap<>();
    private final Map<String, Integer> counts = new TreeMap<>();
    private final List<String> instances = new ArrayList<>();
    private Product product;

    @Test
    void nothingIsEverHalf() throws Exception {
        System.out.println("killing with seed " + seed);
        String clinics = Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml"));
        String islands = Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-four-islands.yaml"));
        String unproven = clinics.replace("tag: 110", "tag: 141");
        try (Product started = new Product("kill", Product.ROOT.resolve("models"), Map.of("RILVAN_LEASE", "1s", "RILVAN_CHECK_TIMEOUT", "2s"))) {
            product = started;
            // The first instance has loaded the demo; others do the work. One more than is needed, so that nobody waits for starts.
            product.script("cut_service");
            for (int i = 0; i < INSTANCES; i++) {
                instances.add(product.launch(i));
            }
            // An instance that is still starting takes the processor from the checks of the first orders, which have two seconds.
            ready(INSTANCES);
            heldWith.put(NOTHING, held());
            for (String document : List.of(clinics, islands, NOTHING)) {
                done(document);
                heldWith.putIfAbsent(document, held());
                assertThat(held()).isEqualTo(heldWith.get(document));
            }
            String stands = NOTHING;
            for (int round = 1; round <= ROUNDS; round++) {
                List<String> documents = new ArrayList<>(List.of(clinics, islands, unproven, NOTHING));
                documents.remove(stands);
                stands = round(round, stands, documents.get(random.nextInt(documents.size())));
            }
            if (!stands.equals(NOTHING)) {
                done(NOTHING);
            }
            assertThat(held()).isEqualTo(heldWith.get(NOTHING));
            int instance = ready(1).get(0);
            Product.assertThatTheLogOfActsIsWhole(path -> product.request(instances.get(instance), "GET", path, "", YAML).body());
        }
        System.out.println(ROUNDS + " rounds from seed " + seed + ": " + counts);
    }

    /** One order and one blow; says what stands afterwards. */
    private String round(int round, String stood, String document) throws Exception {
        product.script("revive");
        List<Integer> ready = twoThatAreReady();
        int victim = ready.get(0);
        int other = ready.get(1);
        long before = last(other);
        Blow blow = Blow.values()[Math.max(0, random.nextInt(6) - 3)];
        Thread order = new Thread(() -> {
            try {
                order(victim, document);
            } catch (Exception e) {
                // Killed before it could answer: whether the order was placed is looked up below.
            }
        });
        order.start();
        boolean whilePlaced = random.nextInt(5) == 0;
        while (!whilePlaced && order.isAlive() && last(other) == before) {
            TimeUnit.MILLISECONDS.sleep(5);
        }
        TimeUnit.MILLISECONDS.sleep(random.nextInt(LATEST_BLOW_MILLIS));
        switch (blow) {
            case KILL -> product.script("cut " + victim);
            case KILL_STORE -> product.script("cut_store");
            case STOP_AND_WAKE -> product.script("pause " + victim);
        }
        if (blow == Blow.KILL) {
            product.launch(victim);
        }
        if (blow == Blow.STOP_AND_WAKE) {
            long abandoned = last(other);
            if (abandoned != before) {
                endAt(other, abandoned);
            }
            product.script("wake " + victim);
        }
        order.join();
        long placed = last(other);
        String end = placed == before ? "not placed" : endAt(other, placed);
        counts.merge(blow + " " + end, 1, Integer::sum);
        String stands = end.equals("DONE") ? document : stood;
        System.out.printf("round %d: %s after a while, order %d %s%n", round, blow, placed, end);
        String told = "seed " + seed + ", round " + round + ", " + blow + ", order " + placed + " " + end;
        assertThat(held()).as(told).isEqualTo(heldWith.get(stands));
        for (Object each : array(other, "/api/v1/devices")) {
            assertThat(((JsonObject) each).isNull("heldBy")).as("%s: %s", told, each).isTrue();
        }
        if (!stands.equals(NOTHING)) {
            JsonObject preview = JsonParser.object().from(product.request(instances.get(other), "POST", "/api/v1/previews", stands, YAML).body());
            assertThat(preview.getBoolean("changesNothing")).as(told).isTrue();
        }
        return stands;
    }

    private long order(int instance, String document) throws Exception {
        HttpResponse<String> answer = product.request(instances.get(instance), "POST", "/api/v1/orders", document, YAML);
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(202);
        return JsonParser.object().from(answer.body()).getLong("order");
    }

    /**
     * Places an order that nothing of ours disturbs and waits until it is done. With a lease of a second, a machine that stands still for longer
     * interrupts it as a kill would: then it is rolled back, as it should be, and placed again.
     */
    private void done(String document) throws Exception {
        for (int attempt = 1;; attempt++) {
            int instance = twoThatAreReady().get(0);
            long order = order(instance, document);
            String end = endAt(instance, order);
            String record = product.request(instances.get(instance), "GET", "/api/v1/orders/" + order, "", YAML).body();
            if (end.equals("ROLLED_BACK") && record.contains("\"failure\":\"Rilvan was interrupted\"") && attempt < ATTEMPTS) {
                continue;
            }
            assertThat(end).as("seed %d, %s", seed, record).isEqualTo("DONE");
            return;
        }
    }

    private String endAt(int instance, long order) throws Exception {
        while (true) {
            try {
                String state = JsonParser.object().from(product.request(instances.get(instance), "GET", "/api/v1/orders/" + order, "", YAML).body())
                        .getObject("order").getString("state");
                if (state.equals("DONE") || state.equals("ROLLED_BACK")) {
                    return state;
                }
            } catch (IOException | NullPointerException e) {
                // The store is just coming up again.
            }
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
    }

    private long last(int instance) throws Exception {
        while (true) {
            try {
                JsonArray orders = array(instance, "/api/v1/orders?limit=1");
                return orders.isEmpty() ? 0 : orders.getObject(0).getLong("id");
            } catch (IOException | com.grack.nanojson.JsonParserException e) {
                TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
            }
        }
    }

    private JsonArray array(int instance, String path) throws Exception {
        return JsonParser.array().from(product.request(instances.get(instance), "GET", path, "", YAML).body());
    }

    /** Instances that answer, in any order; waits until there are two. */
    private List<Integer> twoThatAreReady() throws Exception {
        return ready(2);
    }

    private List<Integer> ready(int atLeast) throws Exception {
        List<Integer> ready = new ArrayList<>();
        while (ready.size() < atLeast) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
            ready.clear();
            for (int i = 0; i < instances.size(); i++) {
                if (product.isReady(instances.get(i))) {
                    ready.add(i);
                }
            }
        }
        Collections.shuffle(ready, random);
        return ready;
    }

    private Map<String, String> held() throws Exception {
        Map<String, String> held = new TreeMap<>();
        for (String device : List.of("haven-pe1", "ternsay-pe1", "olvar-pe1", "skarn-pe1")) {
            held.put(device, product.running(device));
        }
        return held;
    }
}
