package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.function.Function;
import java.util.regex.MatchResult;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import rilvan.kit.LargeServices;

/**
 * Services of dozens of places on the running product: placed, then broken by hand on some devices, each of which the checks must name; restored,
 * and removed without a trace. As many breaks as {@code -Drilvan.breaks.outside} says.
 */
@Timeout(20 * 60)
class LargeServicesTest {

    private static final String DELETED = " xmlns:nc='urn:ietf:params:xml:ns:netconf:base:1.0' nc:operation='delete'";
    private static final long SEED = Long.getLong("rilvan.seed", System.nanoTime());
    private static final int BREAKS = Integer.getInteger("rilvan.breaks.outside", 4);

    /** What somebody types to break a managed node, in the language of the device that has such nodes. */
    private record Break(Pattern path, Function<MatchResult, String> typed) {

        static Break of(String path, String typed) {
            return new Break(Pattern.compile(path), found -> {
                String text = typed;
                for (int i = 1; i <= found.groupCount(); i++) {
                    text = text.replace("$" + i, found.group(i));
                }
                return text;
            });
        }
    }

    /** Tags of circuits: of a routed site no check sees them where the customer's router is not known. */
    private static final List<Break> TAGS = List.of(
            Break.of("/ports/port\\[(.+)]/circuit\\[(\\d+)]/match/outer",
                    "<ports xmlns='urn:quern:ports'><port><name>$1</name><circuit><id>$2</id><match><outer>3999</outer></match></circuit></port></ports>"),
            Break.of("/subport-row\\[(access.+),(\\d+)]/tag", "<subport-row xmlns='urn:tarn:config'><port>$1</port><index>$2</index><tag>3999</tag></subport-row>"),
            Break.of("/part\\[(access.+),(\\d+)]/frames", "part $1 $2\n frames tag 3999\n"));

    private static final List<Break> OTHERS = List.of(
            Break.of("/vpn/vrf\\[(.+)]/route-targets/import\\[(.+)]",
                    "<vpn xmlns='urn:quern:vpn'><vrf><name>$1</name><route-targets><import" + DELETED + ">$2</import></route-targets></vrf></vpn>"),
            Break.of("/switching/bridge\\[(.+)]/pseudowire\\[(.+),(\\d+)]",
                    "<switching xmlns='urn:quern:switching'><bridge><name>$1</name><pseudowire" + DELETED + "><peer>$2</peer><id>$3</id></pseudowire></bridge></switching>"),
            Break.of("/switching/bridge\\[(.+)]/vxlan/vni", "<switching xmlns='urn:quern:switching'><bridge><name>$1</name><vxlan><vni>3999999</vni></vxlan></bridge></switching>"),
            Break.of("/context-target-row\\[(.+),in,(.+)]", "<context-target-row xmlns='urn:tarn:config'" + DELETED
                    + "><context>$1</context><direction>in</direction><target>$2</target></context-target-row>"),
            Break.of("/domain-wire-row\\[(.+),(.+),(\\d+)]", "<domain-wire-row xmlns='urn:tarn:config'" + DELETED + "><domain>$1</domain><far>$2</far><far-id>$3</far-id></domain-wire-row>"),
            Break.of("/domain-row\\[(.+)]/vni", "<domain-row xmlns='urn:tarn:config'><domain>$1</domain><vni>3999999</vni></domain-row>"),
            Break.of("/table\\[(.+)]/take\\[(.+)]", "table $1\n drop take $2\n"),
            Break.of("/bridge\\[(.+)]/far\\[(.+),(\\d+)]", "bridge $1\n drop far $2 id $3\n"),
            Break.of("/bridge\\[(.+)]/vni", "bridge $1\n vni 3999999\n"));

    private Path models(String role, int devices) throws Exception {
        Path models = Product.ROOT.resolve(".build/models-" + role);
        Files.createDirectories(models.resolve("demo"));
        for (String each : List.of("services", "dialects", "vocabulary.yaml")) {
            Files.deleteIfExists(models.resolve(each));
            Files.createSymbolicLink(models.resolve(each), Product.ROOT.resolve("models").resolve(each));
        }
        LargeServices.write(models.resolve("demo"), devices, role);
        return models;
    }

    private enum Large {
        HUB_AND_SPOKE_60, HIERARCHICAL_VPLS_40, TENANT_40
    }

    /** All of them with {@code -Drilvan.large=all}; otherwise the one that the seed chooses. */
    @Test
    void aLargeServiceIsPlacedBrokenRestoredAndRemoved() throws Exception {
        Large chosen = Large.values()[new Random(SEED).nextInt(Large.values().length)];
        for (Large each : System.getProperty("rilvan.large", "").equals("all") ? List.of(Large.values()) : List.of(chosen)) {
            switch (each) {
                case HUB_AND_SPOKE_60 -> placedBrokenAndRestored("pe", 20, LargeServices.hubAndSpoke(16, 20), LargeServices.hubAndSpoke(60, 20));
                case HIERARCHICAL_VPLS_40 -> placedBrokenAndRestored("vpls", 40, LargeServices.hierarchicalVpls(40));
                case TENANT_40 -> placedBrokenAndRestored("leaf", 10, LargeServices.tenant(40, 10));
            }
        }
    }

