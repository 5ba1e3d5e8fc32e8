package rilvan.core.schema;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;
import org.jaxen.BaseXPath;
import org.jaxen.JaxenException;
import org.jaxen.SimpleVariableContext;
import org.jaxen.XPath;
import rilvan.core.schema.Conformance.Violation;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/** Holds the constraints of a schema over a configuration. Of what fails only that is told which did not fail before a change: a device accepts what it holds. */
final class Constraints {

    private static final Pattern CURRENT = Pattern.compile("\\bcurrent\\s*\\(\\s*\\)");

    private final Map<String, XPath> compiled = new HashMap<>();
    private final List<Violation> violations = new ArrayList<>();
    private final Set<String> changed;

    private Constraints(Set<String> changed) {
        this.changed = changed;
    }

    /**
     * @param changed the names of the nodes that differ between the two
     */
    static List<Violation> violations(SchemaTable schema, Node before, Node after, Set<String> changed) {
        if (schema.roots().values().stream().noneMatch(Constraints::constrained)) {
            return List.of();
        }
        List<Violation> now = of(schema, after, changed);
        if (now.isEmpty()) {
            return now;
        }
        List<Violation> already = of(schema, before, changed);
        return now.stream().filter(violation -> !already.contains(violation)).toList();
    }

    private static List<Violation> of(SchemaTable schema, Node root, Set<String> changed) {
        Constraints constraints = new Constraints(changed);
        constraints.hold(DataNode.root(schema, root), schema.roots());
        return constraints.violations;
    }

    private static boolean constrained(SchemaNode node) {
        return !node.constraints().isEmpty() || node.children().values().stream().anyMatch(Constraints::constrained);
    }

    private void hold(DataNode parent, Map<String, SchemaNode> level) {
        for (SchemaNode schema : level.values()) {
            if (constrained(schema)) {
                List<DataNode> nodes = parent.children(schema.name());
                for (Constraint constraint : schema.constraints()) {
                    if (constraint.names().stream().anyMatch(name -> name.equals("*") || changed.contains(name)) || changed.contains(schema.name())) {
                        hold(constraint, parent, nodes);
                    }
                }
                nodes.forEach(node -> hold(node, schema.children()));
            }
        }
    }

    private void hold(Constraint constraint, DataNode parent, List<DataNode> nodes) {
        if (constraint instanceof Constraint.Must must) {
            nodes.stream().filter(node -> !isTrue(must.expression(), node)).forEach(node ->
                    violations.add(new Violation(node.path(), must.says().isEmpty() ? "does not satisfy: " + must.expression() : must.says())));
        } else if (constraint instanceof Constraint.When when) {
            nodes.stream().filter(DataNode::isConfigured).filter(node -> !isTrue(when.expression(), when.ofParent() ? parent : node)).forEach(node ->
                    violations.add(new Violation(node.path(), "may be there only where this is true: " + when.expression())));
        } else if (constraint instanceof Constraint.Unique unique) {
            Map<List<String>, Path> seen = new HashMap<>();
            for (DataNode node : nodes) {
                values(unique, node).ifPresent(values -> {
                    Path other = seen.putIfAbsent(values, node.path());
                    if (other != null) {
                        violations.add(new Violation(node.path(), "has the same " + String.join(" and ", unique.leaves().stream().map(names -> String.join("/", names)).toList()) + " as "
                                + other + ": " + String.join(", ", values)));
                    }
                });
            }
        }
    }

    /** The values of the leaves; absent where one of them is not there (RFC 7950 §7.8.3). */
    private static Optional<List<String>> values(Constraint.Unique unique, DataNode entry) {
        List<String> values = new ArrayList<>();
        for (List<String> names : unique.leaves()) {
            List<DataNode> nodes = List.of(entry);
            for (String name : names) {
                nodes = nodes.stream().flatMap(node -> node.children(name).stream()).toList();
            }
            if (nodes.isEmpty()) {
                return Optional.empty();
            }
            values.add(nodes.get(0).text());
        }
        return Optional.of(values);
    }

    /** An expression that cannot be worked out is the device's to judge. */
    private boolean isTrue(String expression, DataNode node) {
        try {
            XPath path = compiled.get(expression);
            if (path == null) {
                path = new BaseXPath(CURRENT.matcher(expression).replaceAll("\\$current"), DataNode.Navigator.INSTANCE);
                compiled.put(expression, path);
            }
            SimpleVariableContext variables = new SimpleVariableContext();
            variables.setVariableValue("current", List.of(node));
            path.setVariableContext(variables);
            return path.booleanValueOf(node);
        } catch (JaxenException e) {
            return true;
        }
    }
}
