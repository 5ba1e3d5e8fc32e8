package rilvan.core.schema;

import java.math.BigInteger;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import java.util.regex.PatternSyntaxException;
import java.util.stream.Stream;
import rilvan.core.schema.SchemaNode.NodeKind;
import rilvan.core.schema.ValueType.Range;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;

/**
 * The schema of a device family, read from its table.
 *
 * <p>A table is text. {@code namespace if urn:…} names a namespace; every other line is one node: indentation (two spaces a
 * level) says under what, then the name (with {@code @if} where the namespace is not its parent's), the kind, the type of a
 * leaf, and attributes such as {@code range=64..9216}, {@code pattern="…"}, {@code mandatory}, {@code default="…"},
 * {@code refers=/ports/port/name}, {@code ordered}, {@code choice=NAME/CASE}, {@code must="…"} (and after it {@code says="…"}), {@code when="…"},
 * {@code when-parent="…"}, {@code unique="leaf group/leaf"}. A line that starts with {@code #} is a comment.
 */
public record SchemaTable(Map<String, SchemaNode> roots) {

    /** A table that cannot be read: the message names the line and what was expected. */
    public static final class MalformedTable extends RuntimeException {
        MalformedTable(int line, String message) {
            super("schema table, line " + line + ": " + message);
        }
    }

    /** The schema node along a path of steps. */
    public Optional<SchemaNode> find(Path path) {
        Map<String, SchemaNode> level = roots;
        SchemaNode node = null;
        for (Step step : path.steps()) {
            node = level.get(step.name());
            if (node == null) {
                return Optional.empty();
            }
            level = node.children();
        }
        return Optional.ofNullable(node);
    }

    /** The level that a node's children are taken from; the root's where the node is absent. */
    public Map<String, SchemaNode> childrenOf(Optional<SchemaNode> node) {
        return node.map(SchemaNode::children).orElse(roots);
    }

    /**
     * Reads a table.
     *
     * @throws MalformedTable naming the line
     */
    public static SchemaTable parse(String text) {
        Map<String, String> namespaces = new LinkedHashMap<>();
        Map<String, SchemaNode> roots = new LinkedHashMap<>();
        Deque<SchemaNode> above = new ArrayDeque<>();
        for (TableLine line : TableLine.of(text)) {
            int number = line.number();
            List<String> words = words(line.content(), number);
            if (words.get(0).equals("namespace")) {
                if (words.size() != 3) {
                    throw new MalformedTable(number, "expected: namespace PREFIX URI");
                }
                namespaces.put(words.get(1), words.get(2));
                continue;
            }
            Optional<SchemaNode> parent = line.parent(above);
            SchemaNode node = node(words, parent, namespaces, number);
            if (parent.map(SchemaNode::children).orElse(roots).put(node.name(), node) != null) {
                throw new MalformedTable(number, "a second node named " + node.name() + " in the same place");
            }
            above.push(node);
        }
        return new SchemaTable(roots);
    }

    private static SchemaNode node(List<String> words, Optional<SchemaNode> parent, Map<String, String> namespaces, int line) {
        if (words.size() < 2) {
            throw new MalformedTable(line, "expected: NAME KIND …");
        }
        String[] name = words.get(0).split("@", 2);
        String namespace = name.length == 2 ? namespaces.get(name[1]) : parent.map(SchemaNode::namespace).orElse(null);
        if (namespace == null) {
            throw new MalformedTable(line, "no namespace for " + words.get(0));
        }
        NodeKind kind = switch (words.get(1)) {
            case "container" -> NodeKind.CONTAINER;
            case "presence" -> NodeKind.PRESENCE;
            case "list" -> NodeKind.LIST;
            case "leaf" -> NodeKind.LEAF;
            case "leaf-list" -> NodeKind.LEAF_LIST;
            default -> throw new MalformedTable(line, "expected container, presence, list, leaf or leaf-list, not " + words.get(1));
        };
        Map<String, String> attributes = new LinkedHashMap<>();
        List<String> patterns = new ArrayList<>();
        List<Constraint> constraints = new ArrayList<>();
        boolean typed = kind == NodeKind.LEAF || kind == NodeKind.LEAF_LIST;
        if (words.size() < 3 && (typed || kind == NodeKind.LIST)) {
            throw new MalformedTable(line, typed ? "expected a type" : "expected the names of the keys");
        }
        for (String word : words.subList(Math.min(words.size(), typed || kind == NodeKind.LIST ? 3 : 2), words.size())) {
            int equals = word.indexOf('=');
            String key = equals < 0 ? word : word.substring(0, equals);
            String value = equals < 0 ? "" : word.substring(equals + 1);
            switch (key) {
                case "pattern" -> patterns.add(value);
                case "must" -> constraints.add(new Constraint.Must(value, ""));
                case "says" -> constraints.add(said(constraints, value, line));
                case "when" -> constraints.add(new Constraint.When(value, false));
                case "when-parent" -> constraints.add(new Constraint.When(value, true));
                case "unique" -> constraints.add(new Constraint.Unique(Stream.of(value.split(" ")).map(leaf -> List.of(leaf.split("/"))).toList()));
                case "mandatory", "default", "refers", "range", "length", "names", "digits", "ordered", "choice" -> attributes.put(key, value);
                default -> throw new MalformedTable(line, "an attribute that is not known: " + key);
            }
        }
        return new SchemaNode(
                name[0],
                namespace,
                kind,
                kind == NodeKind.LIST ? List.of(words.get(2).split(",")) : List.of(),
                typed ? Optional.of(type(words.get(2), attributes, patterns, line)) : Optional.empty(),
                attributes.containsKey("mandatory"),
                attributes.containsKey("ordered"),
                Optional.ofNullable(attributes.get("choice")),
                Optional.ofNullable(attributes.get("default")),
                Optional.ofNullable(attributes.get("refers")).map(Path::parse),
                List.copyOf(constraints),
                new LinkedHashMap<>());
    }

