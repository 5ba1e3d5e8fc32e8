package rilvan.core.plan;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BiFunction;
import java.util.function.Function;
import java.util.stream.IntStream;

/**
 * An order in stages: each stage is an order of its own that leaves every service whole. What a list of a service's parameters has at a device of the stage, such as a site, is as wanted from then on; what it has at
 * devices of later stages stays as it is until then. A service that cannot stand in part, since it has a device beside its lists, or fewer items than its model asks for, waits for the last of its devices.
 *
 * @param first the devices of each stage but the last, which has all others
 */
public record Stages(List<Set<String>> first) {

    private static final List<String> WITHOUT_PARTS = List.of("refresh", "move");

    public Stages {
        first = first.stream().map(Set::copyOf).toList();
    }

    /** How many there are, the last among them. */
    public int count() {
        return first.size() + 1;
    }

    /**
     * The orders of all stages, as documents. One that nothing belongs to names no service.
     *
     * @param order the whole order, as a document
     * @param standing what a service is now, as an order says it; absent where it does not stand
     * @param schema that of the parameters of a model, of a version or of the present one; absent where there is none
     */
    public List<Map<String, Object>> split(Map<String, Object> order, Function<String, Optional<Map<String, Object>>> standing, BiFunction<String, Optional<Long>, Optional<Map<String, Object>>> schema) {
        List<Map<String, Object>> orders = IntStream.range(0, count()).mapToObj(stage -> empty(order, stage)).toList();
        for (Object each : list(order.get("services"))) {
            Map<String, Object> wanted = map(each);
            String name = String.valueOf(wanted.get("name"));
            Optional<Map<String, Object>> present = standing.apply(String.valueOf(wanted.getOrDefault("renamed_from", name)));
            Part part = new Part(schema.apply(String.valueOf(wanted.get("model")), version(wanted)).orElse(Map.of()), present.map(service -> map(service.get("parameters"))).orElse(Map.of()), map(wanted.get("parameters")));
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
            Part part = new Part(schema.apply(String.valueOf(present.get("model")), version(present)).orElse(Map.of()), map(present.get("parameters")), Map.of());
            for (int stage : part.stages()) {
                if (stage == part.last()) {
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

    /** The order of a stage before anything is in it; services that are only expanded again, or move to another version of their model, are the last one's. */
    private Map<String, Object> empty(Map<String, Object> order, int stage) {
        Map<String, Object> document = new LinkedHashMap<>(order);
        document.put("services", new ArrayList<>());
        document.put("remove", new ArrayList<>());
        if (stage < first.size()) {
            document.keySet().removeAll(WITHOUT_PARTS);
        }
        if (order.containsKey("decisions")) {
            document.put("decisions", list(order.get("decisions")).stream().filter(decision -> stage(String.valueOf(map(decision).get("device"))) == stage).toList());
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

        private final Map<String, Object> schema;
        private final Map<String, Object> before;
        private final Map<String, Object> after;

        private Part(Map<String, Object> schema, Map<String, Object> before, Map<String, Object> after) {
            this.schema = schema;
            this.before = before;
            this.after = after;
        }

        /** The stages in which something becomes of it, in order. */
        private Set<Integer> stages() {
            Set<Integer> stages = new HashSet<>();
            int whole = stage(fixed());
            stages.add(whole);
            places().forEach(field -> items(field).forEach(item -> stages.add(Math.max(whole, item.stage()))));
            Set<Integer> able = new LinkedHashSet<>();
            stages.stream().sorted().filter(this::isWhole).forEach(able::add);
            able.add(stages.stream().mapToInt(Integer::intValue).max().orElseThrow());
            return able;
        }

        private int last() {
            return stages().stream().mapToInt(Integer::intValue).max().orElseThrow();
        }

        /** Whether it can stand as it is after a stage: it is somewhere, and no list has fewer items than it must have. */
        private boolean isWhole(int stage) {
            Map<String, Object> parameters = until(stage);
            List<String> places = places();
            return places.stream().noneMatch(field -> map(properties().get(field)).get("minItems") instanceof Long least && list(parameters.get(field)).size() < least)
                    && (places.isEmpty() || places.stream().anyMatch(field -> !list(parameters.get(field)).isEmpty()));
        }

        /** Its parameters after a stage. */
        private Map<String, Object> until(int stage) {
            Map<String, Object> parameters = new LinkedHashMap<>(after.isEmpty() ? before : after);
            for (String field : places()) {
                List<Object> there = new ArrayList<>();
                items(field).forEach(item -> (item.stage() <= stage ? item.after() : item.before()).ifPresent(there::add));
                parameters.put(field, there);
            }
            return parameters;
        }

        private Map<String, Object> properties() {
            return map(schema.get("properties"));
        }

        /** The lists whose items are at devices. */
        private List<String> places() {
            return properties().entrySet().stream().filter(field -> "array".equals(map(field.getValue()).get("type")) && refersToDevices(map(map(field.getValue()).get("items")))).map(Map.Entry::getKey).toList();
        }

        /** The devices that it is on whatever its lists have. */
        private Set<String> fixed() {
            Set<String> devices = new HashSet<>();
            List<String> places = places();
            properties().forEach((field, property) -> {
                if (!places.contains(field)) {
                    collect(before.get(field), map(property), devices);
                    collect(after.get(field), map(property), devices);
                }
            });
            return devices;
        }

        /** The items of a list, before and after, each by its name or, where it has none, by what it is at. */
        private List<Item> items(String field) {
            Map<String, Object> itemSchema = map(map(properties().get(field)).get("items"));
            Map<Object, Item> items = new LinkedHashMap<>();
            list(after.get(field)).forEach(item -> items.put(key(map(item)), new Item(itemSchema, Optional.empty(), Optional.of(map(item)))));
            list(before.get(field)).forEach(item -> items.merge(key(map(item)), new Item(itemSchema, Optional.of(map(item)), Optional.empty()), (one, other) -> new Item(itemSchema, other.before(), one.after())));
            return List.copyOf(items.values());
        }

        private static Object key(Map<String, Object> item) {
            return item.containsKey("name") ? item.get("name") : List.of(item.getOrDefault("device", ""), item.getOrDefault("port", ""), item.getOrDefault("tag", ""));
        }
    }

    private final class Item {

        private final Map<String, Object> schema;
        private final Optional<Map<String, Object>> before;
        private final Optional<Map<String, Object>> after;

        private Item(Map<String, Object> schema, Optional<Map<String, Object>> before, Optional<Map<String, Object>> after) {
            this.schema = schema;
            this.before = before;
            this.after = after;
        }

        private Optional<Map<String, Object>> before() {
            return before;
        }

        private Optional<Map<String, Object>> after() {
            return after;
        }

        /** The last one of a device where it is or was. */
        private int stage() {
            Set<String> devices = new HashSet<>();
            before.ifPresent(item -> collect(item, schema, devices));
            after.ifPresent(item -> collect(item, schema, devices));
            return Stages.this.stage(devices);
        }
    }

    private static boolean refersToDevices(Map<String, Object> schema) {
        return "device".equals(schema.get("refers")) || refersToDevices(schema.get("items")) || map(schema.get("properties")).values().stream().anyMatch(Stages::refersToDevices);
    }

    private static boolean refersToDevices(Object schema) {
        return schema != null && refersToDevices(map(schema));
    }

    /** The devices that a value names. */
    private static void collect(Object value, Map<String, Object> schema, Set<String> devices) {
        if (value instanceof String device && "device".equals(schema.get("refers"))) {
            devices.add(device);
        }
        if (value instanceof Map<?, ?> fields) {
            Map<String, Object> properties = map(schema.get("properties"));
            fields.forEach((name, field) -> collect(field, map(properties.get(String.valueOf(name))), devices));
        }
        if (value instanceof List<?> items) {
            items.forEach(item -> collect(item, map(schema.get("items")), devices));
        }
    }

    @SuppressWarnings("unchecked")
    private static Map<String, Object> map(Object value) {
        return value instanceof Map ? (Map<String, Object>) value : Map.of();
    }

    @SuppressWarnings("unchecked")
    private static List<Object> list(Object value) {
        return value instanceof List ? (List<Object>) value : List.of();
    }
}
