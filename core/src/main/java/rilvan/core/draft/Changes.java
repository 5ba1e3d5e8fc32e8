package rilvan.core.draft;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.stream.IntStream;

/**
 * What is different between two documents of the same kind, value by value. Items of a list that all have names of their own are told apart by these, so that a site that comes first
 * changes no other; any other list is one value.
 */
public record Changes(List<ValueChange> values) {

    private static final String NAME = "name";

    /** What makes the second document of the first; both are of maps, lists, texts, numbers and truth values. */
    public static Changes between(Map<String, Object> before, Map<String, Object> after) {
        List<ValueChange> found = new ArrayList<>();
        fields(before, after, "", found);
        return new Changes(List.copyOf(found));
    }

    private static void fields(Map<String, Object> before, Map<String, Object> after, String at, List<ValueChange> found) {
        Set<String> names = new LinkedHashSet<>(before.keySet());
        names.addAll(after.keySet());
        names.forEach(name -> value(Optional.ofNullable(before.get(name)), Optional.ofNullable(after.get(name)), at.isEmpty() ? name : at + "/" + name, found));
    }

    private static void value(Optional<Object> before, Optional<Object> after, String at, List<ValueChange> found) {
        Optional<Map<String, Object>> fieldsBefore = before.flatMap(Changes::fields);
        Optional<Map<String, Object>> fieldsAfter = after.flatMap(Changes::fields);
        if (fieldsBefore.isPresent() && fieldsAfter.isPresent() && before.get() instanceof List == after.get() instanceof List) {
            fields(fieldsBefore.get(), fieldsAfter.get(), at, found);
        } else if (!before.equals(after)) {
            found.add(new ValueChange(at, before, after));
        }
    }

    /** The fields of a value, or its items by name; absent where it is one value. */
    @SuppressWarnings("unchecked")
    private static Optional<Map<String, Object>> fields(Object value) {
        if (value instanceof Map<?, ?> map) {
            return Optional.of((Map<String, Object>) map);
        }
        if (!(value instanceof List<?> items) || items.isEmpty()) {
            return Optional.empty();
        }
        Map<String, Object> byName = new LinkedHashMap<>();
        for (Object item : items) {
            if (!(item instanceof Map<?, ?> fields && fields.get(NAME) instanceof String name && !name.isEmpty() && !name.contains("/")) || byName.put(name, item) != null) {
                return Optional.empty();
            }
        }
        return Optional.of(byName);
    }

    public boolean isEmpty() {
        return values.isEmpty();
    }

    /**
     * Another document with these changes made in it. Where a list or field on the way is not there, it is made for what comes; what goes and is not there has gone.
     */
    public Map<String, Object> appliedTo(Map<String, Object> document) {
        Map<String, Object> changed = document;
        for (ValueChange change : values) {
            changed = withFields(changed, List.of(change.at().split("/")), change.after());
        }
        return changed;
    }

    private static Map<String, Object> withFields(Map<String, Object> fields, List<String> steps, Optional<Object> value) {
        Map<String, Object> changed = new LinkedHashMap<>(fields);
        Optional<Object> there = Optional.ofNullable(fields.get(steps.get(0)));
        with(there, steps.subList(1, steps.size()), value).ifPresentOrElse(now -> changed.put(steps.get(0), now), () -> changed.remove(steps.get(0)));
        return changed;
    }

    private static Optional<Object> with(Optional<Object> there, List<String> steps, Optional<Object> value) {
        if (steps.isEmpty()) {
            return value;
        }
        if (there.isPresent() && there.get() instanceof List<?> items) {
            return Optional.of(withItem(items, steps, value));
        }
        if (there.isEmpty() && value.isEmpty()) {
            return Optional.empty();
        }
        return Optional.of(withFields(there.flatMap(Changes::fields).orElse(Map.of()), steps, value));
    }

    private static List<Object> withItem(List<?> items, List<String> steps, Optional<Object> value) {
        List<Object> changed = new ArrayList<>(items);
        int at = IntStream.range(0, items.size()).filter(i -> items.get(i) instanceof Map<?, ?> item && steps.get(0).equals(item.get(NAME))).findFirst().orElse(items.size());
        Optional<Object> now = with(at < items.size() ? Optional.of(items.get(at)) : Optional.empty(), steps.subList(1, steps.size()), value);
        if (at < items.size()) {
            changed.remove(at);
        }
        now.ifPresent(item -> changed.add(at, item));
        return changed;
    }

    /** Those of these changes that are about the same values as others, and come to something else. */
    public List<ValueChange> against(Changes others) {
        return values.stream().filter(mine -> others.values.stream().anyMatch(theirs -> mine.meets(theirs) && !(mine.at().equals(theirs.at()) && Objects.equals(mine.after(), theirs.after())))).toList();
    }
}
