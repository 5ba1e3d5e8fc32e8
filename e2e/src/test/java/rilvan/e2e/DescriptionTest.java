package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.networknt.schema.InputFormat;
import com.networknt.schema.Schema;
import com.networknt.schema.SchemaRegistry;
import com.networknt.schema.SpecificationVersion;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.concurrent.TimeUnit;
import java.util.function.BiConsumer;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ObjectNode;
import tools.jackson.dataformat.yaml.YAMLMapper;

/** The description of the interface says what is really there, so that a program can be written from it alone. */
@Timeout(value = 3, unit = TimeUnit.MINUTES)
class DescriptionTest {

    private static final JsonMapper JSON = JsonMapper.builder().build();
    /** What changes something by its address alone. */
    private static final Set<String> WITHOUT_BODY = Set.of("/api/v1/devices/{name}/readings", "/api/v1/network/checks", "/api/v1/services/{name}/checks", "/api/v1/orders/{id}/cancellation", "/api/v1/orders/{id}/agreement",
            "/api/v1/releases/{kind}/{name}/{version}/activation", "/api/v1/releases/{kind}/{name}/{version}/retirement", "/api/v1/webhooks/{name}/trials", "/api/v1/keys", "/api/v1/drafts/{name}/entries/{service}/renewal");

    /** Leads a browser to the pages of an identity provider. */
    private static final String ELSEWHERE = "get /openid/start";

    private static Product product;
    private static JsonNode description;

