package rilvan.core.schema;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import rilvan.core.tree.EntryOrder;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;
import rilvan.core.tree.Unread;

/**
 * Checks configuration against a schema table and names every fault by its path: mandatory leaves that are missing,
 * references that point at nothing, two cases of one choice, and the constraints that the table has. Unknown nodes and wrong values cannot get into a tree: the codec refuses them.
 */
public final class Conformance {

    /** Something the schema does not allow. */
    public record Violation(Path at, String message) {}

    private final SchemaTable schema;
    private final Node root;
    private final List<Violation> faults = new ArrayList<>();
    private final Map<Path, Set<String>> targets = new HashMap<>();

    private Conformance(SchemaTable schema, Node root) {
        this.schema = schema;
        this.root = root;
    }

    public static List<Violation> faults(SchemaTable schema, Node root) {
        Conformance conformance = new Conformance(schema, root);
        conformance.check(Path.ROOT, root, schema.roots());
        return List.copyOf(conformance.faults);
    }

    /** Checks only what a change does: what stands at its paths, the choices on the way there, and the constraints that name what changes. */
    public static List<Violation> faults(SchemaTable schema, Node before, Node root, List<Path> paths) {
        Conformance conformance = new Conformance(schema, root);
        Set<Path> chosen = new HashSet<>();
        for (Path path : paths) {
            Node node = root;
            Map<String, SchemaNode> level = schema.roots();
            Path here = Path.ROOT;
            boolean there = true;
            for (Step step : path.steps()) {
                if (chosen.add(here)) {
                    conformance.checkChoices(here, node, level);
                }
                Optional<Node> child = node.child(step);
                if (child.isEmpty() || EntryOrder.listOf(step).isPresent()) {
                    conformance.checkMandatory(here, node, level);
                    there = false;
                    break;
                }
                here = here.child(step);
                conformance.checkReferences(here, step, child.get(), level.get(step.name()));
                level = level.get(step.name()).children();
                node = child.get();
            }
            if (there) {
                conformance.check(here, node, level);
            }
        }
        conformance.faults.addAll(Constraints.violations(schema, before, root, changed(before, root, paths)));
        return conformance.faults.stream().distinct().toList();
    }

    /** The names of all nodes that a change may have made another. */
    private static Set<String> changed(Node before, Node after, List<Path> paths) {
        Set<String> names = new HashSet<>();
        for (Path path : paths) {
            names.add(path.last().name());
            List.of(before, after).forEach(tree -> tree.at(path).ifPresent(node -> names(node, names)));
        }
        return names;
    }

    private static void names(Node node, Set<String> names) {
        node.children().forEach((step, child) -> {
            names.add(step.name());
            names(child, names);
        });
    }

    private void check(Path here, Node node, Map<String, SchemaNode> level) {
        checkMandatory(here, node, level);
        checkChoices(here, node, level);
        node.children().forEach((step, child) -> {
            if (EntryOrder.listOf(step).isEmpty() && !Unread.is(step)) {
                SchemaNode schemaNode = level.get(step.name());
                Path there = here.child(step);
                checkReferences(there, step, child, schemaNode);
                check(there, child, schemaNode.children());
            }
        });
    }

    private void checkMandatory(Path here, Node node, Map<String, SchemaNode> level) {
        for (SchemaNode wanted : level.values()) {
            if (wanted.mandatory() && node.child(Step.of(wanted.name())).isEmpty() && !keyOf(here, wanted)) {
                faults.add(new Violation(here, "lacks " + wanted.name() + ", which is mandatory"));
            }
        }
    }

    private void checkChoices(Path here, Node node, Map<String, SchemaNode> level) {
        Map<String, Map<String, String>> cases = new TreeMap<>();
        for (Step step : node.children().keySet()) {
            Optional.ofNullable(level.get(step.name())).flatMap(SchemaNode::choice).ifPresent(choice -> {
                String[] parts = choice.split("/", 2);
                cases.computeIfAbsent(parts[0], name -> new TreeMap<>()).put(parts[1], step.name());
            });
        }
        cases.forEach((choice, found) -> {
            if (found.size() > 1) {
                faults.add(new Violation(here, "would have " + String.join(" and ", found.values()) + ", which exclude each other (choice "
                        + choice + ")"));
            }
        });
    }

    private void checkReferences(Path there, Step step, Node child, SchemaNode schemaNode) {
        schemaNode.refers().ifPresent(target ->
                checkReference(there, schemaNode.isLeaf() ? child.value() : step.keys().get(0), target));
        for (int i = 0; i < schemaNode.keys().size(); i++) {
            String key = step.keys().get(i);
            SchemaNode leaf = schemaNode.children().get(schemaNode.keys().get(i));
            leaf.refers().ifPresent(target -> checkReference(there, key, target));
        }
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
            faults.add(new Violation(at, "refers to '" + value + "', but no " + target + " says so"));
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
