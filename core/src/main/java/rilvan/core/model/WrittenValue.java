package rilvan.core.model;

import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;

/** A value as people write it in a cell or behind an equals sign, read as the kind of value that a schema has. */
public final class WrittenValue {

    private WrittenValue() {}

    /** Absent where the text is no such value. A list has semicolons or line ends between its items. */
    public static Optional<Object> of(String text, Map<String, Object> schema) {
        return switch (String.valueOf(schema.getOrDefault("type", "string"))) {
            case "integer" -> text.matches("-?\\d{1,18}") ? Optional.of(whole(text)) : Optional.empty();
            case "boolean" -> truth(text);
            case "array" -> {
                List<Optional<Object>> items = Stream.of(text.split("[;\\n]")).map(String::strip).filter(item -> !item.isEmpty()).map(item -> of(item, items(schema))).toList();
                yield items.stream().allMatch(Optional::isPresent) ? Optional.of(items.stream().map(Optional::get).toList()) : Optional.empty();
            }
            default -> Optional.of(text);
        };
    }

    @SuppressWarnings("unchecked")
    private static Map<String, Object> items(Map<String, Object> schema) {
        return schema.get("items") instanceof Map ? (Map<String, Object>) schema.get("items") : Map.of();
    }

    private static Object whole(String text) {
        long number = Long.parseLong(text);
        return number == (int) number ? (Object) (int) number : (Object) number;
    }

    private static Optional<Object> truth(String text) {
        return switch (text.toLowerCase(Locale.ROOT)) {
            case "true", "yes" -> Optional.of(true);
            case "false", "no" -> Optional.of(false);
            default -> Optional.empty();
        };
    }

    /** What a value of a schema is called, for whoever wrote another one. */
    public static String kind(Map<String, Object> schema) {
        return switch (String.valueOf(schema.get("type"))) {
            case "integer" -> "whole number";
            case "boolean" -> "yes or no";
            default -> "list of such, with semicolons between";
        };
    }
}
