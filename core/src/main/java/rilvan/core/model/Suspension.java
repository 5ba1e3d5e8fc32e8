package rilvan.core.model;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.IntStream;
import rilvan.core.document.Document;
import rilvan.core.document.KnownNames;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;

/**
 * What of a service is suspended: it is on no device, and keeps its parameters and its numbers. That is said among the parameters, of any model: {@code suspended: true} beside
 * them for the whole service, or in an item of a list that is at devices, such as a site.
 *
 * @param whole whether all of it is
 * @param items for each list those of its items that are, counted from 0
 */
record Suspension(boolean whole, Map<String, Set<Integer>> items) {

    /** The parameter that says so. */
    static final String FIELD = "suspended";

    private static final Map<String, Object> SCHEMA = Map.of("type", "boolean", "default", false, "title", "Suspended", "description", "On no device for the time being; numbers and parameters are kept");

    /**
     * Takes what is said of it out of parameters, which may be wrong in other ways.
     *
     * @param plain takes the parameters without it
     * @param lists the lists whose items may be suspended
     * @param problems takes what says neither true nor false
     */
    static Suspension taken(Map<String, Object> parameters, Map<String, Object> plain, Set<String> lists, String pointer, List<Problem> problems) {
        plain.putAll(parameters);
        boolean whole = plain.containsKey(FIELD) && isTrue(plain.remove(FIELD), pointer, problems);
        Map<String, Set<Integer>> items = new TreeMap<>();
        lists.forEach(list -> {
            if (plain.get(list) instanceof List<?> given && given.stream().anyMatch(item -> item instanceof Map<?, ?> fields && fields.containsKey(FIELD))) {
                List<Object> without = new ArrayList<>(given);
                for (int i = 0; i < without.size(); i++) {
                    if (without.get(i) instanceof Map<?, ?> fields && fields.containsKey(FIELD)) {
                        Map<String, Object> item = new LinkedHashMap<>(Document.fields(fields));
                        if (isTrue(item.remove(FIELD), pointer + "/" + list + "/" + i, problems)) {
                            items.computeIfAbsent(list, each -> new HashSet<>()).add(i);
                        }
                        without.set(i, item);
                    }
                }
                plain.put(list, without);
            }
        });
        return new Suspension(whole, items);
    }

    private static boolean isTrue(Object value, String pointer, List<Problem> problems) {
        if (!(value instanceof Boolean)) {
            problems.add(new Problem(pointer + "/" + FIELD, "must be true or false"));
        }
        return Boolean.TRUE.equals(value);
    }

    /** Whether nothing is. */
    boolean isNone() {
        return !whole && items.isEmpty();
    }

    /** Parameters that say so again. */
    Map<String, Object> in(Map<String, Object> parameters) {
        if (isNone()) {
            return parameters;
        }
        Map<String, Object> marked = new LinkedHashMap<>(parameters);
        if (whole) {
            marked.put(FIELD, true);
        }
        items.forEach((list, suspended) -> {
            List<?> given = (List<?>) parameters.get(list);
            marked.put(list, IntStream.range(0, given.size()).mapToObj(i -> suspended.contains(i) ? marked(Document.fields(given.get(i)), true) : given.get(i)).toList());
        });
        return marked;
    }

    /** Whether parameters say that the whole service is suspended. */
    static boolean isWhole(Map<String, Object> parameters) {
        return Boolean.TRUE.equals(parameters.get(FIELD));
    }

    /** Parameters without what is suspended among the items of their lists; the very same where nothing is. */
    static Map<String, Object> active(Map<String, Object> parameters) {
        Map<String, Object> changed = new HashMap<>();
        parameters.forEach((name, value) -> {
            if (value instanceof List<?> items && items.stream().anyMatch(Suspension::isSuspended)) {
                changed.put(name, items.stream().filter(item -> !isSuspended(item)).toList());
            }
        });
        if (changed.isEmpty()) {
            return parameters;
        }
        Map<String, Object> active = new LinkedHashMap<>(parameters);
        active.putAll(changed);
        return active;
    }

    private static boolean isSuspended(Object item) {
        return item instanceof Map<?, ?> fields && Boolean.TRUE.equals(fields.get(FIELD));
    }

    private static Map<String, Object> marked(Map<String, Object> fields, boolean suspended) {
        Map<String, Object> marked = new LinkedHashMap<>(fields);
        if (suspended) {
            marked.put(FIELD, true);
        } else {
            marked.remove(FIELD);
        }
        return marked;
    }

    /**
     * Parameters of which a part is suspended, or no longer.
     *
     * @param place empty for all of it, or the list and the name of an item of it, such as {@code sites/haven}
     * @param lists the lists whose items may be suspended
     * @throws ValidationFailure where there is no such item
     */
    static Map<String, Object> with(Map<String, Object> parameters, String place, boolean suspended, Set<String> lists) {
        if (place.isEmpty()) {
            return marked(parameters, suspended);
        }
        String list = place.split("/", 2)[0];
        if (!lists.contains(list) || !place.contains("/")) {
            throw new ValidationFailure("", lists.isEmpty() ? "no part of a service of this model can be suspended by itself; suspend all of it"
                    : "'" + place + "' is no part of this service; a part is written such as " + lists.iterator().next() + "/NAME");
        }
        String name = place.substring(list.length() + 1);
        List<Object> items = new ArrayList<>(parameters.get(list) instanceof List<?> given ? given : List.of());
        List<String> names = items.stream().map(item -> String.valueOf(Document.fields(item).get("name"))).toList();
        if (!names.contains(name)) {
            throw new ValidationFailure("", "there is nothing named '" + name + "' among its " + list + "; " + KnownNames.instead(name, names));
        }
        items.set(names.indexOf(name), marked(Document.fields(items.get(names.indexOf(name))), suspended));
        Map<String, Object> changed = new LinkedHashMap<>(parameters);
        changed.put(list, items);
        return changed;
    }

    /** A schema of parameters with what may be said of it. */
    static Map<String, Object> described(Map<String, Object> schema, Set<String> lists) {
        Map<String, Object> properties = new LinkedHashMap<>(Document.fields(schema.get("properties")));
        lists.forEach(list -> {
            Map<String, Object> field = Document.fields(properties.get(list));
            properties.put(list, with(field, "items", withProperty(Document.fields(field.get("items")))));
        });
        return withProperty(with(schema, "properties", properties));
    }

    private static Map<String, Object> withProperty(Map<String, Object> schema) {
        return with(schema, "properties", with(Document.fields(schema.get("properties")), FIELD, SCHEMA));
    }

    private static Map<String, Object> with(Map<String, Object> fields, String name, Object value) {
        Map<String, Object> more = new LinkedHashMap<>(fields);
        more.put(name, value);
        return more;
    }

    /** What a list lacks where some of its items are suspended. */
    Optional<Problem> tooFew(Map<String, Object> schema, Map<String, Object> parameters, String pointer) {
        return items.entrySet().stream().filter(each -> Document.fields(Document.fields(schema.get("properties")).get(each.getKey())).get("minItems") instanceof Long least
                && ((List<?>) parameters.get(each.getKey())).size() - each.getValue().size() < least).findFirst()
                .map(each -> new Problem(pointer + "/" + each.getKey(), "too few of its entries would not be suspended; suspend the whole service, with suspended: true beside its parameters"));
    }
}
