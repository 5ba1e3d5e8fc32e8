package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.time.Duration;
import java.time.Instant;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** What befalls the machine of an installation, and what is so afterwards: the table in {@code docs/operations.md}. */
@Timeout(value = 10, unit = TimeUnit.MINUTES)
class AccidentsTest {

    private static final String YAML = "application/yaml";
    private static final String REMOVED = "remove: [tidewater-clinics]";
    private static final Duration DAYS = Duration.ofDays(2);

    private static String clinics() throws Exception {
        return Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml"));
    }

    /** The disk of the store is full while orders come and one is under way: whoever asks is told so, nothing is half done, and with room again everything goes on. */
    @Test
    void theDiskOfTheStoreIsFull() throws Exception {
        assumeTrue("root".equals(System.getProperty("user.name")), "only root can have a disk of its own");
        try (Product product = new Product("small-disk", Product.ROOT.resolve("models"), Map.of("WITH_SMALL_DISK", "160", "RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_LEASE", "3s"))) {
            Map<String, String> before = product.held();
            product.fault("haven-pe1", "{\"trouble\":\"slow\",\"step\":\"commit\",\"during\":60,\"seconds\":3}");
            long underWay = product.place(clinics());
            product.script("fill_disk");
            Set<Integer> answers = new TreeSet<>();
            for (int i = 0; i < 200 && !answers.contains(503); i++) {
                answers.add(product.request("PUT", "/api/v1/tenants/Room%20" + i, "{\"contact\":\"" + "x".repeat(200) + "\"}", YAML).statusCode());
            }
            assertThat(answers).as("a store without room").contains(503).isSubsetOf(200, 201, 503);
            product.script("free_disk");
            assertThat(product.ended(underWay)).isIn("DONE", "ROLLED_BACK");
            assertThat(product.rilvan("", "lab", "clear", "haven-pe1").code()).isZero();
            if (!product.held().equals(before)) {
                product.done(REMOVED);
            }
            assertThat(product.held()).isEqualTo(before);
            product.done(clinics());
            product.done(REMOVED);
            assertThat(product.held()).isEqualTo(before);
            Product.assertThatTheLogOfActsIsWhole(path -> product.request("GET", path, "", YAML).body());
        }
    }

    /** The clock of an instance jumps two days ahead, and then to two days behind: orders run, who is signed in stays so, who signs in is, and the installation tells it. */
    @Test
    void theClockIsSet() throws Exception {
        try (Product product = new Product("clock", Product.ROOT.resolve("models"), Map.of("WITH_CLOCK", "yes", "RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_LEASE", "5s"))) {
            Map<String, String> before = product.held();
            for (Duration off : List.of(DAYS, DAYS.negated(), Duration.ZERO)) {
                String clock = "a clock that is " + off.toHours() + " hours ahead";
                product.script("set_clock " + off.toSeconds());
                while (Duration.between(Instant.now().plus(off), date(product)).abs().compareTo(Duration.ofMinutes(10)) > 0) {
                    TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS * 5);
                }
                product.done(clinics());
                product.done(REMOVED);
                assertThat(product.held()).as(clock).isEqualTo(before);
                HttpResponse<String> signIn = product.request("POST", "/api/v1/tokens", "{\"user\":\"engineer\",\"password\":\"" + product.password() + "\"}", "application/json");
                assertThat(signIn.statusCode()).as(clock).isEqualTo(200);
                Instant expires = ZonedDateTime.parse(JsonParser.object().from(signIn.body()).getString("expires")).toInstant();
                assertThat(Duration.between(Instant.now(), expires)).as(clock).isBetween(Duration.ofDays(7).minusMinutes(10), Duration.ofDays(7));
                String installation = product.rilvan("", "installation").output();
                assertThat(installation).as(clock).contains(off.isZero() ? "it goes with that of the store" : off.isNegative() ? "behind that of the store" : "ahead of that of the store");
                assertThat(installation).as(clock).doesNotContain("its lease ran out");
            }
            Product.assertThatTheLogOfActsIsWhole(path -> product.request("GET", path, "", YAML).body());
        }
    }

    private static Instant date(Product product) throws Exception {
        return ZonedDateTime.parse(product.request("GET", "/api/v1/health", "", YAML).headers().firstValue("Date").orElseThrow(), DateTimeFormatter.RFC_1123_DATE_TIME).toInstant();
    }

    /** Memory is short, and many ask for much at once: some are told to come again, nobody is told of a fault, and a small order is carried out. */
    @Test
    void memoryIsShort() throws Exception {
        try (Product product = new Product("short-memory", Product.ROOT.resolve("models"), Map.of("SERVICE_JVM", "-XX:TieredStopAtLevel=1 -Xmx192m", "RILVAN_CHECK_TIMEOUT", "4s"))) {
            Map<String, String> before = product.held();
            String large = wires(600);
            ExecutorService people = Executors.newCachedThreadPool();
            List<Future<Integer>> previews = new ArrayList<>();
            IntStream.range(0, 12).forEach(each -> previews.add(people.submit(() -> asked(product, "/api/v1/previews", large).statusCode())));
            HttpResponse<String> small = asked(product, "/api/v1/orders", clinics());
            while (small.statusCode() != 202) {
                assertThat(small.statusCode()).as(small.body()).isIn(429, 503);
                small = asked(product, "/api/v1/orders", clinics());
            }
            assertThat(product.ended(JsonParser.object().from(small.body()).getLong("order"))).isEqualTo("DONE");
            Set<Integer> answers = new TreeSet<>();
            for (Future<Integer> each : previews) {
                answers.add(each.get());
            }
            people.shutdown();
            assertThat(answers).contains(200).isSubsetOf(200, 429, 503);
            product.done(REMOVED);
            assertThat(product.held()).isEqualTo(before);
            assertThat(product.request("GET", "/api/v1/health", "", YAML).statusCode()).isEqualTo(200);
            assertThat(Files.readString(product.run().resolve("service.log"))).doesNotContain("OutOfMemoryError");
        }
    }

    private static HttpResponse<String> asked(Product product, String path, String document) throws Exception {
        return product.request("POST", path, document, YAML, Duration.ofMinutes(5));
    }

    private static String wires(int count) {
        StringBuilder order = new StringBuilder("services:\n");
        for (int i = 0; i < count; i++) {
            order.append("  - {name: wire-").append(i).append(", tenant: Kelp & Co., model: l2vpn, parameters: {mtu: 2000, rate: 1000, ends: [{name: quay, device: haven-pe1, port: access-2, tag: ").append(1000 + i)
                    .append("}, {name: works, device: olvar-pe1, port: access-2, tag: ").append(1000 + i).append("}]}}\n");
        }
        return order.toString();
    }

    /** A device takes everything and says nothing: the order gives up in time, names it, and every device is as it was once it speaks again. */
    @Test
    void aDeviceSaysNothing() throws Exception {
        try (Product product = new Product("mute", Product.ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_DEVICE_TIMEOUT", "3s"))) {
            Map<String, String> before = product.held();
            for (String step : List.of("lock", "edit", "validate", "commit")) {
                product.fault("haven-pe1", "{\"trouble\":\"silent\",\"step\":\"" + step + "\"}");
                JsonObject order = product.placed(clinics()).getObject("order");
                assertThat(order.getString("state")).as(step).isEqualTo("ROLLED_BACK");
                assertThat(order.getString("failure")).as(step).contains("haven-pe1");
                assertThat(product.held()).as(step).isEqualTo(before);
            }
            product.done(clinics());
            product.done(REMOVED);
            assertThat(product.held()).isEqualTo(before);
        }
    }
}
