package rilvan.core.plan;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.NavigableSet;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.BiFunction;
import java.util.function.Function;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.Parameters;

/**
 * An order in stages: each stage is an order of its own that leaves every service whole. What a list of a service's parameters has at a device of the stage, such as a site, is as wanted from then on; what it has at
 * devices of later stages stays as it is until then. A service that cannot stand in part, since it has a device beside its lists, or fewer items than its model asks for, waits for the last of its devices.
 *
 * @param first the devices of each stage but the one that has all others
 * @param newBeforeOld whether services and items of lists that go do so in a stage of their own, the last one; until then they stay beside what comes
 */
public record Stages(List<Set<String>> first, boolean newBeforeOld) {

    private static final List<String> WITHOUT_PARTS = List.of("refresh", "move", "suspend", "resume", "returns");
    private static final Set<String> DEVICES = Set.of("device");
    private static final Set<String> PLACES = Set.of("device", "port");

    public Stages {
        first = first.stream().map(Set::copyOf).toList();
    }

    /** How many there are, the last among them. */
    public int count() {
        return first.size() + (newBeforeOld ? 2 : 1);
    }

    /**
     * The orders of all stages, as documents. One that nothing belongs to names no service.
     *
     * @param order the whole order, as a document
     * @param standing what a service is now, as an order says it; absent where it does not stand
     * @param schema that of the parameters of a model, of a version or of the present one; absent where there is none
     * @throws ValidationFailure where the new is to be beside the old, and an item of a list would be at two places under one name
     */
    public List<Map<String, Object>> split(Map<String, Object> order, Function<String, Optional<Map<String, Object>>> standing, BiFunction<String, Optional<Long>, Optional<Map<String, Object>>> schema) {
        List<Map<String, Object>> orders = IntStream.range(0, count()).mapToObj(stage -> empty(order, stage)).toList();
        for (Object each : list(order.get("services"))) {
            Map<String, Object> wanted = Document.fields(each);
            String name = String.valueOf(wanted.get("name"));
            Optional<Map<String, Object>> present = standing.apply(String.valueOf(wanted.getOrDefault("renamed_from", name)));
            Part part = new Part(name, schema.apply(String.valueOf(wanted.get("model")), version(wanted)).orElse(Map.of()), present.map(service -> Document.fields(service.get("parameters"))).orElse(Map.of()), Document.fields(wanted.get("parameters")));
            boolean renamed = false;
            for (int stage : part.stages()) {
                Map<String, Object> service = new LinkedHashMap<>(wanted);
                if (renamed) {
                    service.remove("renamed_from");
                }
                service.put("parameters", part.until(stage));
                list(orders.get(stage).get("services")).add(service);
                renamed = true;
            }
        }
        for (Object each : list(order.get("remove"))) {
            String name = String.valueOf(each);
            Map<String, Object> present = standing.apply(name).orElse(Map.of());
            Part part = new Part(name, schema.apply(String.valueOf(present.get("model")), version(present)).orElse(Map.of()), Document.fields(present.get("parameters")), Map.of());
            NavigableSet<Integer> stages = part.stages();
            for (int stage : stages) {
                if (stage == stages.last()) {
                    list(orders.get(stage).get("remove")).add(name);
                } else {
                    Map<String, Object> service = new LinkedHashMap<>(Map.of("name", name));
                    service.putAll(present);
                    service.put("parameters", part.until(stage));
                    list(orders.get(stage).get("services")).add(service);
                }
            }
        }
        return orders;
    }

    /** The order of a stage before anything is in it; services that are only expanded again, or move to another version of their model, are that of all other devices. */
    private Map<String, Object> empty(Map<String, Object> order, int stage) {
        Map<String, Object> document = new LinkedHashMap<>(order);
        document.put("services", new ArrayList<>());
        document.put("remove", new ArrayList<>());
        if (stage != first.size()) {
            document.keySet().removeAll(WITHOUT_PARTS);
        }
        if (order.containsKey("decisions")) {
            document.put("decisions", list(order.get("decisions")).stream().filter(decision -> stage > first.size() || stage(String.valueOf(Document.fields(decision).get("device"))) == stage).toList());
        }
        return document;
    }

    private static Optional<Long> version(Map<String, Object> service) {
        return service.get("version") instanceof Long version ? Optional.of(version) : Optional.empty();
    }

    private int stage(String device) {
        return IntStream.range(0, first.size()).filter(stage -> first.get(stage).contains(device)).findFirst().orElse(first.size());
    }

    /** The last stage among those of some devices; the first one where there are none. */
    private int stage(Set<String> devices) {
        return devices.stream().mapToInt(this::stage).max().orElse(0);
    }

    /** One service on its way from what it is to what it is to be. */
    private final class Part {

        private final Map<String, Object> properties;
        private final Map<String, Object> before;
        private final Map<String, Object> after;
        /** The lists whose items are at devices. */
        private final Map<String, List<Item>> places = new LinkedHashMap<>();

