package rilvan.core.dialect;

import java.io.StringReader;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import javax.xml.stream.XMLInputFactory;
import javax.xml.stream.XMLStreamConstants;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamReader;
import rilvan.core.dialect.NativeLine.Sign;
import rilvan.core.schema.SchemaNode;
import rilvan.core.schema.SchemaNode.Kind;
import rilvan.core.schema.SchemaTable;
import rilvan.core.schema.ValueType;
import rilvan.core.tree.Change;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;

/**
 * Between the XML of a NETCONF family and configuration trees, by the family's schema (RFC 7950 §7, XML encoding rules).
 *
 * <p>Reading is strict: what the schema does not know, or a value its type does not allow, is refused with its path.
 * Documents have neither document type declarations nor external entities, and are bounded in size and depth.
 */
public record XmlCodec(SchemaTable schema) {

    /** Characters of native text that are read at most. */
    public static final int LONGEST = 64_000_000;

    private static final int DEEPEST = 100;
    private static final String NETCONF = "urn:ietf:params:xml:ns:netconf:base:1.0";
    private static final XMLInputFactory INPUT = input();

    /** Native text that the family's schema does not allow; the message names the path and what was expected. */
    public static final class MalformedConfiguration extends RuntimeException {
        MalformedConfiguration(String message) {
            super(message);
        }
    }

    private static XMLInputFactory input() {
        XMLInputFactory factory = XMLInputFactory.newDefaultFactory();
        factory.setProperty(XMLInputFactory.SUPPORT_DTD, false);
        factory.setProperty(XMLInputFactory.IS_SUPPORTING_EXTERNAL_ENTITIES, false);
        factory.setProperty(XMLInputFactory.IS_COALESCING, true);
        return factory;
    }

    /**
     * Reads configuration: the elements of a sequence of top-level nodes, without an element around them.
     *
     * @throws MalformedConfiguration naming the path at fault
     */
    public Node decode(String text) {
        if (text.length() > LONGEST) {
            throw new MalformedConfiguration("more than " + LONGEST + " characters of configuration");
        }
        try {
            XMLStreamReader reader = INPUT.createXMLStreamReader(new StringReader("<config>" + text + "</config>"));
            reader.nextTag();
            return children(reader, Path.ROOT, Optional.empty());
        } catch (XMLStreamException e) {
            throw new MalformedConfiguration("no well-formed XML: " + e.getMessage().replaceAll("\\s+", " "));
        }
    }

    /** Reads what stands inside the current element, up to its end. */
    private Node children(XMLStreamReader reader, Path here, Optional<SchemaNode> parent) throws XMLStreamException {
        if (here.steps().size() > DEEPEST) {
            throw new MalformedConfiguration("nested more than " + DEEPEST + " levels deep");
        }
        Node node = Node.EMPTY;
        while (reader.next() != XMLStreamConstants.END_ELEMENT) {
            if (reader.isCharacters() && !reader.isWhiteSpace()) {
                throw new MalformedConfiguration(here + " has text '" + reader.getText().strip() + "' where nodes are expected");
            }
            if (!reader.isStartElement()) {
                continue;
            }
            String name = reader.getLocalName();
            SchemaNode schemaNode = schema.childrenOf(parent).get(name);
            if (schemaNode == null || !schemaNode.namespace().equals(reader.getNamespaceURI())) {
                throw new MalformedConfiguration(
                        here.child(Step.of(name)) + " is not in the schema (namespace " + reader.getNamespaceURI() + ")");
            }
            node = add(node, reader, here, schemaNode);
        }
        return node;
    }

    private Node add(Node node, XMLStreamReader reader, Path here, SchemaNode schemaNode) throws XMLStreamException {
        Step step = Step.of(schemaNode.name());
        Path there = here.child(step);
        switch (schemaNode.kind()) {
            case LEAF:
                return node.withChild(step, Node.leaf(value(reader.getElementText(), schemaNode, there)));
            case LEAF_LIST:
                return node.withChild(
                        Step.of(schemaNode.name(), value(reader.getElementText(), schemaNode, there)), Node.ENTRY);
            case LIST:
                Node entry = children(reader, there, Optional.of(schemaNode));
                List<String> keys = new ArrayList<>();
                for (String key : schemaNode.keys()) {
                    Node leaf = entry.child(Step.of(key)).orElseThrow(
                            () -> new MalformedConfiguration(there + " has an entry without its key " + key));
                    keys.add(leaf.value());
                    entry = entry.withChild(Step.of(key), Node.EMPTY);
                }
                Step keyed = new Step(schemaNode.name(), keys);
                Node added = new Node(true, "", entry.children());
                return node.withChild(keyed, node.child(keyed).map(earlier -> earlier.merge(added)).orElse(added));
            default:
                Node below = children(reader, there, Optional.of(schemaNode));
                Node container = new Node(schemaNode.kind() == Kind.PRESENCE, "", below.children());
                return node.withChild(step, node.child(step).map(earlier -> earlier.merge(container)).orElse(container));
        }
    }