    /** The last constraint with what it says where it fails. */
    private static Constraint said(List<Constraint> constraints, String text, int line) {
        if (constraints.isEmpty() || !(constraints.remove(constraints.size() - 1) instanceof Constraint.Must must)) {
            throw new MalformedTable(line, "says stands behind the must that it is said for");
        }
        return new Constraint.Must(must.expression(), text);
    }

    private static ValueType type(String base, Map<String, String> attributes, List<String> patterns, int line) {
        try {
            if (base.contains("+")) {
                List<ValueType> members = new ArrayList<>();
                for (String member : base.split("\\+")) {
                    members.add(type(member, attributes, patterns, line));
                }
                return new ValueType.Either(members);
            }
            return switch (base) {
                case "string" -> new ValueType.Text(
                        ranges(attributes.get("length")), patterns.stream().map(Pattern::compile).toList());
                case "boolean" -> new ValueType.OneOf(List.of("true", "false"));
                case "enumeration" -> new ValueType.OneOf(List.of(attributes.getOrDefault("names", "").split("\\|")));
                case "empty" -> new ValueType.Nothing();
                case "whole" -> new ValueType.Whole(ranges(attributes.get("range")));
                case "decimal" -> new ValueType.Decimal(Integer.parseInt(attributes.getOrDefault("digits", "1")));
                case "bits" -> new ValueType.Bits(List.of(attributes.getOrDefault("names", "").split("\\|")));
                case "identity" -> new ValueType.Identity(List.of(attributes.getOrDefault("names", "").split("\\|")));
                case "binary" -> new ValueType.Binary();
                default -> throw new MalformedTable(line, "a type that is not known: " + base);
            };
        } catch (NumberFormatException | PatternSyntaxException e) {
            throw new MalformedTable(line, e.getMessage());
        }
    }

    static List<Range> ranges(String text) {
        List<Range> ranges = new ArrayList<>();
        if (text != null) {
            for (String part : text.split("\\|")) {
                String[] ends = part.split("\\.\\.");
                ranges.add(new Range(new BigInteger(ends[0]), new BigInteger(ends[ends.length - 1])));
            }
        }
        return ranges;
    }

    /** Words parted by blanks; a quoted part keeps its blanks, and within it a backslash escapes a quote or a backslash. */
    private static List<String> words(String content, int line) {
        List<String> words = new ArrayList<>();
        StringBuilder word = new StringBuilder();
        boolean quoted = false;
        for (int i = 0; i < content.length(); i++) {
            char character = content.charAt(i);
            if (quoted && character == '\\' && i + 1 < content.length() && "\"\\".indexOf(content.charAt(i + 1)) >= 0) {
                word.append(content.charAt(++i));
            } else if (character == '"') {
                quoted = !quoted;
            } else if (character == ' ' && !quoted) {
                if (!word.isEmpty()) {
                    words.add(word.toString());
                    word.setLength(0);
                }
            } else {
                word.append(character);
            }
        }
        if (quoted) {
            throw new MalformedTable(line, "a quote is not closed");
        }
        if (!word.isEmpty()) {
            words.add(word.toString());
        }
        return words;
    }
}
