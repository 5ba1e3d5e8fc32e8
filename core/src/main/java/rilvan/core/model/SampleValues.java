package rilvan.core.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.stream.Stream;
import rilvan.core.address.Tags;
import rilvan.core.document.Document;

/**
 * Values that a schema of the vocabulary allows, so that what is made of them can be tried before any service has them: each field once with each of its
 * values, the other fields said or left out, and some mixed by chance. A field's values are its {@code examples}, its {@code enum}, its default, the ends of its range,
 * or what its {@code format} looks like. A group without properties is what the function {@code tags()} returns;
 * its examples are the texts that it is given.
 */
public final class SampleValues {

    private static final List<String> FRAMES = List.of("110", "110/20", "100-103", "untagged", "any");
    private static final Map<String, List<Object>> OF_FORMAT = Map.of("ip-address", List.of("192.0.2.1", "2001:db8::1"), "ip-prefix", List.of("198.51.100.0/24", "2001:db8:1::/48"),
            "ip-interface", List.of("192.0.2.1/31", "2001:db8::1/127"), "as-number", List.of(64_800L, 4_200_000_000L), "vlan-id", List.of(110L), "mac-address", List.of("02:00:5e:10:00:01"),
            "route-target", List.of("64500:1001"), "tags", List.copyOf(FRAMES), "label", List.of("sample"));
    private static final int MIXED = 60;
    /** The same each time: whoever publishes twice gets the same answer. */
    private static final long SEED = 1;

    private final Map<String, Object> schema;

    private SampleValues(Map<String, Object> schema) {
        this.schema = schema;
    }

    /** @param schema of a group of fields */
    public static List<Map<String, Object>> of(Map<String, Object> schema) {
        return new SampleValues(schema).all();
    }

    private List<Map<String, Object>> all() {
        Map<String, Object> properties = Document.fields(schema.get("properties"));
        Map<String, List<Object>> values = new LinkedHashMap<>();
        properties.forEach((name, property) -> values.put(name, values(Document.fields(property), name)));
        Map<String, Object> said = new LinkedHashMap<>();
        Map<String, Object> unsaid = new LinkedHashMap<>();
        values.forEach((name, each) -> {
            said.put(name, each.get(0));
            unsaid.put(name, Document.fields(properties.get(name)).getOrDefault("default", each.get(0)));
        });
        Set<Map<String, Object>> samples = new LinkedHashSet<>(List.of(said, unsaid));
        values.forEach((name, each) -> each.forEach(value -> Stream.of(said, unsaid).forEach(others -> {
            Map<String, Object> sample = new LinkedHashMap<>(others);
            sample.put(name, value);
            samples.add(together(sample, said));
        })));
        Random random = new Random(SEED);
        for (int i = 0; i < MIXED; i++) {
            Map<String, Object> sample = new LinkedHashMap<>();
            values.forEach((name, each) -> sample.put(name, random.nextBoolean() ? unsaid.get(name) : each.get(random.nextInt(each.size()))));
            samples.add(together(sample, said));
        }
        return List.copyOf(samples);
    }

    /** Where a field says something, those that it needs do as well. */
    private Map<String, Object> together(Map<String, Object> sample, Map<String, Object> said) {
        Document.fields(schema.get(Parameters.NEEDS)).forEach((name, needed) -> {
            String[] valued = name.split("=");
            Object value = sample.get(valued[0]);
            if (valued.length > 1 ? String.valueOf(value).equals(valued[1]) : !saysNothing(value)) {
                ((List<?>) needed).forEach(each -> sample.compute((String) each, (field, other) -> saysNothing(other) ? said.get(field) : other));
            }
        });
        return sample;
    }

    private static boolean saysNothing(Object value) {
        return value.equals("") || value.equals(0L) || value.equals(false) || value.equals(List.of());
    }

    /** The values that a field is tried with, one that says something first. */
    private static List<Object> values(Map<String, Object> schema, String name) {
        List<Object> values = new ArrayList<>();
        List<?> examples = schema.get("examples") instanceof List<?> given ? given : List.of();
        Object type = schema.getOrDefault("type", "");
        if (type.equals("object")) {
            if (schema.get("properties") instanceof Map<?, ?>) {
                values.addAll(of(schema));
            } else {
                (examples.isEmpty() ? FRAMES : examples).forEach(frames -> values.add(Tags.parse((String) frames).fields()));
            }
            return values;
        }
        values.addAll(examples);
        if (type.equals("array")) {
            List<Object> items = values(Document.fields(schema.get("items")), name);
            values.add(List.of(items.get(0)));
            values.add(List.of());
            values.add(items.size() > 1 ? List.of(items.get(0), items.get(1)) : List.of(items.get(0), items.get(0)));
        } else if (type.equals("boolean")) {
            values.addAll(List.of(true, false));
        } else if (schema.get("enum") instanceof List<?> allowed) {
            values.addAll(allowed);
        } else if (schema.get("format") instanceof String format && OF_FORMAT.containsKey(format)) {
            values.addAll(OF_FORMAT.get(format));
        } else if (type.equals("integer")) {
            Stream.of("minimum", "maximum").map(schema::get).filter(Long.class::isInstance).filter(number -> !number.equals(0L)).forEach(values::add);
            if (values.isEmpty()) {
                values.add(1L);
            }
        } else if (values.isEmpty()) {
            values.add("sample");
        }
        if (schema.containsKey("default") && !values.contains(schema.get("default"))) {
            values.add(schema.get("default"));
        }
        values.sort((one, other) -> Boolean.compare(one.equals(""), other.equals("")));
        return values;
    }
}