    private static String value(String text, SchemaNode schemaNode, Path path) {
        try {
            return schemaNode.type().orElseThrow().canonical(text);
        } catch (ValueType.InvalidValue e) {
            throw new MalformedConfiguration(path + ": " + e.getMessage());
        }
    }

    /** The configuration as text, children in schema order, two blanks of indentation a level. */
    public String encode(Node tree) {
        StringBuilder text = new StringBuilder();
        for (NativeLine line : lines(Node.EMPTY, tree)) {
            text.append(line.text()).append('\n');
        }
        return text.toString();
    }

    /**
     * A difference as people read it: the changed lines and the elements they stand in. Lists and containers around a
     * change are shown by their first line and, for a list, its keys.
     */
    public List<NativeLine> lines(Node before, Node after) {
        List<NativeLine> lines = new ArrayList<>();
        compare(before, after, schema.roots(), "", "", lines);
        return lines;
    }

    private void compare(Node before, Node after, Map<String, SchemaNode> level, String namespace, String indent,
            List<NativeLine> lines) {
        Map<String, List<Step>> steps = new HashMap<>();
        var all = new java.util.TreeSet<Step>(before.children().keySet());
        all.addAll(after.children().keySet());
        all.forEach(step -> steps.computeIfAbsent(step.name(), name -> new ArrayList<>()).add(step));
        for (SchemaNode schemaNode : level.values()) {
            for (Step step : steps.getOrDefault(schemaNode.name(), List.of())) {
                Node was = before.child(step).orElse(Node.EMPTY);
                Node is = after.child(step).orElse(Node.EMPTY);
                if (!was.equals(is)) {
                    compareChild(was, is, schemaNode, step, namespace, indent, lines);
                }
            }
        }
    }

    private void compareChild(Node was, Node is, SchemaNode schemaNode, Step step, String namespace, String indent,
            List<NativeLine> lines) {
        String name = schemaNode.name();
        String open = name + (schemaNode.namespace().equals(namespace) ? "" : " xmlns=\"" + schemaNode.namespace() + "\"");
        if (schemaNode.isLeaf() || schemaNode.kind() == Kind.LEAF_LIST) {
            String keyed = schemaNode.isLeaf() ? null : step.keys().get(0);
            if (!was.isEmpty()) {
                lines.add(new NativeLine(Sign.GOES, indent + element(open, name, keyed == null ? was.value() : keyed)));
            }
            if (!is.isEmpty()) {
                lines.add(new NativeLine(Sign.COMES, indent + element(open, name, keyed == null ? is.value() : keyed)));
            }
            return;
        }
        Sign sign = was.isEmpty() ? Sign.COMES : is.isEmpty() ? Sign.GOES : Sign.AROUND;
        boolean bare = schemaNode.keys().isEmpty() && was.children().isEmpty() && is.children().isEmpty();
        if (bare) {
            lines.add(new NativeLine(sign, indent + "<" + open + "/>"));
            return;
        }
        lines.add(new NativeLine(sign, indent + "<" + open + ">"));
        for (int i = 0; i < schemaNode.keys().size(); i++) {
            String key = schemaNode.keys().get(i);
            lines.add(new NativeLine(sign, indent + "  " + element(key, key, step.keys().get(i))));
        }
        compare(was, is, schemaNode.children(), schemaNode.namespace(), indent + "  ", lines);
        lines.add(new NativeLine(sign, indent + "</" + name + ">"));
    }

    private static String element(String open, String name, String value) {
        return value.isEmpty() ? "<" + open + "/>" : "<" + open + ">" + escape(value) + "</" + name + ">";
    }

    static String escape(String value) {
        return value.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;");
    }

    /**
     * The difference as the content of an {@code edit-config}'s {@code config} element (RFC 6241 §7.2). New nodes are
     * created and old ones deleted by those very operations, so that a device that does not hold what was expected refuses.
     */
    public String edit(Difference difference) {
        Node wanted = Node.EMPTY;
        Map<Path, String> operations = new LinkedHashMap<>();
        for (Change change : difference.changes()) {
            wanted = mark(change.at(), change.before(), change.after(), wanted, operations);
        }
        StringBuilder text = new StringBuilder();
        writeEdit(wanted, Path.ROOT, schema.roots(), "", operations, text);
        return text.toString();
    }

