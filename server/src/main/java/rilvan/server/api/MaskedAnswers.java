package rilvan.server.api;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.springframework.core.MethodParameter;
import org.springframework.http.MediaType;
import org.springframework.http.converter.HttpMessageConverter;
import org.springframework.http.server.ServerHttpRequest;
import org.springframework.http.server.ServerHttpResponse;
import org.springframework.web.bind.annotation.ControllerAdvice;
import org.springframework.web.servlet.mvc.method.annotation.ResponseBodyAdvice;
import rilvan.server.access.Caller;
import rilvan.server.access.Callers;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ArrayNode;
import tools.jackson.databind.node.ObjectNode;
import tools.jackson.databind.node.StringNode;

/**
 * The last word on what somebody is told whose roles hold only for some tenants or sites: whatever an answer says, in a list, a refusal or an explanation, the names of other
 * tenants and of their services are not in it.
 */
@ControllerAdvice
class MaskedAnswers implements ResponseBodyAdvice<Object> {

    /** What stands in these fields is of their own services, or what they have asked for: it is told as it is, also where a site of theirs has the name of a service of somebody else. */
    private static final Set<String> THEIRS = Set.of("parameters", "clauses", "footprint", "numbers", "managed", "devices", "document", "said", "instance");

    private final Sight sight;
    private final JsonMapper mapper;

    MaskedAnswers(Sight sight, JsonMapper mapper) {
        this.sight = sight;
        this.mapper = mapper;
    }

    @Override
    public boolean supports(MethodParameter answer, Class<? extends HttpMessageConverter<?>> converter) {
        Caller caller = Callers.present();
        return !caller.grants().isEmpty() && !caller.seesAll();
    }

    @Override
    public Object beforeBodyWrite(Object body, MethodParameter answer, MediaType type, Class<? extends HttpMessageConverter<?>> converter, ServerHttpRequest request, ServerHttpResponse response) {
        NameMask mask = sight.mask(Callers.present());
        if (body == null || body instanceof String) {
            return body == null ? null : mask.learnt(body.toString());
        }
        JsonNode tree = mapper.valueToTree(body);
        List<String> texts = new ArrayList<>();
        texts(tree, texts);
        mask.learn(texts);
        return masked(tree, mask);
    }

    private static void texts(JsonNode node, List<String> texts) {
        if (node instanceof ObjectNode fields) {
            fields.properties().stream().filter(field -> !THEIRS.contains(field.getKey())).forEach(field -> texts(field.getValue(), texts));
        } else if (node.isString()) {
            texts.add(node.stringValue());
        } else {
            node.forEach(item -> texts(item, texts));
        }
    }

    /** Names of fields stay: they are ours, or devices'. */
    private static JsonNode masked(JsonNode node, NameMask mask) {
        if (node instanceof ObjectNode fields) {
            ObjectNode masked = fields.objectNode();
            fields.properties().forEach(field -> masked.set(field.getKey(), THEIRS.contains(field.getKey()) ? field.getValue() : masked(field.getValue(), mask)));
            return masked;
        }
        if (node instanceof ArrayNode items) {
            ArrayNode masked = items.arrayNode();
            items.forEach(item -> masked.add(masked(item, mask)));
            return masked;
        }
        return node.isString() ? StringNode.valueOf(mask.masked(node.stringValue())) : node;
    }
}
