package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.nio.file.Files;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/**
 * The instance that drives an order is stopped (SIGSTOP) in each state that an order can be in; another one ends the order; then
 * the first one is woken, and does no harm.
 */
@Timeout(value = 6, unit = TimeUnit.MINUTES)
class StopAndWakeTest {

    private static final List<String> ENDS = List.of("DONE", "ROLLED_BACK");
    private static final String YAML = "application/yaml";
    /** Seconds that a device takes over a step: time enough to stop the order in it, on any machine. */
    private static final String LONG = "8";
    private static final int DRIVES = 0;
    private static final int TAKES_OVER = 1;

    private static Product product;
    private static String drives;
    private static String takesOver;
    private static String clinics;
    private static Map<String, String> without;
    private static Map<String, String> with;

    @BeforeAll
    static void start() throws Exception {
        clinics = Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml"));
        product = new Product("stop", Product.ROOT.resolve("models"), Map.of("RILVAN_LEASE", "3s"));
        product.script("cut_service");
        drives = product.launch(DRIVES);
        takesOver = product.launch(TAKES_OVER);
        while (!product.isReady(drives) || !product.isReady(takesOver)) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
        without = held();
        assertThat(end(place(drives, clinics))).isEqualTo("DONE");
        with = held();
        assertThat(end(place(drives, "remove: [tidewater-clinics]"))).isEqualTo("DONE");
        assertThat(held()).isEqualTo(without);
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    /** What a device is made to take long over says where the order is stopped. */
    @ParameterizedTest
    @CsvSource({"PLANNED,sign-in,ROLLED_BACK", "CONNECTED,validate,ROLLED_BACK", "PREPARED,commit,ROLLED_BACK", "DECIDED,confirm,DONE", "ROLLING_BACK,cancel,ROLLED_BACK"})
    void anotherEndsTheOrderAndTheWokenOneDoesNoHarm(String state, String step, String ends) throws Exception {
        // New sessions, so that signing in is a step too.
        lab("restart", "haven-pe1", "--seconds", "0");
        lab("slow", "haven-pe1", state.equals("ROLLING_BACK") ? "commit" : step, "--seconds", LONG);
        long order = place(drives, clinics);
        if (state.equals("ROLLING_BACK")) {
            // One device forgets the change before it is confirmed, and will not have it again: the order turns.
            awaitState(order, "PREPARED");
            lab("restart", "ternsay-pe1", "confirm", "--seconds", "0");
            lab("refuse", "ternsay-pe1", "edit", "--during", "30");
            lab("slow", "haven-pe1", "cancel", "--seconds", LONG);
        }
        awaitState(order, state);
        product.script("pause " + DRIVES);
        assertThat(state(order)).as("stopped in time").isEqualTo(state);
        assertThat(end(order)).isEqualTo(ends);
        Map<String, String> expected = ends.equals("DONE") ? with : without;
        assertThat(held()).isEqualTo(expected);
        product.script("wake " + DRIVES);
        // Its next order shows that it is awake and has done what it still wanted to do.
        lab("clear", "ternsay-pe1");
        if (ends.equals("DONE")) {
            assertThat(end(place(drives, "remove: [tidewater-clinics]"))).isEqualTo("DONE");
        } else {
            assertThat(end(place(drives, clinics))).isEqualTo("DONE");
            assertThat(held()).isEqualTo(with);
            assertThat(end(place(drives, "remove: [tidewater-clinics]"))).isEqualTo("DONE");
        }
        assertThat(held()).isEqualTo(without);
        assertThat(state(order)).isEqualTo(ends);
    }

    private static void lab(String... words) throws Exception {
        Product.Result result = product.rilvan("", Stream.concat(Stream.of("lab"), Arrays.stream(words)).toArray(String[]::new));
        assertThat(result.code()).as(result.output()).isZero();
    }

    private static long place(String instance, String document) throws Exception {
        return JsonParser.object().from(product.request(instance, "POST", "/api/v1/orders", document, YAML).body()).getLong("order");
    }

    private static JsonObject order(long order) throws Exception {
        return JsonParser.object().from(product.request(takesOver, "GET", "/api/v1/orders/" + order, "", YAML).body()).getObject("order");
    }

    private static String state(long order) throws Exception {
        return order(order).getString("state");
    }

    private static void awaitState(long order, String wanted) throws Exception {
        for (String state = state(order); !state.equals(wanted); state = state(order)) {
            assertThat(state).as("before %s: %s", wanted, order(order)).isNotIn(ENDS);
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
    }

    private static String end(long order) throws Exception {
        while (!ENDS.contains(state(order))) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
        return state(order);
    }

    private static Map<String, String> held() throws Exception {
        Map<String, String> held = new TreeMap<>();
        for (String device : List.of("haven-pe1", "ternsay-pe1")) {
            held.put(device, product.running(device));
        }
        return held;
    }
}