    /** Each order in turn, the last one is broken. */
    private void placedBrokenAndRestored(String role, int devices, String... orders) throws Exception {
        List<Break> breaks = new ArrayList<>(OTHERS);
        if (!role.equals("pe")) {
            breaks.addAll(TAGS);
        }
        try (Product product = new Product("large-" + role, models(role, devices), Map.of("RILVAN_HEALTH_INTERVAL", "1h"))) {
            Map<String, String> before = product.held();
            for (int i = 0; i < orders.length; i++) {
                if (i > 0) {
                    run(product, "remove: [large]");
                }
                JsonObject placed = run(product, orders[i]);
                System.out.println(role + ", order " + (i + 1) + ": checks took " + checking(placed).toMillis() + " ms, " + placed.getArray("checks").size() + " made");
            }
            JsonObject coverage = product.get("/api/v1/services/large").getObject("coverage");
            assertThat(coverage.getArray("uncovered")).as("places without a check").isEmpty();
            assertThat(product.rilvan("", "service", "check", "large").code()).isZero();
            List<Integer> chosen = new ArrayList<>(IntStream.rangeClosed(1, devices).boxed().toList());
            Collections.shuffle(chosen, new Random(SEED));
            List<String> broken = new ArrayList<>();
            for (int number : chosen.subList(0, Math.min(BREAKS, devices))) {
                String device = "isle-" + number;
                broken.add(device + " " + breakOne(product, device, breaks, new Random(SEED + number)).orElseThrow(() -> new AssertionError(device + " has nothing to break, seed " + SEED)));
            }
            String seen = String.join("\n", product.rilvan("", "service", "check", "large").output().lines().filter(line -> line.startsWith("fail")).toList()) + "\n";
            assertThat(broken).as("seed %d, failed:\n%s", SEED, seen).allMatch(each -> seen.matches("(?s).*\\b" + each.substring(0, each.indexOf(' ')) + "[ \\n].*"));
            restore(product, broken);
            assertThat(product.rilvan("", "service", "check", "large").code()).as("seed %d", SEED).isZero();
            run(product, "remove: [large]");
            assertThat(product.held()).as("seed %d", SEED).isEqualTo(before);
        }
    }

    /** Types one of the breaks that a device's managed nodes allow. */
    private static Optional<String> breakOne(Product product, String device, List<Break> breaks, Random random) throws Exception {
        List<Map.Entry<String, String>> possible = new ArrayList<>();
        for (Object each : product.get("/api/v1/devices/" + device).getArray("managed")) {
            String path = ((JsonObject) each).getString("path");
            for (Break one : breaks) {
                Matcher found = one.path().matcher(path);
                if (found.matches()) {
                    possible.add(Map.entry(path, one.typed().apply(found.toMatchResult())));
                }
            }
        }
        if (possible.isEmpty()) {
            return Optional.empty();
        }
        Map.Entry<String, String> chosen = possible.get(random.nextInt(possible.size()));
        Product.Result typed = product.rilvan(chosen.getValue(), "lab", "type", device, "-");
        assertThat(typed.code()).as(device + " " + chosen + ": " + typed.output()).isZero();
        return Optional.of(chosen.getKey());
    }

    /** Reading finds just what was broken; one order over all of it sets it again. */
    private static void restore(Product product, List<String> broken) throws Exception {
        assertThat(product.rilvan("", "device", "read", "--all").code()).isZero();
        JsonArray drift = JsonParser.array().from(product.request("GET", "/api/v1/drift", "", "application/json").body());
        assertThat(drift.stream().map(each -> ((JsonObject) each).getString("device") + " " + ((JsonObject) each).getString("path"))).containsExactlyInAnyOrderElementsOf(broken);
        run(product, JsonWriter.string(Map.of("refresh", List.of("large"), "decisions", drift.stream().map(each ->
                Map.of("device", ((JsonObject) each).getString("device"), "path", ((JsonObject) each).getString("path"), "decision", "restore")).toList())));
    }

    /** How long the checks of an order took, from the steps that it keeps. */
    private static Duration checking(JsonObject order) {
        List<OffsetDateTime> at = order.getArray("events").stream().map(JsonObject.class::cast).filter(each -> each.getString("phase").equals("CHECKS"))
                .map(each -> OffsetDateTime.parse(each.getString("at"))).toList();
        return Duration.between(at.get(0), at.get(at.size() - 1));
    }

    private static JsonObject run(Product product, String document) throws Exception {
        JsonObject answer = JsonParser.object().from(product.request("POST", "/api/v1/orders", document, "application/yaml").body());
        assertThat(answer).as(answer.toString()).containsKey("order");
        long order = answer.getLong("order");
        product.await("/api/v1/orders/" + order, "order", each -> each.getString("state").equals("DONE") || each.getString("state").equals("ROLLED_BACK"));
        JsonObject detail = product.get("/api/v1/orders/" + order);
        assertThat(detail.getObject("order").getString("state")).as(detail.getObject("order").getString("failure")).isEqualTo("DONE");
        return detail;
    }
}