    @BeforeAll
    static void start() throws Exception {
        product = new Product("description", Product.ROOT.resolve("models"), Map.of());
        // Without a sign-in.
        HttpResponse<String> answer = HttpClient.newHttpClient().send(HttpRequest.newBuilder(URI.create(product.server() + "/api/v1/openapi")).build(), HttpResponse.BodyHandlers.ofString());
        assertThat(answer.statusCode()).isEqualTo(200);
        description = JSON.readTree(answer.body());
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    private static void eachOperation(BiConsumer<String, JsonNode> look) {
        description.get("paths").properties().forEach(path -> path.getValue().properties().forEach(operation -> look.accept(operation.getKey() + " " + path.getKey(), operation.getValue())));
    }

    private static void references(JsonNode node, Set<String> found) {
        if (node.isObject() && node.has("$ref")) {
            found.add(node.get("$ref").stringValue());
        }
        node.forEach(child -> references(child, found));
    }

    @Test
    void everythingIsSaidOfEachOperation() {
        List<String> ids = new ArrayList<>();
        eachOperation((name, operation) -> {
            assertThat(operation.path("summary").stringValue("")).as(name).isNotEmpty().doesNotContain("<code>");
            assertThat(operation.get("description").stringValue()).as(name).containsPattern("(Needs the role \\w+|For anybody|For whoever is signed in)");
            ids.add(operation.get("operationId").stringValue());
            boolean forAnybody = operation.get("description").stringValue().endsWith("For anybody.");
            assertThat(operation.has("security")).as(name).isNotEqualTo(forAnybody);
            JsonNode responses = operation.get("responses");
            assertThat(responses.propertyNames()).as(name).anyMatch(status -> status.startsWith(name.equals(ELSEWHERE) ? "3" : "2")).contains("422", "503");
            // What fails to be described is left out without a word.
            List.of("200", "201").stream().filter(responses::has).forEach(status -> assertThat(responses.get(status).has("content")).as(name + " " + status).isTrue());
            assertThat(responses.has("401")).as(name).isNotEqualTo(forAnybody && !name.equals("post /api/v1/tokens"));
            assertThat(responses.has("404")).as(name).isEqualTo(name.contains("{") || name.equals(ELSEWHERE));
            if (name.startsWith("post") || name.startsWith("put")) {
                assertThat(operation.has("requestBody")).as(name).isNotEqualTo(WITHOUT_BODY.contains(name.split(" ")[1]));
            }
        });
        assertThat(ids).doesNotHaveDuplicates().hasSizeGreaterThan(60);
        Set<String> references = new TreeSet<>();
        references(description, references);
        assertThat(references).allMatch(reference -> description.at(reference.substring(1)).isObject());
        assertThat(description.at("/components/securitySchemes").propertyNames()).containsExactlyInAnyOrder("token", "session");
    }

    /** What a body must have is asked for, and each that is missing is named at once. */
    @Test
    void whatIsMissingOfABodyIsNamed() {
        List<String> asked = new ArrayList<>();
        eachOperation((name, operation) -> {
            String reference = operation.at("/requestBody/content/application~1json/schema/$ref").stringValue("");
            JsonNode required = description.at(reference.isEmpty() ? "/none" : reference.substring(1)).path("required");
            if (required.isEmpty()) {
                return;
            }
            String[] endpoint = name.split(" ");
            String path = endpoint[1].replace("{id}", "1").replace("{version}", "1").replace("{kind}", "model").replace("{role}", "look").replaceAll("\\{\\w+}", "no-such-thing");
            JsonNode problem = JSON.readTree(unchecked(() -> product.request(endpoint[0].toUpperCase(java.util.Locale.ROOT), path, "{}", "application/json").body()));
            List<String> pointers = new ArrayList<>();
            problem.path("errors").forEach(error -> pointers.add(error.get("pointer").stringValue()));
            required.forEach(field -> assertThat(pointers).as(name + " " + problem).contains("/" + field.stringValue()));
            asked.add(name);
        });
        assertThat(asked).hasSizeGreaterThan(10);
    }

    private static <T> T unchecked(java.util.concurrent.Callable<T> call) {
        try {
            return call.call();
        } catch (Exception e) {
            throw new IllegalStateException(e);
        }
    }

    private static Schema schema(String name) {
        ObjectNode whole = JSON.createObjectNode();
        whole.put("$ref", "#/components/schemas/" + name);
        whole.set("components", description.get("components"));
        return SchemaRegistry.withDefaultDialect(SpecificationVersion.DRAFT_2020_12).getSchema(whole.toString(), InputFormat.JSON);
    }

    private static List<String> faults(Schema schema, JsonNode value) {
        return schema.validate(value.toString(), InputFormat.JSON).stream().map(error -> error.getInstanceLocation() + " " + error.getMessage()).toList();
    }

    /** Every order that ships is one by the description, and one of which a field is misspelt or a value of another type is none. */
    @Test
    void anOrderIsDescribedWithTheParametersOfItsModel() throws Exception {
        Schema schema = schema("OrderDocument");
        YAMLMapper yaml = YAMLMapper.builder().build();
        Map<String, JsonNode> examples = new TreeMap<>();
        try (Stream<Path> files = Files.walk(Product.ROOT.resolve("models/services"))) {
            for (Path file : files.filter(each -> each.getParent().endsWith("examples")).toList()) {
                examples.put(file.getFileName().toString(), yaml.readTree(Files.readString(file)));
            }
        }
        assertThat(examples).hasSizeGreaterThan(15).allSatisfy((name, order) -> {
            assertThat(faults(schema, order)).as(name).isEmpty();
            String text = order.toString();
            assertThat(faults(schema, JSON.readTree(text.replace("\"tenant\"", "\"tennant\"")))).as(name).isNotEmpty();
            assertThat(faults(schema, JSON.readTree(text.replaceFirst("\"parameters\":\\{\"(\\w+)\":", "\"parameters\":{\"$1x\":")))).as(name).isNotEmpty();
            assertThat(faults(schema, JSON.readTree(text.replaceFirst("\"parameters\":\\{\"(\\w+)\":", "\"parameters\":{\"$1\":7,\"x\":")))).as(name).isNotEmpty();
        });
        assertThat(faults(schema, JSON.readTree("{}"))).isNotEmpty();
        assertThat(faults(schema, JSON.readTree("{\"remove\":[\"northsound-tickets\"]}"))).isEmpty();
    }

    /**
     * {@code docs/openapi.json} is the interface as it was agreed. What would break a program needs another version of the interface; what only adds is kept with {@code -Drilvan.accept=true}.
     */
    @Test
    void aProgramOfBeforeGoesOn() throws Exception {
        Path kept = Product.ROOT.resolve("docs/openapi.json");
        ObjectNode now = InterfaceChange.withoutModels(description);
        String text = JSON.writerWithDefaultPrettyPrinter().writeValueAsString(now) + "\n";
        JsonNode before = Files.exists(kept) ? JSON.readTree(kept) : now;
        if (before.at("/info/version").equals(now.at("/info/version"))) {
            assertThat(InterfaceChange.breaks(before, now)).as("a program that was written for docs/openapi.json would break; the interface needs another version").isEmpty();
        }
        if (Boolean.getBoolean("rilvan.accept")) {
            Files.writeString(kept, text);
        }
        assertThat(text).as("the interface has more than docs/openapi.json; -Drilvan.accept=true keeps it").isEqualTo(Files.readString(kept));
    }

    /** The comparison sees what it is for. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', textBlock = """
            /paths | /api/v1/keys
            /paths/~1api~1v1~1keys | post
            /components/schemas/OrderDocument/properties | remove
            /components/schemas/DriftView/properties | found
            /components/schemas/WebhookDocument/properties | address""")
    void whatIsTakenAwayBreaksAProgram(String at, String name) {
        ObjectNode before = InterfaceChange.withoutModels(description);
        ObjectNode now = before.deepCopy();
        assertThat(((ObjectNode) now.at(at)).remove(name)).as(at + " " + now.at(at)).isNotNull();
        assertThat(InterfaceChange.breaks(before, now)).isNotEmpty();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', textBlock = """
            /components/schemas/DriftView/properties/path | type | "integer"
            /components/schemas/OrderDocument/properties/reason | type | "integer"
            /components/schemas/WebhookDocument | required | ["kinds"]
            /info | version | "1"
            """)
    void whatIsOtherwiseBreaksAProgram(String at, String name, String value) {
        ObjectNode before = InterfaceChange.withoutModels(description);
        ObjectNode now = before.deepCopy();
        ((ObjectNode) now.at(at)).set(name, JSON.readTree(value));
        assertThat(InterfaceChange.breaks(before, now).isEmpty()).as(at + " " + before.at(at)).isEqualTo(at.equals("/info"));
    }

    /** It is kept, and made anew where other models are in force. */
    @Test
    void aModelThatIsPublishedIsDescribed() throws Exception {
        String before = product.request("GET", "/api/v1/openapi", "", "application/json").body();
        assertThat(product.request("GET", "/api/v1/openapi", "", "application/json").body()).isEqualTo(before).doesNotContain("Service-guard-line-1");
        assertThat(product.rilvan("", "model", "publish", Product.ROOT.resolve("docs/walk-through/services/guard-line").toString()).code()).isZero();
        assertThat(product.request("GET", "/api/v1/openapi", "", "application/json").body()).contains("Service-guard-line-1");
    }

    /** What is answered is what the description says: names and kinds of fields, of things and of problems. */
    @Test
    void answersAreAsDescribed() throws Exception {
        product.done(Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml")));
        for (Map.Entry<String, String> each : Map.of("/api/v1/orders/1", "OrderDetail", "/api/v1/services/tidewater-clinics", "ServiceDetail", "/api/v1/devices/haven-pe1", "DeviceDetail",
                "/api/v1/tenants/Tidewater%20Clinics", "TenantView", "/api/v1/me", "Me", "/api/v1/library", "LibraryView").entrySet()) {
            JsonNode answer = JSON.readTree(product.request("GET", each.getKey(), "", "application/json").body());
            Set<String> described = new TreeSet<>(description.at("/components/schemas/" + each.getValue() + "/properties").propertyNames());
            assertThat(new TreeSet<>(answer.propertyNames())).as(each.getKey()).isEqualTo(described);
        }
        JsonNode refused = JSON.readTree(product.request("POST", "/api/v1/orders", "{\"remove\":[\"no-such\"]}", "application/json").body());
        assertThat(faults(schema("Problem"), refused)).isEmpty();
        assertThat(refused.get("type").stringValue()).isEqualTo("urn:rilvan:problem:refused");
        List<String> kinds = new ArrayList<>();
        description.at("/components/schemas/Problem/properties/type/examples").forEach(kind -> kinds.add(kind.stringValue()));
        String documentation = Files.readString(Product.ROOT.resolve("docs/rest.md"));
        assertThat(kinds).allSatisfy(kind -> assertThat(documentation).contains("`" + kind.replace("urn:rilvan:problem:", "") + "`"));
        assertThat(kinds).contains("urn:rilvan:problem:refused", "urn:rilvan:problem:not-found", "urn:rilvan:problem:preview-out-of-date").doesNotHaveDuplicates();
    }
}
