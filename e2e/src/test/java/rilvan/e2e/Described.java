package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.networknt.schema.InputFormat;
import com.networknt.schema.Schema;
import com.networknt.schema.SchemaRegistry;
import com.networknt.schema.SpecificationVersion;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.URI;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ObjectNode;

/** Holds answers against {@code docs/openapi.json}: the status, and the fields of what is answered. Whatever a test asks is held so. */
final class Described {

    private static final JsonMapper JSON = JsonMapper.builder().build();
    private static final JsonNode DESCRIPTION = read();
    /** Names before what stands for any name. */
    private static final List<String> ADDRESSES = DESCRIPTION.get("paths").propertyNames().stream().sorted(Comparator.comparing((String address) -> address.contains("{")).thenComparing(address -> address)).toList();
    private static final Map<String, Schema> SCHEMAS = new ConcurrentHashMap<>();

    private Described() {}

    private static JsonNode read() {
        try {
            return JSON.readTree(Files.readString(Product.ROOT.resolve("docs/openapi.json")));
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    /** The answer to a request, as described. */
    static <T extends HttpResponse<String>> T held(String method, URI address, T answer) {
        address(address.getRawPath()).map(template -> DESCRIPTION.get("paths").get(template).path(method.toLowerCase(java.util.Locale.ROOT)).path("responses")).filter(JsonNode::isObject).ifPresent(responses -> {
            String what = method + " " + address.getPath() + " " + answer.statusCode();
            assertThat(responses.propertyNames()).as(what).contains(Integer.toString(answer.statusCode()));
            JsonNode content = responses.get(Integer.toString(answer.statusCode())).path("content");
            String type = answer.headers().firstValue("Content-Type").orElse("").replaceFirst(";.*", "");
            if (!answer.body().isEmpty()) {
                assertThat(content.propertyNames()).as(what).contains(type);
                if (List.of("application/json", "application/problem+json").contains(type)) {
                    assertThat(schema(content.get(type).get("schema")).validate(answer.body(), InputFormat.JSON)).as(what + "\n" + answer.body()).isEmpty();
                }
            }
        });
        return answer;
    }

    private static Optional<String> address(String path) {
        return ADDRESSES.stream().filter(template -> path.matches(template.replaceAll("\\{\\w+}", "[^/]+"))).findFirst();
    }

    private static Schema schema(JsonNode schema) {
        return SCHEMAS.computeIfAbsent(schema.toString(), text -> {
            ObjectNode whole = (ObjectNode) schema.deepCopy();
            whole.set("components", DESCRIPTION.get("components"));
            return SchemaRegistry.withDefaultDialect(SpecificationVersion.DRAFT_2020_12).getSchema(whole.toString(), InputFormat.JSON);
        });
    }
}
