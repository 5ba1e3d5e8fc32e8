package rilvan.kit;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.function.Consumer;

/** Other parameters than those of an example, by chance: what an engineer might ask for next, or get wrong. */
public final class Variation {

    /** Words that have others in their place. */
    private static final Map<String, List<String>> WORDS = Map.ofEntries(Map.entry("any", List.of("hub", "spoke")), Map.entry("hub", List.of("any")),
            Map.entry("spoke", List.of("any", "hub")), Map.entry("keep", List.of("strip", "map")), Map.entry("strip", List.of("keep")), Map.entry("map", List.of("keep")),
            Map.entry("ldp", List.of("evpn")), Map.entry("evpn", List.of("ldp", "local")), Map.entry("untagged", List.of("77", "any")), Map.entry("ingress", List.of("multicast")),
            Map.entry("pool", List.of("pool-both", "given")), Map.entry("pool-both", List.of("pool")), Map.entry("given", List.of("pool")));

    private final Random random;

    public Variation(Random random) {
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
    @SuppressWarnings("unchecked")
    public boolean change(Object parameters) {
        if (parameters instanceof Map<?, ?> fields && !fields.isEmpty()) {
            Map<String, Object> map = (Map<String, Object>) fields;
            String field = new ArrayList<>(map.keySet()).get(random.nextInt(map.size()));
            Object inner = map.get(field);
            if (inner instanceof Map || inner instanceof List<?> list && !list.isEmpty()) {
                return change(inner);
            }
            return replace(inner, random.nextInt(4) == 0 ? null : other(inner), next -> {
                if (next == null) {
                    map.remove(field);
                } else {
                    map.put(field, next);
                }
            });
        }
        if (parameters instanceof List<?> items && !items.isEmpty()) {
            List<Object> list = (List<Object>) items;
            int index = random.nextInt(list.size());
            if (random.nextInt(3) == 0) {
                list.remove(index);
                return true;
            }
            Object inner = list.get(index);
            return inner instanceof Map ? change(inner) : replace(inner, other(inner), next -> list.set(index, next));
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

    private Object other(Object value) {
        if (value instanceof Boolean truth) {
            return !truth;
        }
        if (value instanceof Number number) {
            return number.longValue() + 1 + random.nextInt(3);
        }
        String text = String.valueOf(value);
        List<String> known = WORDS.get(text);
        if (known != null) {
            return known.get(random.nextInt(known.size()));
        }
        return text.matches("access-\\d") ? "access-" + (1 + random.nextInt(5)) : text.matches("\\d+") ? Long.toString(Long.parseLong(text) + 1)
                : text.matches(".*/\\d+") ? text.replaceFirst("/\\d+$", "/" + (Integer.parseInt(text.substring(text.lastIndexOf('/') + 1)) + 1)) : text + "x";
    }
}