        private Part(String service, Map<String, Object> schema, Map<String, Object> before, Map<String, Object> after) {
            this.properties = Document.fields(schema.get("properties"));
            this.before = before;
            this.after = after;
            Parameters.placed(schema).forEach((field, items) -> places.put(field, items(service, field, items)));
        }

        /** The stages in which something becomes of it, in order. */
        private NavigableSet<Integer> stages() {
            int whole = newBeforeOld && after.isEmpty() ? count() - 1 : stage(fixed());
            NavigableSet<Integer> stages = new TreeSet<>(Set.of(whole));
            places.values().forEach(items -> items.forEach(item -> stages.add(Math.max(whole, item.stage()))));
            int last = stages.last();
            stages.removeIf(stage -> stage != last && !isWhole(stage));
            return stages;
        }

        /** Whether it can stand as it is after a stage: it is somewhere, and no list has fewer items than it must have. */
        private boolean isWhole(int stage) {
            Map<String, Object> parameters = until(stage);
            return places.keySet().stream().noneMatch(field -> Document.fields(properties.get(field)).get("minItems") instanceof Long least && list(parameters.get(field)).size() < least)
                    && (places.isEmpty() || places.keySet().stream().anyMatch(field -> !list(parameters.get(field)).isEmpty()));
        }

        /** Its parameters after a stage. */
        private Map<String, Object> until(int stage) {
            Map<String, Object> parameters = new LinkedHashMap<>(after.isEmpty() ? before : after);
            places.forEach((field, items) -> parameters.put(field, items.stream().flatMap(item -> (item.stage() <= stage ? item.after() : item.before()).stream()).toList()));
            return parameters;
        }

        /** The devices that it is on whatever its lists have. */
        private Set<String> fixed() {
            Set<String> devices = new HashSet<>();
            properties.forEach((field, property) -> {
                if (!places.containsKey(field)) {
                    collect(before.get(field), Document.fields(property), DEVICES, devices);
                    collect(after.get(field), Document.fields(property), DEVICES, devices);
                }
            });
            return devices;
        }

        /** The items of a list, before and after, each by its name or, where it has none, by what it is at. */
        private List<Item> items(String service, String field, Map<String, Object> schema) {
            Map<Object, Map<String, Object>> wanted = byKey(after.get(field));
            Map<Object, Map<String, Object>> standing = byKey(before.get(field));
            Set<Object> keys = new LinkedHashSet<>(wanted.keySet());
            keys.addAll(standing.keySet());
            return keys.stream().map(key -> item(service + "/" + field + "/" + key, schema, Optional.ofNullable(standing.get(key)), Optional.ofNullable(wanted.get(key)))).toList();
        }

        private static Map<Object, Map<String, Object>> byKey(Object items) {
            Map<Object, Map<String, Object>> byKey = new LinkedHashMap<>();
            list(items).stream().map(Document::fields).forEach(item -> byKey.put(
                    item.containsKey("name") ? item.get("name") : List.of(item.getOrDefault("device", ""), item.getOrDefault("port", ""), item.getOrDefault("tag", "")), item));
            return byKey;
        }
    }

    /**
     * An item of a list.
     *
     * @param stage the last one of a device where it is or was
     */
    private record Item(int stage, Optional<Map<String, Object>> before, Optional<Map<String, Object>> after) {}

    private Item item(String name, Map<String, Object> schema, Optional<Map<String, Object>> before, Optional<Map<String, Object>> after) {
        if (newBeforeOld && after.isEmpty()) {
            return new Item(count() - 1, before, after);
        }
        if (newBeforeOld && before.isPresent() && !named(before.get(), schema, PLACES).equals(named(after.get(), schema, PLACES))) {
            throw new ValidationFailure("/newBeforeOld", name + " would be at another device or port, and the new cannot stand beside the old under one name; give the new one another name");
        }
        Set<String> devices = new HashSet<>();
        Stream.concat(before.stream(), after.stream()).forEach(item -> devices.addAll(named(item, schema, DEVICES)));
        return new Item(stage(devices), before, after);
    }

    private static Set<String> named(Map<String, Object> item, Map<String, Object> schema, Set<String> kinds) {
        Set<String> names = new HashSet<>();
        collect(item, schema, kinds, names);
        return names;
    }

    /** The names of some kinds, such as devices, that a value has. */
    private static void collect(Object value, Map<String, Object> schema, Set<String> kinds, Set<String> names) {
        if (value instanceof String name && schema.get("refers") instanceof String kind && kinds.contains(kind)) {
            names.add(name);
        }
        if (value instanceof Map<?, ?> fields) {
            Map<String, Object> properties = Document.fields(schema.get("properties"));
            fields.forEach((each, field) -> collect(field, Document.fields(properties.get(String.valueOf(each))), kinds, names));
        }
        if (value instanceof List<?> items) {
            items.forEach(item -> collect(item, Document.fields(schema.get("items")), kinds, names));
        }
    }

    @SuppressWarnings("unchecked")
    private static List<Object> list(Object value) {
        return value instanceof List ? (List<Object>) value : List.of();
    }
}
