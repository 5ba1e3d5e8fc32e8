package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import java.io.IOException;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/**
 * A store on two hosts, of which the primary is lost at a random moment of a real order, as by a power cut. The standby is promoted; the service goes on, and ends the order. Every order that was
 * answered with its number is there. Then the former primary comes back and takes itself for the primary: neither the instance that runs nor one that starts writes to it.
 * {@code e2e/standby N} runs N rounds; the seed is printed, and taken from {@code -Drilvan.seed}.
 */
@Timeout(value = 6, unit = TimeUnit.HOURS)
class StandbyTest {

    private static final int ROUNDS = Integer.getInteger("rilvan.rounds", 2);
    private static final int LATEST_MILLIS = 1_500;
    private static final String YAML = "application/yaml";
    private static final String NOTHING = "remove: [tidewater-clinics]";

    private final long seed = Long.getLong("rilvan.seed", System.nanoTime());
    private final Random random = new Random(seed);
    private final Map<String, Integer> counts = new TreeMap<>();
    private Product product;

    @Test
    void thePrimaryOfTheStoreIsLostInTheMiddleOfOrders() throws Exception {
        System.out.println("losing primaries with seed " + seed);
        String clinics = Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml"));
        try (Product started = new Product("standby", Product.ROOT.resolve("models"), Map.of("WITH_STANDBY", "yes", "RILVAN_LEASE", "2s", "RILVAN_CHECK_TIMEOUT", "4s"))) {
            product = started;
            Map<String, String> without = product.held();
            product.done(clinics);
            Map<String, String> with = product.held();
            product.done(NOTHING);
            boolean stands = false;
            for (int round = 1; round <= ROUNDS; round++) {
                boolean adds = !stands;
                long placed = lost(adds ? clinics : NOTHING);
                String end = placed == 0 ? "not placed" : product.ended(placed);
                stands = end.equals("DONE") == adds;
                String told = "seed " + seed + ", round " + round + ", order " + placed + " " + end;
                System.out.println(told);
                counts.merge(end, 1, Integer::sum);
                assertThat(product.held()).as(told).isEqualTo(stands ? with : without);

                assertThat(product.rilvan("", "installation").output()).contains("does not wait for its standby");
                product.script("former_returns");
                product.script("admin_sees_the_primary");
                String instance = product.launch(round);
                while (!product.isReady(instance)) {
                    TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
                }
                long last = doneAt(instance, stands ? NOTHING : clinics);
                stands = !stands;
                assertThat(product.held()).as(told).isEqualTo(stands ? with : without);
                assertThat(product.formerHas()).as(told).isLessThan(last);
                assertThat(product.state(product.server(), last)).as("both instances speak of one store").isEqualTo("DONE");
                product.script("end " + round);
                product.script("former_goes");
                product.script("follow");
                assertThat(product.rilvan("", "installation").output()).doesNotContain("does not wait for its standby");
            }
            Product.assertThatTheLogOfActsIsWhole(path -> product.request("GET", path, "", YAML).body());
        }
        System.out.println(ROUNDS + " rounds from seed " + seed + ": " + counts);
    }

    /** Places an order and takes the primary away; says which order it was, or 0 where nothing was placed. */
    private long lost(String document) throws Exception {
        long before = last();
        long[] answered = new long[1];
        Thread placing = new Thread(() -> {
            try {
                HttpResponse<String> answer = product.request("POST", "/api/v1/orders", document, YAML);
                if (answer.statusCode() == 202) {
                    answered[0] = JsonParser.object().from(answer.body()).getLong("order");
                }
            } catch (IOException | InterruptedException | JsonParserException e) {
                // Whether it was placed is looked up below.
            }
        });
        placing.start();
        TimeUnit.MILLISECONDS.sleep(random.nextInt(LATEST_MILLIS));
        product.script("lose_primary");
        placing.join();
        long after = last();
        if (answered[0] != 0) {
            assertThat(after).as("seed %d: what was confirmed is there", seed).isEqualTo(answered[0]);
        }
        return after == before ? 0 : after;
    }

    private long doneAt(String instance, String document) throws Exception {
        while (true) {
            HttpResponse<String> answer = product.request(instance, "POST", "/api/v1/orders", document, YAML);
            // The new primary may be found a moment later.
            if (answer.statusCode() != 503) {
                assertThat(answer.statusCode()).as(answer.body()).isEqualTo(202);
                long order = JsonParser.object().from(answer.body()).getLong("order");
                String end = product.ended(order);
                assertThat(end).isEqualTo("DONE");
                return order;
            }
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
    }

    private long last() throws Exception {
        while (true) {
            HttpResponse<String> answer = product.request("GET", "/api/v1/orders?limit=1", "", YAML);
            if (answer.statusCode() == 200) {
                JsonArray orders = JsonParser.array().from(answer.body());
                return orders.isEmpty() ? 0 : orders.getObject(0).getLong("id");
            }
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
    }
}
