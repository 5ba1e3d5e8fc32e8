package rilvan.core.model;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.stream.Collectors;
import rilvan.core.document.Document;
import rilvan.core.document.Secret;

/**
 * A service as people who use it read it: its parameters by their titles, a section for each item of a list that is at devices, such as a site. What is left at its default is not there; secrets are out of
 * sight.
 */
public record ServiceSheet(List<Section> sections) {

    /**
     * @param title of what it is about: the list and the item's name; empty for the service as a whole
     * @param name of the item; empty for the service as a whole
     */
    public record Section(String title, String name, List<Line> lines) {}

    /** A value and what it is. */
    public record Line(String label, String value) {}

    /** @param parameters of a service of the model, valid */
    public static ServiceSheet of(ServiceModel model, Map<String, Object> parameters) {
        Map<String, Object> schema = model.parameters().written();
        Map<String, Object> properties = Document.fields(schema.get("properties"));
        Map<String, Map<String, Object>> placed = Parameters.placed(schema);
        Map<String, Object> shown = Secret.masked(parameters);
        List<Section> sections = new ArrayList<>();
        List<Line> whole = new ArrayList<>();
        properties.forEach((field, property) -> {
            if (!placed.containsKey(field)) {
                lines("", title(field, property), shown.get(field), Document.fields(property), whole);
            }
        });
        if (!whole.isEmpty()) {
            sections.add(new Section("", "", whole));
        }
        placed.forEach((field, items) -> ((List<?>) Objects.requireNonNullElse(shown.get(field), List.of())).forEach(item -> {
            List<Line> lines = new ArrayList<>();
            Map<String, Object> fields = Document.fields(item);
            Document.fields(items.get("properties")).forEach((name, property) -> {
                if (!name.equals("name")) {
                    lines("", title(name, property), fields.get(name), Document.fields(property), lines);
                }
            });
            String name = String.valueOf(fields.getOrDefault("name", ""));
            sections.add(new Section(title(field, properties.get(field)), name, lines));
        }));
        return new ServiceSheet(sections);
    }

    private static String title(String field, Object property) {
        return String.valueOf(Document.fields(property).getOrDefault("title", field));
    }

    private static void lines(String before, String label, Object value, Map<String, Object> schema, List<Line> lines) {
        if (value == null || value.equals(schema.get("default")) || value.equals("") || value.equals(0L) || value.equals(false) || value.equals(List.of()) || value.equals(Map.of())) {
            return;
        }
        if (value instanceof Map<?, ?> fields) {
            Document.fields(schema.get("properties")).forEach((name, property) -> lines(before + label + ": ", title(name, property), fields.get(name), Document.fields(property), lines));
        } else if (value instanceof List<?> items) {
            lines.add(new Line(before + label, items.stream().map(ServiceSheet::written).collect(Collectors.joining(", "))));
        } else {
            lines.add(new Line(before + label, written(value)));
        }
    }

    private static String written(Object value) {
        return value instanceof Map<?, ?> fields ? fields.values().stream().filter(each -> !"".equals(each)).map(ServiceSheet::written).collect(Collectors.joining(" "))
                : value instanceof List<?> items ? items.stream().map(ServiceSheet::written).collect(Collectors.joining(", ")) : value.equals(true) ? "yes" : String.valueOf(value);
    }
}
