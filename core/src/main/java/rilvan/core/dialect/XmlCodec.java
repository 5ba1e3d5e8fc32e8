package rilvan.core.dialect;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import javax.xml.stream.XMLStreamConstants;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamReader;
import org.codehaus.stax2.XMLStreamReader2;
import rilvan.core.dialect.NativeLine.Sign;
import rilvan.core.document.Xml;
import rilvan.core.schema.Conformance;
import rilvan.core.schema.SchemaNode;
import rilvan.core.schema.SchemaNode.NodeKind;
import rilvan.core.schema.SchemaTable;
import rilvan.core.schema.ValueType;
import rilvan.core.tree.Change;
import rilvan.core.tree.Difference;
import rilvan.core.tree.EntryOrder;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;
import rilvan.core.tree.Unread;

/**
 * Between the XML of a NETCONF family and configuration trees, by the family's schema (RFC 7950 §7, XML encoding rules).
 *
 * <p>Reading is strict: what the schema does not know, or a value its type does not allow, is refused with its path.
 * Documents have neither document type declarations nor external entities, and are bounded in size and depth.
 *
 * @param hidesDefaults whether devices do not show a value that is the default (RFC 6243 §2.2, trim): then none is in a tree
 */
public record XmlCodec(SchemaTable schema, boolean hidesDefaults) implements Codec {

    private static final int DEEPEST = 100;
    private static final String NETCONF = "urn:ietf:params:xml:ns:netconf:base:1.0";
    private static final String YANG = "urn:ietf:params:xml:ns:yang:1";
    private static final Pattern KEY = Pattern.compile("\\[(?:[\\w.-]+:)?([\\w.-]+)=(?:'([^']*)'|\"([^\"]*)\")]");

    /**
     * Reads configuration: the elements of a sequence of top-level nodes, without an element around them.
     *
     * <p>In a clause, an entry of a list that the user orders says with {@code yang:insert} and {@code yang:key} or
     * {@code yang:value} where it goes (RFC 7950 §7.8.6, §7.7.9); without, it goes to the end.
     *
     * @throws MalformedConfiguration naming the path at fault
     */
    @Override
    public Node decodeExact(String text) {
        return decodeAllExact(List.of(text)).get(0);
    }

    @Override
    public Node decode(String text) {
        return decodeAll(List.of(text), false).get(0);
    }

    @Override
    public List<Node> decodeAllExact(List<String> texts) {
        return decodeAll(texts, true);
    }

    private List<Node> decodeAll(List<String> texts, boolean exact) {
        if (texts.stream().mapToLong(String::length).sum() > LONGEST) {
            throw new MalformedConfiguration("more than " + LONGEST + " characters of configuration");
        }
        StringBuilder all = new StringBuilder("<all>");
        texts.forEach(text -> all.append("<config>").append(text).append("</config>"));
        List<Node> trees = new ArrayList<>(texts.size());
        try {
            XMLStreamReader2 reader = Xml.reader(all.append("</all>").toString());
            reader.nextTag();
            while (reader.nextTag() == XMLStreamConstants.START_ELEMENT) {
                trees.add(children(reader, Path.ROOT, Optional.empty(), exact));
            }
            reader.close();
        } catch (XMLStreamException e) {
            throw new MalformedConfiguration("no well-formed XML: " + e.getMessage().replaceAll("\\s+", " "));
        }
        if (trees.size() != texts.size()) {
            throw new MalformedConfiguration("a text ends what it did not begin");
        }
        return trees;
    }

