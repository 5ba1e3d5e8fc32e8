package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.Predicate;
import java.util.stream.LongStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import rilvan.e2e.Product.Result;

/** One stream over everything that happens, through whatever instance it happens: nothing is missed, nothing is told twice, and nobody is told what is not theirs. */
@Timeout(value = 3, unit = TimeUnit.MINUTES)
class EventsTest {

    private static final String SENTENCE = "the ferry leaves at seven";
    private static Product product;
    private static String second;
    private final HttpClient http = HttpClient.newHttpClient();

    @BeforeAll
    static void start() throws Exception {
        product = new Product("events", Product.ROOT.resolve("models"), Map.of());
        second = product.launch(2);
        while (!product.isReady(second)) {
            TimeUnit.MILLISECONDS.sleep(100);
        }
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    private static String example(String name) throws Exception {
        return Files.readString(Product.ROOT.resolve("models/services/" + name + ".yaml"));
    }

    private static String rilvan(String... words) throws Exception {
        Result result = product.rilvan(SENTENCE, words);
        assertThat(result.code()).as(result.output()).isZero();
        return result.output();
    }

    private HttpRequest.Builder request(String instance, String token, String path) {
        return HttpRequest.newBuilder(URI.create(instance + path)).header("Authorization", "Bearer " + token);
    }

    /** Follows until an event that is looked for; gives all that was heard, as CloudEvents. */
    private CompletableFuture<List<JsonObject>> follow(String instance, String token, String query, String lastId, Predicate<JsonObject> until) {
        HttpRequest.Builder request = request(instance, token, "/api/v1/events/stream" + query).header("Accept", "text/event-stream");
        if (!lastId.isEmpty()) {
            request.header("Last-Event-ID", lastId);
        }
        HttpResponse<Stream<String>> response = http.sendAsync(request.build(), HttpResponse.BodyHandlers.ofLines()).join();
        assertThat(response.statusCode()).isEqualTo(200);
        return CompletableFuture.supplyAsync(() -> {
            List<JsonObject> heard = new ArrayList<>();
            try (Stream<String> lines = response.body()) {
                lines.filter(line -> line.startsWith("data:")).map(line -> parsed(line.substring(5))).peek(heard::add).anyMatch(until);
            }
            return heard;
        });
    }

    private static JsonObject parsed(String text) {
        try {
            return JsonParser.object().from(text);
        } catch (com.grack.nanojson.JsonParserException e) {
            throw new IllegalStateException(text, e);
        }
    }

    private JsonArray list(String instance, String token, String query) throws Exception {
        HttpResponse<String> answer = http.send(request(instance, token, "/api/v1/events" + query).build(), HttpResponse.BodyHandlers.ofString());
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
        return JsonParser.array().from(answer.body());
    }

    private static List<String> types(List<?> events) {
        return events.stream().map(event -> ((JsonObject) event).getString("type")).toList();
    }

    private static Predicate<JsonObject> ends(String order) {
        return event -> event.getString("type").equals("rilvan.order.ended") && event.getObject("data").getString("reason").equals(order);
    }

    @Test
    void whoeverFollowsHearsEachEventOnceThroughAnyInstance() throws Exception {
        String from = last();
        String order = example("l3vpn/examples/tidewater-clinics");
        CompletableFuture<List<JsonObject>> one = follow(product.server(), product.token(), "", from, ends("they are no customers any more"));
        CompletableFuture<List<JsonObject>> two = follow(second, product.token(), "", from, ends("they are no customers any more"));
        product.done(order);
        assertThat(product.rilvan("", "lab", "refuse", "haven-pe1", "commit").code()).isZero();
        long refused = product.place(order.replace("reason: ", "reason: refused ").replace("tag: 110", "tag: 111"));
        assertThat(product.follow(product.server(), refused).toString()).contains("ROLLED_BACK");
        product.done("reason: they are no customers any more\nremove: [tidewater-clinics]");
        List<JsonObject> heard = one.get(30, TimeUnit.SECONDS);
        assertThat(two.get(30, TimeUnit.SECONDS)).isEqualTo(heard);
        assertThat(types(heard)).containsSubsequence("rilvan.order.placed", "rilvan.order.begun", "rilvan.service.added", "rilvan.order.ended", "rilvan.order.placed", "rilvan.order.rolling-back", "rilvan.order.ended",
                "rilvan.order.placed", "rilvan.service.removed", "rilvan.order.ended");
        assertThat(heard.stream().map(event -> Long.parseLong(event.getString("id"))))
                .containsExactlyElementsOf(LongStream.rangeClosed(Long.parseLong(from) + 1, Long.parseLong(from) + heard.size()).boxed().toList());
        // Whoever was away goes on behind what they have heard, as a list or as a stream.
        String middle = heard.get(heard.size() / 2).getString("id");
        assertThat(follow(second, product.token(), "", middle, ends("they are no customers any more")).get(30, TimeUnit.SECONDS)).isEqualTo(heard.subList(heard.size() / 2 + 1, heard.size()));
        assertThat(list(second, product.token(), "?after=" + from + "&limit=500")).startsWith(heard.toArray());
        assertThat(types(list(second, product.token(), "?after=" + from + "&kind=service&service=tidewater-clinics"))).containsExactly("rilvan.service.added", "rilvan.service.removed");
        assertThat(rilvan("events", "list", "--after", from, "--kind", "order.ended")).contains("order.ended", "state rolled back");
    }

    private String last() throws Exception {
        AtomicReference<String> last = new AtomicReference<>("0");
        JsonArray page;
        do {
            page = list(product.server(), product.token(), "?limit=500&after=" + last);
            page.forEach(event -> last.set(((JsonObject) event).getString("id")));
        } while (!page.isEmpty());
        return last.get();
    }

    @Test
    void driftHealthTenantsAndTheLibraryAreToldOf() throws Exception {
        product.done(example("l2vpn/examples/kelp-works-wire"));
        String from = last();
        rilvan("tenant", "add", "Salt & Sons", "--contact", "office");
        rilvan("tenant", "rename", "Salt & Sons", "Salt and Daughters");
        rilvan("tenant", "remove", "Salt and Daughters");
        product.typed("haven-pe1", "<ports xmlns=\"urn:quern:ports\"><port><name>access-2</name><circuit><id>400</id><mtu>1400</mtu></circuit></port></ports>");
        rilvan("device", "read", "haven-pe1");
        List<JsonObject> found = follow(second, product.token(), "?kind=drift", from, event -> true).get(30, TimeUnit.SECONDS);
        assertThat(found.get(0).getString("subject")).isEqualTo("device/haven-pe1");
        product.done("reason: as it was\nremove: [kelp-works-wire]\ndecisions: [{ device: haven-pe1, path: '" + found.get(0).getObject("data").getString("path") + "', decision: restore }]");
        assertThat(types(follow(second, product.token(), "?kind=drift", from, event -> event.getString("type").endsWith("settled")).get(30, TimeUnit.SECONDS))).containsExactly("rilvan.drift.found", "rilvan.drift.settled");
        List<String> types = types(list(product.server(), product.token(), "?limit=500&after=" + from));
        assertThat(types).containsSubsequence("rilvan.tenant.added", "rilvan.tenant.renamed", "rilvan.tenant.removed", "rilvan.drift.found", "rilvan.drift.settled");
        assertThat(types(list(product.server(), product.token(), "?kind=library&limit=500"))).contains("rilvan.library.published");
    }

    @Test
    void whoIsLimitedHearsOfTheirOwnAndTheStreamEndsWithTheirToken() throws Exception {
        rilvan("people", "add", "erin", "--roles", "look", "--tenant", "Gannet Cold Stores", "--password-file", "-");
        String from = last();
        HttpResponse<String> signIn = http.send(HttpRequest.newBuilder(URI.create(product.server() + "/api/v1/tokens")).header("Content-Type", "application/json")
                .POST(HttpRequest.BodyPublishers.ofString("{\"user\":\"erin\",\"password\":\"" + SENTENCE + "\"}")).build(), HttpResponse.BodyHandlers.ofString());
        String token = JsonParser.object().from(signIn.body()).getString("token");
        CompletableFuture<List<JsonObject>> heard = follow(product.server(), token, "", from, event -> false);
        product.done(example("l3vpn/examples/northsound-ferries"));
        product.done(example("l3vpn/examples/gannet-cold-stores"));
        List<JsonObject> own = follow(second, token, "", from, ends("Gannet Cold Stores watch their freezers from Haven")).get(30, TimeUnit.SECONDS);
        assertThat(own.toString()).contains("gannet-cold-stores").doesNotContain("northsound", "Northsound", "ferries");
        assertThat(list(second, token, "?after=" + from)).containsExactlyElementsOf(own);
        assertThat(types(own)).contains("rilvan.service.added", "rilvan.order.ended");
        // What may no longer be done ends what is under way.
        rilvan("people", "change", "erin", "--no-active");
        assertThat(heard.get(40, TimeUnit.SECONDS)).isEqualTo(own);
    }

    @Test
    void whatIsAskedForWrongIsRefused() throws Exception {
        Map<String, String> wrong = Map.of("?kind=orders", "there are no events 'orders'; the nearest is order", "?limit=0", "must be from 1 to 500", "?after=x", "after", "?service=a&colour=red", "colour");
        for (Map.Entry<String, String> each : wrong.entrySet()) {
            HttpResponse<String> answer = http.send(request(product.server(), product.token(), "/api/v1/events" + each.getKey()).build(), HttpResponse.BodyHandlers.ofString());
            assertThat(answer.statusCode()).as(each.getKey()).isBetween(400, 422);
            assertThat(answer.body()).contains(each.getValue());
        }
        assertThat(http.send(request(product.server(), product.token(), "/api/v1/events/stream").header("Last-Event-ID", "the last").build(), HttpResponse.BodyHandlers.ofString()).body()).contains("it must be the id of an event");
    }
}
