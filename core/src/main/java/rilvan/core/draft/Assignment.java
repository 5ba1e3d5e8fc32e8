package rilvan.core.draft;

import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import rilvan.core.document.Document;
import rilvan.core.document.KnownNames;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.WrittenValue;

/**
 * One value that somebody sets among the parameters of a service.
 *
 * @param at the parameter: names with {@code /} between, an item of a list by its own name, such as {@code sites/haven/rate}
 * @param text the value as people write it; empty where the parameter is to go
 */
public record Assignment(String at, String text) {

    /**
     * The parameters with this value among them.
     *
     * @param schema of the parameters
     * @throws ValidationFailure where there is no such parameter, or the text is no value of it
     */
    public Map<String, Object> in(Map<String, Object> parameters, Map<String, Object> schema) {
        Map<String, Object> kind = kind(List.of(at.split("/")), Optional.of(parameters), schema);
        Optional<Object> value = text.isEmpty() ? Optional.empty()
                : Optional.of(WrittenValue.of(text, kind).orElseThrow(() -> refused("'" + text + "' is no " + WrittenValue.kind(kind))));
        return new Changes(List.of(new ValueChange(at, Optional.empty(), value))).appliedTo(parameters);
    }

    /** The schema of the value that some steps lead to. */
    private Map<String, Object> kind(List<String> steps, Optional<Object> there, Map<String, Object> schema) {
        Map<String, Object> properties = Document.fields(schema.get("properties"));
        Map<String, Object> items = Document.fields(schema.get("items"));
        if (steps.isEmpty()) {
            if (!properties.isEmpty() || items.containsKey("properties")) {
                throw refused("is not one value; " + (properties.isEmpty() ? "name one of its items, and a field of that" : "name one of its fields: " + String.join(", ", properties.keySet())));
            }
            return schema;
        }
        String step = steps.get(0);
        List<String> rest = steps.subList(1, steps.size());
        if (!properties.isEmpty()) {
            if (!properties.containsKey(step)) {
                throw refused("there is no parameter '" + step + "'; " + KnownNames.instead(step, properties.keySet()));
            }
            return kind(rest, there.map(Document::fields).map(fields -> fields.get(step)), Document.fields(properties.get(step)));
        }
        if (!items.containsKey("properties")) {
            throw refused("'" + step + "' leads nowhere: what is before it is one value");
        }
        List<?> present = there.filter(List.class::isInstance).map(List.class::cast).orElse(List.of());
        List<String> names = present.stream().map(item -> Document.fields(item).get("name")).filter(Objects::nonNull).map(String::valueOf).toList();
        if (!names.contains(step)) {
            throw refused("there is no item named '" + step + "'; " + (names.isEmpty() ? "the list has no names" : KnownNames.instead(step, names)));
        }
        return kind(rest, Optional.of(present.get(names.indexOf(step))), items);
    }

    private ValidationFailure refused(String why) {
        return new ValidationFailure("/values/" + at.replace("~", "~0").replace("/", "~1"), why);
    }
}
