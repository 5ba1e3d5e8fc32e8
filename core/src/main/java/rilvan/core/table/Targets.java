package rilvan.core.table;

import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import rilvan.core.document.Document;
import rilvan.core.document.KnownNames;
import rilvan.core.model.ServiceModel;

/** What a column may say of services of a model: the service's name and tenant, and each parameter that is one value, or a list of such values. */
final class Targets {

    private static final String ARRAY = "array";
    private static final String OBJECT = "object";

    private final Map<String, Target> all = new LinkedHashMap<>();

    /**
     * A parameter.
     *
     * @param list the list of which a row is an item where a column says this; absent where it is of the service itself
     * @param schema of the value
     */
    record Target(Optional<String> list, List<String> names, Map<String, Object> schema) {}

    private Targets() {}

    static Targets of(ServiceModel model) {
        Targets targets = new Targets();
        targets.all.put(Mapping.SERVICE, new Target(Optional.empty(), List.of(Mapping.SERVICE, "service name"), Map.of()));
        targets.all.put(Mapping.TENANT, new Target(Optional.empty(), List.of(Mapping.TENANT, "customer"), Map.of()));
        targets.gather(model.parameters().written(), "", List.of(), Optional.empty());
        return targets;
    }

    private void gather(Map<String, Object> schema, String path, List<String> above, Optional<String> list) {
        Document.fields(schema.get("properties")).forEach((name, each) -> {
            Map<String, Object> property = Document.fields(each);
            String at = path.isEmpty() ? name : path + "/" + name;
            Map<String, Object> items = Document.fields(property.get("items"));
            if (OBJECT.equals(property.get("type"))) {
                gather(property, at, names(above, name, property), list);
            } else if (ARRAY.equals(property.get("type")) && (OBJECT.equals(items.get("type")) || items.containsKey("properties"))) {
                // A list within an item of a list has no place in a row.
                if (list.isEmpty()) {
                    gather(items, at, List.of(singular(name)), Optional.of(at));
                }
            } else {
                all.putIfAbsent(at, new Target(list, names(above, name, property), property));
            }
        });
    }

    /** The names and titles of a parameter, with and without those of what it is in. */
    private static List<String> names(List<String> above, String name, Map<String, Object> property) {
        Set<String> own = new LinkedHashSet<>(List.of(name));
        Optional.ofNullable(property.get("title")).map(String::valueOf).ifPresent(own::add);
        Set<String> names = new LinkedHashSet<>(own);
        above.forEach(outer -> own.forEach(inner -> names.add(outer + " " + inner)));
        // The name of an item is what it is called by: a site's name is the site.
        above.stream().filter(outer -> name.equals("name")).forEach(names::add);
        return List.copyOf(names);
    }

    private static String singular(String name) {
        return name.endsWith("s") ? name.substring(0, name.length() - 1) : name;
    }

    Map<String, List<String>> names() {
        Map<String, List<String>> names = new LinkedHashMap<>();
        all.forEach((target, each) -> names.put(target, each.names()));
        return names;
    }

    Optional<Target> target(String name) {
        return Optional.ofNullable(all.get(name));
    }

    Optional<String> listOf(String target) {
        return target(target).flatMap(Target::list);
    }

    /** What is wrong with a target; absent where nothing is. */
    Optional<String> fault(String target) {
        return all.containsKey(target) ? Optional.empty() : Optional.of("there is nothing '" + target + "' to say of a service; " + KnownNames.instead(target, all.keySet()));
    }
}
