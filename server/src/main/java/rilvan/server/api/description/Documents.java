package rilvan.server.api.description;

import io.swagger.v3.core.util.Json31;
import io.swagger.v3.oas.models.media.JsonSchema;
import io.swagger.v3.oas.models.media.Schema;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SortedMap;
import org.springframework.core.io.ClassPathResource;
import rilvan.core.document.Document;
import rilvan.core.model.ServiceModel;

/** The schemas of documents: those that are the same everywhere, and one for each version of each model, with its own parameters. */
final class Documents {

    private static final String REFERENCE = "#/components/schemas/";

    private Documents() {}

    static Map<String, Schema<?>> schemas(Map<String, ? extends SortedMap<Integer, ServiceModel>> models) {
        Map<String, Schema<?>> schemas = new LinkedHashMap<>();
        fixed().forEach((name, schema) -> schemas.put(name, schema(schema)));
        List<Map<String, Object>> kinds = new ArrayList<>();
        models.forEach((name, versions) -> versions.forEach((version, model) -> {
            String parameters = "Parameters-" + name + "-" + version;
            schemas.put(parameters, schema(model.parameters().described()));
            schemas.put("Service-" + name + "-" + version, schema(service(model, parameters, version.equals(versions.lastKey()))));
            kinds.add(Map.of("$ref", REFERENCE + "Service-" + name + "-" + version));
        }));
        schemas.put("ServiceDocument", schema(Map.of("description", "A service as it should be; its parameters are those of its model. A service that stands stays on its version, and a new one is of the latest, where none is said.", "anyOf", kinds)));
        return schemas;
    }

    private static Map<String, Object> service(ServiceModel model, String parameters, boolean latest) {
        Map<String, Object> properties = new LinkedHashMap<>();
        properties.put("name", Map.of("$ref", REFERENCE + "ServiceName"));
        properties.put("renamed_from", Map.of("$ref", REFERENCE + "ServiceName"));
        properties.put("tenant", Map.of("type", "string", "description", "Whom it is for"));
        properties.put("model", Map.of("const", model.name()));
        properties.put("version", Map.of("const", model.version()));
        properties.put("parameters", Map.of("$ref", REFERENCE + parameters));
        properties.put("customers_to_follow", Map.of("type", "array", "items", Map.of("$ref", REFERENCE + "End"), "description", "Ports where the customer's router is still to be changed"));
        return Map.of("type", "object", "title", model.title() + ", version " + model.version(), "additionalProperties", false,
                "required", latest ? List.of("name", "tenant", "model", "parameters") : List.of("name", "tenant", "model", "version", "parameters"), "properties", properties);
    }

    @SuppressWarnings("unchecked")
    private static Map<String, Map<String, Object>> fixed() {
        try {
            return (Map<String, Map<String, Object>>) Document.read(new ClassPathResource("documents.yaml").getContentAsString(StandardCharsets.UTF_8)).value();
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private static Schema<?> schema(Map<String, Object> text) {
        return Json31.mapper().convertValue(text, JsonSchema.class);
    }
}
