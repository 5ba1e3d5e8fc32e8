package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.time.OffsetDateTime;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Collectors;

/** Small pieces of text: lists, addresses, times. */
final class Texts {

    private static final DateTimeFormatter TIME = DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm:ss", Locale.ROOT);

    private Texts() {}

    /** A constant of the interface as people read it. */
    static String words(String constant) {
        return constant.toLowerCase(Locale.ROOT).replace('_', ' ');
    }

    static String join(JsonArray items) {
        return String.join(", ", items.stream().map(Object::toString).toList());
    }

    /** A managed node that a device has otherwise than it was ordered. */
    static String drifted(JsonObject node) {
        String ordered = node.isNull("ordered") ? "; it was not ordered" : node.getString("ordered").isEmpty() ? "" : "; ordered: '" + node.getString("ordered") + "'";
        return node.getString("device") + " " + node.getString("path") + (node.isNull("found") ? " is gone" : node.getString("found").isEmpty() ? " is there" : " is '" + node.getString("found") + "'")
                + ordered + (node.isNull("ordered") ? ", in what is of " : " for ") + join(node.getArray("services"));
    }

    /** Whether a value says nothing: an empty text, list or group, nought, or no. */
    static boolean isNothing(Object value) {
        return value instanceof JsonArray items ? items.stream().allMatch(Texts::isNothing)
                : value instanceof JsonObject fields ? fields.values().stream().allMatch(Texts::isNothing)
                : value == null || value.equals("") || value.equals(0) || value.equals(false);
    }

    /** Values as an outline, without those that say nothing. */
    static List<String> outline(JsonObject fields, String indent) {
        List<String> lines = new ArrayList<>();
        fields.forEach((name, value) -> {
            if (isNothing(value)) {
                return;
            }
            if (value instanceof JsonObject below) {
                lines.add(indent + name);
                lines.addAll(outline(below, indent + "  "));
            } else if (value instanceof JsonArray items && items.get(0) instanceof JsonObject) {
                for (int i = 0; i < items.size(); i++) {
                    lines.add(indent + name + " " + (i + 1));
                    lines.addAll(outline(items.getObject(i), indent + "  "));
                }
            } else {
                lines.add(indent + name + "  " + value(value));
            }
        });
        return lines;
    }

    /** A value for people: groups and lists on one line, without what is empty. */
    static String value(Object value) {
        if (value instanceof JsonArray items) {
            return String.join(", ", items.stream().map(Texts::value).toList());
        }
        if (value instanceof JsonObject fields) {
            return String.join(" ", fields.entrySet().stream().map(field -> Map.entry(field.getKey(), value(field.getValue())))
                    .filter(field -> !field.getValue().isEmpty()).map(field -> field.getKey() + "=" + field.getValue()).toList());
        }
        return String.valueOf(value);
    }

    /** A name as a part of an address. */
    static String escape(String name) {
        return URLEncoder.encode(name, StandardCharsets.UTF_8).replace("+", "%20");
    }

    /** A time on the terminal's clock (TZ), without fractions. */
    static String time(String iso) {
        return iso == null ? "" : OffsetDateTime.parse(iso).atZoneSameInstant(ZoneId.systemDefault()).format(TIME);
    }

    /** A number that a service holds, or that is kept for it. */
    static String number(JsonObject number) {
        String within = number.getString("within");
        return number.getString("key") + " = " + number.getString("written") + ", pool " + number.getString("pool") + (within.isEmpty() ? "" : " on " + within);
    }

    /** Parameters of a query, with its question mark; nothing where there are none. */
    static String query(Map<String, Object> parameters) {
        return parameters.isEmpty() ? "" : "?" + parameters.entrySet().stream().map(each -> each.getKey() + "=" + URLEncoder.encode(each.getValue().toString(), StandardCharsets.UTF_8)).collect(Collectors.joining("&"));
    }
}
