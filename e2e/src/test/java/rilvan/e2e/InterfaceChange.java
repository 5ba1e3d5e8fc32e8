package rilvan.e2e;

import java.io.ByteArrayOutputStream;
import java.io.OutputStreamWriter;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import org.openapitools.openapidiff.core.OpenApiCompare;
import org.openapitools.openapidiff.core.model.ChangedOpenApi;
import org.openapitools.openapidiff.core.output.MarkdownRender;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ArrayNode;
import tools.jackson.databind.node.ObjectNode;

/** Whether a program that was written for one description of the interface goes on with another one. */
final class InterfaceChange {

    private static final JsonMapper JSON = JsonMapper.builder().build();

    private InterfaceChange() {}

    /** The description without what the models in force add to it, which have versions of their own. */
    static ObjectNode withoutModels(JsonNode description) {
        ObjectNode without = (ObjectNode) description.deepCopy();
        ObjectNode schemas = (ObjectNode) without.at("/components/schemas");
        schemas.remove(new ArrayList<>(schemas.propertyNames()).stream().filter(name -> name.matches("(Parameters|Service)-.*-\\d+")).toList());
        ((ObjectNode) schemas.get("ServiceDocument")).remove("anyOf");
        return without;
    }

    /** What would break a program, a sentence each; empty where nothing would. */
    static List<String> breaks(JsonNode before, JsonNode now) {
        List<String> breaks = new ArrayList<>();
        // A field that is not always there may be relied upon all the same, and one that is sent and not known is refused.
        before.at("/components/schemas").properties().forEach(schema -> schema.getValue().path("properties").propertyNames().forEach(field -> {
            if (!now.at("/components/schemas").path(schema.getKey()).path("properties").has(field)) {
                breaks.add(schema.getKey() + " has no field " + field + " any more");
            }
        }));
        ChangedOpenApi change = OpenApiCompare.fromContents(inEarlierForm(before).toString(), inEarlierForm(now).toString());
        if (change.isIncompatible()) {
            ByteArrayOutputStream told = new ByteArrayOutputStream();
            new MarkdownRender().render(change, new OutputStreamWriter(told, StandardCharsets.UTF_8));
            breaks.add(told.toString(StandardCharsets.UTF_8));
        }
        return breaks;
    }

    /** As OpenAPI 3.0 has it, since the comparison does not see types as 3.1 writes them. */
    private static JsonNode inEarlierForm(JsonNode description) {
        ObjectNode earlier = (ObjectNode) description.deepCopy();
        earlier.put("openapi", "3.0.3");
        typed(earlier);
        return earlier;
    }

    private static void typed(JsonNode node) {
        if (node instanceof ObjectNode object) {
            if (object.get("type") instanceof ArrayNode types) {
                List<JsonNode> kinds = new ArrayList<>();
                types.forEach(kinds::add);
                if (kinds.removeIf(type -> type.stringValue().equals("null"))) {
                    object.put("nullable", true);
                }
                object.set("type", kinds.get(0));
            }
            if (object.has("const") && !object.get("const").isObject()) {
                object.set("enum", JSON.createArrayNode().add(object.remove("const")));
            }
        }
        node.forEach(InterfaceChange::typed);
    }
}