    /** Reads what stands inside the current element, up to its end. */
    private Node children(XMLStreamReader2 reader, Path here, Optional<SchemaNode> parent, boolean exact) throws XMLStreamException {
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
                if (!exact) {
                    node = Unread.in(node, Xml.copy(reader));
                    continue;
                }
                throw new MalformedConfiguration(
                        here.child(Step.of(name)) + " is not in the schema (namespace " + reader.getNamespaceURI() + ")");
            }
            node = add(node, reader, here, schemaNode, exact);
        }
        return node;
    }

    private Node add(Node node, XMLStreamReader2 reader, Path here, SchemaNode schemaNode, boolean exact) throws XMLStreamException {
        Step step = Step.of(schemaNode.name());
        if (schemaNode.isLeaf()) {
            String text = reader.getElementText();
            String said;
            try {
                said = value(text, schemaNode, here);
            } catch (MalformedConfiguration e) {
                if (exact) {
                    throw e;
                }
                return Unread.in(node, unreadable(schemaNode, text));
            }
            boolean hidden = hidesDefaults && schemaNode.byDefault().filter(said::equals).isPresent();
            return hidden ? node : node.withChild(step, Node.leaf(said));
        }
        Path there = here.child(step);
        switch (schemaNode.kind()) {
            case LEAF_LIST:
                EntryOrder.PlacedEntry place = place(reader, schemaNode, there);
                String written = reader.getElementText();
                Step one;
                try {
                    one = Step.of(schemaNode.name(), value(written, schemaNode, here));
                } catch (MalformedConfiguration e) {
                    if (exact) {
                        throw e;
                    }
                    return Unread.in(node, unreadable(schemaNode, written));
                }
                return ordered(node, schemaNode, one, place).withChild(one, Node.ENTRY);
            case LIST:
                EntryOrder.PlacedEntry placed = place(reader, schemaNode, there);
                Node entry = children(reader, there, Optional.of(schemaNode), exact);
                Node read = entry;
                if (!exact && schemaNode.keys().stream().anyMatch(key -> read.child(Step.of(key)).isEmpty())) {
                    return Unread.in(node, withoutKey(schemaNode, entry));
                }
                List<String> keys = new ArrayList<>();
                for (String key : schemaNode.keys()) {
                    Node leaf = entry.child(Step.of(key)).orElseThrow(
                            () -> new MalformedConfiguration(there + " has an entry without its key " + key));
                    keys.add(leaf.value());
                    entry = entry.withChild(Step.of(key), Node.EMPTY);
                }
                Step keyed = new Step(schemaNode.name(), keys);
                Node added = new Node(true, "", entry.children());
                return ordered(node, schemaNode, keyed, placed).withChild(keyed, node.child(keyed).map(earlier -> earlier.merge(added)).orElse(added));
            default:
                Node below = children(reader, there, Optional.of(schemaNode), exact);
                Node container = new Node(schemaNode.kind() == NodeKind.PRESENCE, "", below.children());
                return node.withChild(step, node.child(step).map(earlier -> earlier.merge(container)).orElse(container));
        }
    }

    private static String unreadable(SchemaNode schemaNode, String text) {
        return element(opening(schemaNode), schemaNode.name(), text);
    }

    private static String opening(SchemaNode schemaNode) {
        return schemaNode.name() + " xmlns=\"" + schemaNode.namespace() + "\"";
    }

    /** An entry whose key is missing or cannot be read, as text: what it has else is written out, too. */
    private String withoutKey(SchemaNode schemaNode, Node entry) {
        List<NativeLine> lines = new ArrayList<>();
        compare(Node.EMPTY, entry, schemaNode.children(), Path.ROOT, schemaNode.namespace(), "  ", lines);
        return "<" + opening(schemaNode) + ">\n" + lines.stream().map(line -> line.text() + "\n").collect(Collectors.joining()) + "</" + schemaNode.name() + ">";
    }

    /** Where the current element wants its entry to go; its keys are not known yet. */
    private static EntryOrder.PlacedEntry place(XMLStreamReader reader, SchemaNode schemaNode, Path there) {
        String insert = reader.getAttributeValue(YANG, "insert");
        if (insert == null) {
            return EntryOrder.PlacedEntry.last(List.of());
        }
        if (!schemaNode.ordered()) {
            throw new MalformedConfiguration(there + " is not ordered by the user; insert has no meaning here");
        }
        EntryOrder.Insertion place = switch (insert) {
            case "last" -> EntryOrder.Insertion.LAST;
            case "first" -> EntryOrder.Insertion.FIRST;
            case "before" -> EntryOrder.Insertion.BEFORE;
            case "after" -> EntryOrder.Insertion.AFTER;
            default -> throw new MalformedConfiguration(there + ": insert is first, last, before or after, not " + insert);
        };
        if (place == EntryOrder.Insertion.LAST || place == EntryOrder.Insertion.FIRST) {
            return new EntryOrder.PlacedEntry(List.of(), place, Optional.empty());
        }
        String value = reader.getAttributeValue(YANG, "value");
        String key = reader.getAttributeValue(YANG, "key");
        List<String> anchor = new ArrayList<>();
        if (value != null) {
            anchor.add(value);
        } else if (key != null) {
            Map<String, String> byName = new HashMap<>();
            KEY.matcher(key).results().forEach(match -> byName.put(match.group(1),
                    match.group(2) != null ? match.group(2) : match.group(3)));
            schemaNode.keys().forEach(name -> anchor.add(byName.getOrDefault(name, "")));
        } else {
            throw new MalformedConfiguration(there + ": insert " + insert + " needs the key or value of a neighbour");
        }
        return new EntryOrder.PlacedEntry(List.of(), place, Optional.of(anchor));
    }

    private static Node ordered(Node node, SchemaNode schemaNode, Step entry, EntryOrder.PlacedEntry place) {
        if (!schemaNode.ordered() || node.child(entry).isPresent()) {
            return node;
        }
        List<EntryOrder.PlacedEntry> entries = new ArrayList<>(EntryOrder.in(node, schemaNode.name()).entries());
        entries.add(new EntryOrder.PlacedEntry(entry.keys(), place.place(), place.anchor()));
        return node.withChild(EntryOrder.step(schemaNode.name()), Node.leaf(new EntryOrder(entries).toString()));
    }

    private static String value(String text, SchemaNode schemaNode, Path parent) {
        try {
            return schemaNode.type().orElseThrow().canonical(text);
        } catch (ValueType.InvalidValue e) {
            throw MalformedConfiguration.of(parent.child(Step.of(schemaNode.name())) + ": " + e.getMessage(), e);
        }
    }

    /** Children in schema order, two blanks of indentation a level. */
    @Override
    public String encode(Node tree) {
        StringBuilder text = new StringBuilder();
        for (NativeLine line : lines(Node.EMPTY, tree)) {
            text.append(line.text()).append('\n');
        }
        return text.toString();
    }

    /** Lists and containers around a change are shown by their first line and, for a list, its keys. */
    @Override
    public List<NativeLine> lines(Node before, Node after) {
        List<NativeLine> lines = new ArrayList<>();
        compare(before, after, schema.roots(), Path.ROOT, "", "", lines);
        return lines;
    }

    private void compare(Node before, Node after, Map<String, SchemaNode> level, Path here, String namespace, String indent,
            List<NativeLine> lines) {
        Map<String, List<Step>> steps = new HashMap<>();
        var all = new java.util.TreeSet<Step>(before.children().keySet());
        all.addAll(after.children().keySet());
        all.forEach(step -> steps.computeIfAbsent(step.name(), name -> new ArrayList<>()).add(step));
        for (SchemaNode schemaNode : level.values()) {
            List<Step> entries = steps.getOrDefault(schemaNode.name(), List.of());
            for (Step step : schemaNode.ordered() ? sequence(entries, before, after, schemaNode.name()) : entries) {
                Node was = before.child(step).orElse(Node.EMPTY);
                Node is = after.child(step).orElse(Node.EMPTY);
                if (!was.equals(is)) {
                    compareChild(was, is, schemaNode, here.child(step), namespace, indent, lines);
                }
            }
        }
        all.stream().filter(step -> Unread.is(step) && before.child(step).isPresent() != after.child(step).isPresent()).forEach(step ->
                Unread.text(step).lines().forEach(line -> lines.add(new NativeLine(after.child(step).isPresent() ? Sign.COMES : Sign.GOES, indent + line, here.child(step).toString()))));
    }

    /** Entries as they are ordered afterwards; those that go stand where they stood. */
    private static List<Step> sequence(List<Step> entries, Node before, Node after, String list) {
        List<List<String>> was = EntryOrder.in(before, list).keys();
        List<List<String>> sequence = new ArrayList<>(EntryOrder.in(after, list).keys());
        for (int i = 0; i < was.size(); i++) {
            if (!sequence.contains(was.get(i))) {
                sequence.add(i == 0 ? 0 : sequence.indexOf(was.get(i - 1)) + 1, was.get(i));
            }
        }
        return entries.stream().sorted(java.util.Comparator.comparingInt(step -> sequence.indexOf(step.keys()))).toList();
    }

    private void compareChild(Node was, Node is, SchemaNode schemaNode, Path there, String namespace, String indent,
            List<NativeLine> lines) {
        Step step = there.last();
        String at = there.toString();
        String name = schemaNode.name();
        String open = name + (schemaNode.namespace().equals(namespace) ? "" : " xmlns=\"" + schemaNode.namespace() + "\"");
        if (schemaNode.isLeaf() || schemaNode.kind() == NodeKind.LEAF_LIST) {
            String keyed = schemaNode.isLeaf() ? null : step.keys().get(0);
            if (!was.isEmpty()) {
                lines.add(new NativeLine(Sign.GOES, indent + element(open, name, keyed == null ? was.value() : keyed), at));
            }
            if (!is.isEmpty()) {
                lines.add(new NativeLine(Sign.COMES, indent + element(open, name, keyed == null ? is.value() : keyed), at));
            }
            return;
        }
        Sign sign = was.isEmpty() ? Sign.COMES : is.isEmpty() ? Sign.GOES : Sign.AROUND;
        boolean bare = schemaNode.keys().isEmpty() && was.children().isEmpty() && is.children().isEmpty();
        if (bare) {
            lines.add(new NativeLine(sign, indent + "<" + open + "/>", at));
            return;
        }
        lines.add(new NativeLine(sign, indent + "<" + open + ">", at));
        for (int i = 0; i < schemaNode.keys().size(); i++) {
            String key = schemaNode.keys().get(i);
            lines.add(new NativeLine(sign, indent + "  " + element(key, key, step.keys().get(i)), at));
        }
        compare(was, is, schemaNode.children(), there, schemaNode.namespace(), indent + "  ", lines);
        lines.add(new NativeLine(sign, indent + "</" + name + ">", at));
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
    @Override
    public String edit(Difference difference) {
        Node wanted = Node.EMPTY;
        Marks marks = new Marks(new HashMap<>(), new HashMap<>());
        for (Change change : difference.changes()) {
            wanted = mark(change.at(), change.before(), change.after(), wanted, marks);
        }
        StringBuilder text = new StringBuilder();
        writeEdit(wanted, Path.ROOT, schema.roots(), "", marks, text);
        return text.toString();
    }

    /** What an edit does with nodes, and how orders change, by the path of the leaf that keeps them. */
    private record Marks(Map<Path, String> operations, Map<Path, Change> orders) {}

    /** Marks the topmost nodes present in their own right with their operation, and collects what the edit has to say. */
    private Node mark(Path at, Node before, Node after, Node wanted, Marks marks) {
        if (!at.isRoot() && EntryOrder.listOf(at.last()).isPresent()) {
            marks.orders().put(at, new Change(at, before, after));
            return wanted.with(at, Node.leaf(after.value()));
        }
        if (before.present() || after.present()) {
            marks.operations().put(at, before.isEmpty() ? "create" : after.isEmpty() ? "delete" : "replace");
            return wanted.with(at, after.isEmpty() ? before.bare() : after);
        }
        Node result = wanted;
        for (Change below : Difference.between(before, after).changes()) {
            Path path = at.append(below.at());
            if (below.before().present() || below.after().present()) {
                result = mark(path, below.before(), below.after(), result, marks);
                continue;
            }
            // A container without presence that comes or goes whole: what stands in it does.
            for (Step step : (below.before().isEmpty() ? below.after() : below.before()).children().keySet()) {
                result = mark(path.child(step), below.before().child(step).orElse(Node.EMPTY),
                        below.after().child(step).orElse(Node.EMPTY), result, marks);
            }
        }
        return result;
    }

    private void writeEdit(Node node, Path here, Map<String, SchemaNode> level, String namespace, Marks marks, StringBuilder text) {
        for (SchemaNode schemaNode : level.values()) {
            if (schemaNode.ordered()) {
                writeOrdered(node, here, schemaNode, namespace, marks, text);
                continue;
            }
            node.children().forEach((step, child) -> {
                if (step.name().equals(schemaNode.name())) {
                    writeElement(step, child, here.child(step), schemaNode, namespace, "", marks, text);
                }
            });
        }
    }

    /** Entries that go first, then those that come or move, each behind the one it follows. */
    private void writeOrdered(Node node, Path here, SchemaNode list, String namespace, Marks marks, StringBuilder text) {
        Change change = marks.orders().get(here.child(EntryOrder.step(list.name())));
        List<List<String>> after = change == null ? EntryOrder.in(node, list.name()).keys() : EntryOrder.parse(change.after().value()).keys();
        List<List<String>> now = change == null ? new ArrayList<>(after) : new ArrayList<>(EntryOrder.parse(change.before().value()).keys());
        node.children().forEach((step, child) -> {
            if (step.name().equals(list.name()) && !after.contains(step.keys())) {
                writeElement(step, child, here.child(step), list, namespace, "", marks, text);
                now.remove(step.keys());
            }
        });
        now.retainAll(after);
        for (int i = 0; i < after.size(); i++) {
            Step step = new Step(list.name(), after.get(i));
            boolean inPlace = i < now.size() && now.get(i).equals(after.get(i));
            Optional<Node> child = node.child(step);
            if (!inPlace) {
                now.remove(after.get(i));
                now.add(i, after.get(i));
            } else if (child.isEmpty()) {
                continue;
            }
            String insert = inPlace ? "" : i == 0 ? " yang:insert=\"first\"" : " yang:insert=\"after\" " + neighbour(list, after.get(i - 1));
            writeElement(step, child.orElse(Node.ENTRY), here.child(step), list, namespace,
                    insert.isEmpty() ? "" : " xmlns:yang=\"" + YANG + "\"" + insert, marks, text);
        }
    }

    private static String neighbour(SchemaNode list, List<String> keys) {
        if (list.kind() == NodeKind.LEAF_LIST) {
            return "yang:value=\"" + attribute(keys.get(0)) + "\"";
        }
        StringBuilder predicates = new StringBuilder();
        for (int i = 0; i < keys.size(); i++) {
            String quote = keys.get(i).contains("'") ? "\"" : "'";
            predicates.append("[p:").append(list.keys().get(i)).append('=').append(quote).append(keys.get(i)).append(quote).append(']');
        }
        return "xmlns:p=\"" + list.namespace() + "\" yang:key=\"" + attribute(predicates.toString()) + "\"";
    }

    private static String attribute(String value) {
        return escape(value).replace("\"", "&quot;");
    }

    private void writeElement(Step step, Node child, Path there, SchemaNode schemaNode, String namespace, String attributes,
            Marks marks, StringBuilder text) {
        text.append('<').append(schemaNode.name());
        if (!schemaNode.namespace().equals(namespace)) {
            text.append(" xmlns=\"").append(schemaNode.namespace()).append('"');
        }
        String operation = marks.operations().get(there);
        if (operation != null) {
            text.append(" xmlns:nc=\"").append(NETCONF).append("\" nc:operation=\"").append(operation).append('"');
        }
        text.append(attributes).append('>');
        if (schemaNode.isLeaf()) {
            text.append(escape(child.value()));
        } else if (schemaNode.kind() == NodeKind.LEAF_LIST) {
            text.append(escape(step.keys().get(0)));
        } else {
            writeKeys(schemaNode, step, text);
            writeEdit(child, there, schemaNode.children(), schemaNode.namespace(), marks, text);
        }
        text.append("</").append(schemaNode.name()).append('>');
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
    @Override
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

    @Override
    public String everything() {
        return filter(schema.roots().values().stream().map(root -> Path.ROOT.child(Step.of(root.name()))).toList());
    }

    /** Leaf-list entries and orders are selected by their list: a filter selects all its entries or none. */
    private Path selectable(Path path) {
        Optional<String> list = EntryOrder.listOf(path.last());
        if (list.isPresent()) {
            return path.parent().child(Step.of(list.get()));
        }
        SchemaNode schemaNode = schema.find(path).orElseThrow();
        return schemaNode.kind() == NodeKind.LEAF_LIST ? path.parent().child(Step.of(schemaNode.name())) : path;
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

    @Override
    public Difference widen(Difference difference, Node before) {
        return difference;
    }

    @Override
    public List<String> faults(Difference difference, Node before, Node after) {
        return Conformance.faults(schema, before, after, difference.paths()).stream()
                .map(fault -> fault.at() + " " + fault.message()).toList();
    }
}
