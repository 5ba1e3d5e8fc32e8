package rilvan.core.schema;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;

/**
 * Checks a whole configuration against a schema table and names every fault by its path: mandatory leaves that are missing
 * and references that point at nothing. Unknown nodes and wrong values cannot get into a tree: the codec refuses them.
 */
public final class Conformance {

    /** Something the schema does not allow. */
    public record Fault(Path at, String message) {}

    private final SchemaTable schema;
    private final Node root;
    private final List<Fault> faults = new ArrayList<>();
    private final Map<Path, Set<String>> targets = new HashMap<>();

    private Conformance(SchemaTable schema, Node root) {
        this.schema = schema;
        this.root = root;
    }

    public static List<Fault> faults(SchemaTable schema, Node root) {
        Conformance conformance = new Conformance(schema, root);
        conformance.check(Path.ROOT, root, schema.roots());
        return List.copyOf(conformance.faults);
    }

    private void check(Path here, Node node, Map<String, SchemaNode> level) {
        for (SchemaNode wanted : level.values()) {
            if (wanted.mandatory() && node.child(Step.of(wanted.name())).isEmpty() && !keyOf(here, wanted)) {
                faults.add(new Fault(here, "lacks " + wanted.name() + ", which is mandatory"));
            }
        }
        node.children().forEach((step, child) -> {
            SchemaNode schemaNode = level.get(step.name());
            Path there = here.child(step);
            schemaNode.refers().ifPresent(target -> {
                String value = schemaNode.isLeaf() ? child.value() : step.keys().get(0);
                checkReference(there, value, target);
            });
            for (int i = 0; i < schemaNode.keys().size(); i++) {
                String key = step.keys().get(i);
                SchemaNode leaf = schemaNode.children().get(schemaNode.keys().get(i));
                leaf.refers().ifPresent(target -> checkReference(there, key, target));
            }
            check(there, child, schemaNode.children());
        });
    }

    private boolean keyOf(Path here, SchemaNode leaf) {
        return !here.isRoot() && schema.find(here).orElseThrow().hasKey(leaf.name());
    }

    private void checkReference(Path at, String value, Path target) {
        Set<String> values = targets.computeIfAbsent(target, wanted -> {
            Set<String> found = new HashSet<>();
            values(root, schema.roots(), wanted.steps(), 0, found);
            return found;
        });
        if (!values.contains(value)) {
            faults.add(new Fault(at, "refers to '" + value + "', but no " + target + " says so"));
        }
    }

    private static void values(Node node, Map<String, SchemaNode> level, List<Step> names, int depth, Set<String> found) {
        String name = names.get(depth).name();
        SchemaNode schemaNode = level.get(name);
        node.children().forEach((step, child) -> {
            if (!step.name().equals(name)) {
                return;
            }
            if (depth == names.size() - 1) {
                found.add(schemaNode.isLeaf() ? child.value() : step.keys().get(0));
            } else if (depth == names.size() - 2 && schemaNode.hasKey(names.get(depth + 1).name())) {
                found.add(step.keys().get(schemaNode.keys().indexOf(names.get(depth + 1).name())));
            } else {
                values(child, schemaNode.children(), names, depth + 1, found);
            }
        });
    }
}
