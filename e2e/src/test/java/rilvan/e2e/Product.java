package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import java.util.stream.Collectors;

/** The running product: store, lab and service as a user starts them, and the ways in that a user has. */
final class Product implements AutoCloseable {

    static final Path ROOT = Path.of("..").toAbsolutePath().normalize();

    /** Between two requests for a state that a test waits for, so that they do not slow down what it waits for. */
    static final int BETWEEN_LOOKS_MILLIS = 20;

    private final Script script;
    private final HttpClient http = HttpClient.newHttpClient();
    private final String server;
    private final String lab;
    private final Path run;
    private final String token;

    /** What a command did. */
    record Result(int code, String output) {}

    Product() throws IOException, InterruptedException, JsonParserException {
        this("e2e", ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_SETTLE_TIME", "300ms"));
    }

    /**
     * @param name of the folder that this run keeps its files in
     * @param models folder of models, dialects and the network that is played
     * @param settings further settings of the service, as environment variables
     */
    Product(String name, Path models, Map<String, String> settings) throws IOException, InterruptedException, JsonParserException {
        if (!models.startsWith(ROOT)) {
            // The lab and the service run as a user of their own, who must get into the folder that a test has made.
            Files.setPosixFilePermissions(models.getParent(), PosixFilePermissions.fromString("rwxr-xr-x"));
        }
        ProcessBuilder builder = new ProcessBuilder(ROOT.resolve("e2e/product.sh").toString());
        builder.environment().put("RILVAN_PACKAGED", "yes");
        builder.environment().put("RUN_NAME", name);
        builder.environment().put("MODELS", models.toString());
        builder.environment().putAll(settings);
        script = new Script(builder);
        String[] ready = script.lineThatStartsWith("ready ").split(" ");
        server = ready[1];
        lab = ready[2];
        run = Path.of(ready[3]);
        String signIn = JsonWriter.string().object().value("user", "engineer").value("password", password()).end().done();
        token = JsonParser.object().from(request("POST", "/api/v1/tokens", signIn, "application/json").body()).getString("token");
    }

    String server() {
        return server;
    }

    /** The folder that it keeps its files in. */
    Path run() {
        return run;
    }

    String password() throws IOException {
        return Files.readString(run.resolve("engineer.password")).strip();
    }

    /** Launches a further instance of the service on the same store; it is not ready yet. */
    String launch(int number) throws IOException {
        script.say("launch " + number);
        String instance = script.lineThatStartsWith("instance ").split(" ")[1];
        script.lineThatStartsWith("done ");
        return instance;
    }

    /** The last order that a former primary of the store has. */
    long formerHas() throws IOException {
        script.say("former_has");
        long order = Long.parseLong(script.lineThatStartsWith("former ").split(" ")[1]);
        script.lineThatStartsWith("done ");
        return order;
    }

    boolean isReady(String instance) throws InterruptedException {
        try {
            return request(instance, "GET", "/api/v1/orders?limit=1", "", "application/json").statusCode() == 200;
        } catch (IOException e) {
            return false;
        }
    }

    /** Runs a function of the start scripts, such as {@code cut_service}. */
    void script(String function) throws IOException {
        script.run(function);
    }

    /** The command line, as a person at a terminal has it. */
    Result rilvan(String input, String... arguments) throws IOException, InterruptedException {
        return rilvanAt(server, Map.of(), input, arguments);
    }

    /** The same at another address of the service. */
    Result rilvanAt(String address, String input, String... arguments) throws IOException, InterruptedException {
        return rilvanAt(address, Map.of("RILVAN_TOKEN", token), input, arguments);
    }

    /** The same as somebody else, with variables of their environment. */
    Result rilvanAs(String theirToken, Map<String, String> variables, String input, String... arguments) throws IOException, InterruptedException {
        Map<String, String> more = new HashMap<>(variables);
        more.put("RILVAN_TOKEN", theirToken);
        return rilvanAt(server, more, input, arguments);
    }

    private Result rilvanAt(String address, Map<String, String> more, String input, String... arguments) throws IOException, InterruptedException {
        List<String> command = new ArrayList<>(List.of(ROOT.resolve("rilvan").toString()));
        command.addAll(List.of(arguments));
        return run(command, address, more, input);
    }

    /** Commands as they are entered in a shell, at the root of the project; whoever has no token is the engineer. */
    Result shell(String theirToken, String commands) throws IOException, InterruptedException {
        return run(List.of("bash", "-c", commands), server, theirToken == null ? Map.of() : Map.of("RILVAN_TOKEN", theirToken), "");
    }

    private Result run(List<String> command, String address, Map<String, String> more, String input) throws IOException, InterruptedException {
        ProcessBuilder builder = new ProcessBuilder(command).redirectErrorStream(true).directory(ROOT.toFile());
        builder.environment().put("ROOT", ROOT.toString());
        builder.environment().put("RILVAN_SERVER", address);
        builder.environment().putAll(more);
        builder.environment().put("RILVAN_LAB", lab);
        builder.environment().put("RILVAN_SESSION", run.resolve("session").toString());
        Process rilvan = builder.start();
        rilvan.getOutputStream().write(input.getBytes(StandardCharsets.UTF_8));
        rilvan.getOutputStream().close();
        String output = new String(rilvan.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        return new Result(rilvan.waitFor(), output);
    }

    /** An order that is shipped with a model, such as {@code l3vpn/examples/tidewater-clinics}. */
    static String example(String name) {
        try {
            return Files.readString(ROOT.resolve("models/services/" + name + ".yaml"));
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    /** The version of a model that is shipped. */
    static String version(String model) throws IOException {
        return Files.readString(ROOT.resolve("models/services/" + model + "/model.yaml")).replaceFirst("(?s).*?\nversion: (\\d+)\n.*", "$1");
    }

    /** Of whoever may do everything. */
    String token() {
        return token;
    }

    HttpResponse<String> request(String method, String path, String body, String type) throws IOException, InterruptedException {
        return request(server, method, path, body, type);
    }

    /** Posts a document with an idempotency key. */
    HttpResponse<String> requestWithKey(String key, String path, String body) throws IOException, InterruptedException {
        return requestWithKey(server, key, path, body);
    }

    HttpResponse<String> requestWithKey(String instance, String key, String path, String body) throws IOException, InterruptedException {
        return requestWithKey(instance, key, path, body, "application/yaml");
    }

    HttpResponse<String> requestWithKey(String instance, String key, String path, String body, String type) throws IOException, InterruptedException {
        return Described.held("POST", URI.create(path), http.send(HttpRequest.newBuilder(URI.create(instance + path)).timeout(Duration.ofSeconds(20)).header("Content-Type", type)
                .header("Authorization", "Bearer " + token).header("Idempotency-Key", key).POST(HttpRequest.BodyPublishers.ofString(body)).build(),
                HttpResponse.BodyHandlers.ofString()));
    }

    HttpResponse<String> request(String instance, String method, String path, String body, String type) throws IOException, InterruptedException {
        return request(instance, method, path, body, type, Duration.ofSeconds(20));
    }

    /** What may take its time. */
    HttpResponse<String> request(String method, String path, String body, String type, Duration patience) throws IOException, InterruptedException {
        return request(server, method, path, body, type, patience);
    }

    private HttpResponse<String> request(String instance, String method, String path, String body, String type, Duration patience) throws IOException, InterruptedException {
        HttpRequest.Builder request = HttpRequest.newBuilder(URI.create(instance + path)).timeout(patience).header("Content-Type", type)
                .method(method, HttpRequest.BodyPublishers.ofString(body));
        if (token != null) {
            request.header("Authorization", "Bearer " + token);
        }
        return Described.held(method, URI.create(path), http.send(request.build(), HttpResponse.BodyHandlers.ofString()));
    }

    /** Follows an order through an instance until its stream of events ends; the lines of the stream. */
    List<String> follow(String instance, long order) throws IOException, InterruptedException {
        HttpRequest request = HttpRequest.newBuilder(URI.create(instance + "/api/v1/orders/" + order + "/events")).header("Authorization", "Bearer " + token).build();
        return http.send(request, HttpResponse.BodyHandlers.ofLines()).body().toList();
    }

    JsonObject get(String path) throws IOException, InterruptedException, JsonParserException {
        return JsonParser.object().from(request("GET", path, "", "application/json").body());
    }

    /** The network document that the service was started with. */
    String network() throws IOException {
        return Files.readString(run.resolve("network.yaml"));
    }

    /** What a device really holds, asked past the service. */
    String running(String device) throws IOException, InterruptedException {
        return http.send(HttpRequest.newBuilder(URI.create(lab + "/devices/" + device + "/running")).build(),
                HttpResponse.BodyHandlers.ofString()).body();
    }

    /** Arms a fault on a device of the lab. */
    void fault(String device, String fault) throws IOException, InterruptedException {
        HttpResponse<String> answer = http.send(HttpRequest.newBuilder(URI.create(lab + "/devices/" + device + "/faults"))
                .POST(HttpRequest.BodyPublishers.ofString(fault)).build(), HttpResponse.BodyHandlers.ofString());
        if (answer.statusCode() >= 300) {
            throw new IOException(answer.body());
        }
    }

    /** Places an order that must be taken in; it may wait. */
    long place(String document) throws Exception {
        HttpResponse<String> answer = request("POST", "/api/v1/orders", document, "application/yaml");
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(202);
        return JsonParser.object().from(answer.body()).getLong("order");
    }

    /** Places an order and waits for its end; tells it with its checks. */
    JsonObject placed(String document) throws Exception {
        String order = "/api/v1/orders/" + place(document);
        await(order, "order", each -> each.getString("state").equals("DONE") || each.getString("state").equals("ROLLED_BACK"));
        return get(order);
    }

    /** The state of an order as an instance tells it; empty where it cannot just now, such as without a store. */
    String state(String instance, long order) throws Exception {
        JsonObject answer = JsonParser.object().from(request(instance, "GET", "/api/v1/orders/" + order, "", "application/json").body());
        return answer.has("order") ? answer.getObject("order").getString("state") : "";
    }

    /** Waits for the end of an order, also through a time in which nothing can be told of it; its last state. */
    String ended(long order) throws Exception {
        while (true) {
            String state = state(server, order);
            if (state.equals("DONE") || state.equals("ROLLED_BACK")) {
                return state;
            }
            TimeUnit.MILLISECONDS.sleep(BETWEEN_LOOKS_MILLIS);
        }
    }

    /** Places an order that must be done. */
    void done(String document) throws Exception {
        JsonObject order = placed(document).getObject("order");
        assertThat(order.getString("state")).as(order.getString("failure")).isEqualTo("DONE");
    }

    /** The number of the latest order. */
    long latestOrder() throws Exception {
        return ((JsonObject) JsonParser.array().from(request("GET", "/api/v1/orders?limit=1", "", "application/json").body()).get(0)).getLong("id");
    }

    /** Removes whatever services stand, in one order that must be done. */
    void removeAll() throws Exception {
        JsonArray services = JsonParser.array().from(request("GET", "/api/v1/services", "", "application/json").body());
        if (!services.isEmpty()) {
            done("{remove: [" + services.stream().map(each -> ((JsonObject) each).getString("name")).collect(Collectors.joining(", ")) + "]}");
        }
    }

    /** The service is killed, and started again. */
    void killed() throws IOException {
        script("cut_service");
        script("start_service");
    }

    /** Somebody changes a device directly. */
    void typed(String device, String text) throws Exception {
        assertThat(rilvan(text, "lab", "type", device, "-").code()).as(text).isZero();
    }

    JsonArray drift() throws Exception {
        return JsonParser.array().from(request("GET", "/api/v1/drift", "", "application/json").body());
    }

    /** A number that a service holds, as it is written. */
    String number(String service, String key) throws Exception {
        return get("/api/v1/services/" + service).getArray("numbers").stream().map(JsonObject.class::cast).filter(each -> each.getString("key").equals(key))
                .findFirst().orElseThrow().getString("written");
    }

    /** What every device holds, by name. */
    Map<String, String> held() throws IOException, InterruptedException, JsonParserException {
        Map<String, String> held = new TreeMap<>();
        for (Object device : JsonParser.array().from(request("GET", "/api/v1/devices", "", "application/json").body())) {
            String name = ((JsonObject) device).getString("name");
            held.put(name, running(name));
        }
        return held;
    }

    /** Gets something from an instance that a test chooses. */
    interface Source {
        String body(String path) throws Exception;
    }

    /** No act is missing or other than it was sealed, whatever was killed; and each order that has ended has one act that says so. */
    static void assertThatTheLogOfActsIsWhole(Source from) throws Exception {
        JsonObject verified = JsonParser.object().from(from.body("/api/v1/acts/verification"));
        assertThat(verified.getArray("problems")).isEmpty();
        assertThat(verified.getLong("last")).isPositive();
        for (Object order : JsonParser.array().from(from.body("/api/v1/orders?limit=100"))) {
            long id = ((JsonObject) order).getLong("id");
            assertThat(JsonParser.array().from(from.body("/api/v1/acts?act=end%20order&about=order%20" + id))).as("order " + id).hasSize(1);
        }
    }

    /** Asks again and again until the answer is as wanted; the test's own time limit ends what never comes. */
    void await(String path, String field, java.util.function.Predicate<JsonObject> wanted) throws Exception {
        await(path, answer -> wanted.test(answer.getObject(field)));
    }

    void await(String path, java.util.function.Predicate<JsonObject> wanted) throws Exception {
        while (!wanted.test(get(path))) {
            TimeUnit.MILLISECONDS.sleep(BETWEEN_LOOKS_MILLIS);
        }
    }

    void awaitList(String path, java.util.function.Predicate<JsonArray> wanted) throws Exception {
        while (!wanted.test(JsonParser.array().from(request("GET", path, "", "application/json").body()))) {
            TimeUnit.MILLISECONDS.sleep(BETWEEN_LOOKS_MILLIS);
        }
    }

    @Override
    public void close() throws IOException, InterruptedException {
        script.close();
    }
}
