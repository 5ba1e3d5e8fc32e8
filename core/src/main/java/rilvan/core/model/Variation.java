package rilvan.core.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.function.Consumer;
import java.util.stream.Stream;
import rilvan.core.document.Document;
import rilvan.core.network.Device;
import rilvan.core.network.Network;

/** Other parameters than those of an example, by chance: what an engineer might ask for next, or get wrong. What else a value may be follows from its schema. */
public final class Variation {

    private static final List<String> FRAMES = List.of("untagged", "any", "100-103", "110/20");

    private final Map<String, Object> schema;
    private final Network network;
    private final Random random;

    /**
     * @param parameters of the model that the examples are of
     * @param network whose devices and ports are named
     */
    public Variation(Parameters parameters, Network network, Random random) {
        this.schema = parameters.schema();
        this.network = network;
        this.random = random;
    }

    /** A copy of a document's maps and lists, which may be changed. */
    public static Object copy(Object value) {
        if (value instanceof Map<?, ?> fields) {
            Map<String, Object> copy = new LinkedHashMap<>();
            fields.forEach((name, each) -> copy.put((String) name, copy(each)));
            return copy;
        }
        return value instanceof List<?> items ? new ArrayList<>(items.stream().map(Variation::copy).toList()) : value;
    }

    /**
     * Changes one value somewhere in a group of parameters, or takes one away.
     *
     * @param parameters maps and lists that may be changed
     * @return whether anything was changed
     */
    public boolean change(Object parameters) {
        return change(parameters, schema);
    }

    @SuppressWarnings("unchecked")
    private boolean change(Object value, Map<String, Object> schema) {
        if (value instanceof Map<?, ?> fields && !fields.isEmpty()) {
            Map<String, Object> map = (Map<String, Object>) fields;
            String field = new ArrayList<>(map.keySet()).get(random.nextInt(map.size()));
            Map<String, Object> own = Document.fields(Document.fields(schema.get("properties")).get(field));
            Object inner = map.get(field);
            if (inner instanceof Map || inner instanceof List<?> list && !list.isEmpty()) {
                return change(inner, own);
            }
            return replace(inner, random.nextInt(4) == 0 ? null : other(inner, own), next -> {
                if (next == null) {
                    map.remove(field);
                } else {
                    map.put(field, next);
                }
            });
        }
        if (value instanceof List<?> items && !items.isEmpty()) {
            List<Object> list = (List<Object>) items;
            Map<String, Object> own = Document.fields(schema.get("items"));
            int index = random.nextInt(list.size());
            if (random.nextInt(3) == 0) {
                list.remove(index);
                return true;
            }
            Object inner = list.get(index);
            return inner instanceof Map ? change(inner, own) : replace(inner, other(inner, own), next -> list.set(index, next));
        }
        return false;
    }

    private static boolean replace(Object now, Object next, Consumer<Object> put) {
        if (now != null && now.equals(next)) {
            return false;
        }
        put.accept(next);
        return true;
    }

    private Object other(Object value, Map<String, Object> schema) {
        if (value instanceof Boolean truth) {
            return !truth;
        }
        if (schema.get("enum") instanceof List<?> allowed) {
            return one(allowed.stream().filter(each -> !each.equals(value)).toList(), value);
        }
        if ("port".equals(schema.get("refers"))) {
            return one(network.devices().values().stream().flatMap(device -> device.ports().stream()).filter(port -> isOf(schema, port.role())).map(Device.Port::name).distinct().toList(), value);
        }
        if ("device".equals(schema.get("refers"))) {
            return one(network.devices().values().stream().filter(device -> isOf(schema, device.role())).map(Device::name).toList(), value);
        }
        if (value instanceof Number number) {
            return one(Stream.of(number.longValue() + 1 + random.nextInt(3), schema.get("minimum"), schema.get("maximum")).filter(Long.class::isInstance).toList(), value);
        }
        String text = String.valueOf(value);
        if ("tags".equals(schema.get("format")) && random.nextBoolean()) {
            return one(FRAMES, value);
        }
        return text.matches("\\d+") ? Long.toString(Long.parseLong(text) + 1)
                : text.matches(".*/\\d+") ? text.replaceFirst("/\\d+$", "/" + (Integer.parseInt(text.substring(text.lastIndexOf('/') + 1)) + 1)) : text + "x";
    }

    private static boolean isOf(Map<String, Object> schema, String role) {
        return !(schema.get("of") instanceof List<?> roles) || roles.contains(role);
    }

    private Object one(List<?> others, Object otherwise) {
        return others.isEmpty() ? otherwise : others.get(random.nextInt(others.size()));
    }
}