    /** Marks the topmost nodes present in their own right with their operation, and collects what the edit has to say. */
    private Node mark(Path at, Node before, Node after, Node wanted, Map<Path, String> operations) {
        if (before.present() || after.present()) {
            operations.put(at, before.isEmpty() ? "create" : after.isEmpty() ? "delete" : "replace");
            return wanted.with(at, after.isEmpty() ? before.bare() : after);
        }
        Node result = wanted;
        for (Change below : Difference.between(before, after).changes()) {
            Path path = at.append(below.at());
            if (below.before().present() || below.after().present()) {
                result = mark(path, below.before(), below.after(), result, operations);
                continue;
            }
            // A container without presence that comes or goes whole: what stands in it does.
            for (Step step : (below.before().isEmpty() ? below.after() : below.before()).children().keySet()) {
                result = mark(path.child(step), below.before().child(step).orElse(Node.EMPTY),
                        below.after().child(step).orElse(Node.EMPTY), result, operations);
            }
        }
        return result;
    }

    private void writeEdit(Node node, Path here, Map<String, SchemaNode> level, String namespace, Map<Path, String> operations,
            StringBuilder text) {
        for (SchemaNode schemaNode : level.values()) {
            node.children().forEach((step, child) -> {
                if (!step.name().equals(schemaNode.name())) {
                    return;
                }
                Path there = here.child(step);
                text.append('<').append(schemaNode.name());
                if (!schemaNode.namespace().equals(namespace)) {
                    text.append(" xmlns=\"").append(schemaNode.namespace()).append('"');
                }
                String operation = operations.get(there);
                if (operation != null) {
                    text.append(" xmlns:nc=\"").append(NETCONF).append("\" nc:operation=\"").append(operation).append('"');
                }
                text.append('>');
                if (schemaNode.isLeaf()) {
                    text.append(escape(child.value()));
                } else if (schemaNode.kind() == Kind.LEAF_LIST) {
                    text.append(escape(step.keys().get(0)));
                } else {
                    writeKeys(schemaNode, step, text);
                    writeEdit(child, there, schemaNode.children(), schemaNode.namespace(), operations, text);
                }
                text.append("</").append(schemaNode.name()).append('>');
            });
        }
    }

    private static void writeKeys(SchemaNode schemaNode, Step step, StringBuilder text) {
        for (int i = 0; i < schemaNode.keys().size(); i++) {
            String key = schemaNode.keys().get(i);
            text.append('<').append(key).append('>').append(escape(step.keys().get(i))).append("</").append(key).append('>');
        }
    }

    /**
     * The subtree filter (RFC 6241 §6) that selects just the given nodes with what stands below them. A path that stands
     * below another is already selected by it.
     */
    public String filter(Iterable<Path> paths) {
        Node selection = Node.EMPTY;
        List<Path> whole = new ArrayList<>();
        for (Path path : paths) {
            Path upTo = selectable(path);
            boolean covered = whole.stream().anyMatch(other -> other.covers(upTo));
            if (!covered) {
                selection = selection.with(upTo, Node.ENTRY);
                whole.add(upTo);
            }
        }
        StringBuilder text = new StringBuilder();
        writeFilter(selection, schema.roots(), "", text);
        return text.toString();
    }

    /** Leaf-list entries are selected by their list: a filter selects all entries of a leaf-list or none. */
    private Path selectable(Path path) {
        SchemaNode schemaNode = schema.find(path).orElseThrow();
        return schemaNode.kind() == Kind.LEAF_LIST ? path.parent().child(Step.of(schemaNode.name())) : path;
    }

    private void writeFilter(Node node, Map<String, SchemaNode> level, String namespace, StringBuilder text) {
        node.children().forEach((step, child) -> {
            SchemaNode schemaNode = level.get(step.name());
            text.append('<').append(schemaNode.name());
            if (!schemaNode.namespace().equals(namespace)) {
                text.append(" xmlns=\"").append(schemaNode.namespace()).append('"');
            }
            text.append('>');
            if (!step.keys().isEmpty()) {
                writeKeys(schemaNode, step, text);
            }
            writeFilter(child, schemaNode.children(), schemaNode.namespace(), text);
            text.append("</").append(schemaNode.name()).append('>');
        });
    }
}
