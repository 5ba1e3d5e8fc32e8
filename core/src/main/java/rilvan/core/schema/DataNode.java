package rilvan.core.schema;

import java.util.ArrayList;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.jaxen.BaseXPath;
import org.jaxen.DefaultNavigator;
import org.jaxen.JaxenConstants;
import org.jaxen.UnsupportedAxisException;
import org.jaxen.XPath;
import org.jaxen.saxpath.SAXPathException;
import rilvan.core.tree.EntryOrder;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;
import rilvan.core.tree.Unread;

/**
 * A node of the accessible tree of XPath expressions (RFC 7950 §6.4.1): what is configured, keys as leaves, and leaves that have their default value. Each is one
 * object, so that it is itself when it is found again.
 */
final class DataNode {

    private final DataNode parent;
    private final String name;
    private final Path path;
    private final String value;
    private final Optional<SchemaNode> schema;
    private final Map<String, SchemaNode> level;
    private final Node node;
    private final boolean configured;
    private List<DataNode> children;

    private DataNode(DataNode parent, String name, Path path, String value, Optional<SchemaNode> schema, Map<String, SchemaNode> level, Node node, boolean configured) {
        this.parent = parent;
        this.name = name;
        this.path = path;
        this.value = value;
        this.schema = schema;
        this.level = level;
        this.node = node;
        this.configured = configured;
    }

    static DataNode root(SchemaTable schema, Node root) {
        return new DataNode(null, "", Path.ROOT, "", Optional.empty(), schema.roots(), root, true);
    }

    private DataNode below(Step step, SchemaNode child, Node below, boolean there) {
        return new DataNode(this, child.name(), path.child(step), child.kind() == SchemaNode.NodeKind.LEAF_LIST ? step.keys().get(0) : below.value(), Optional.of(child), child.children(), below, there);
    }

    /** Where it stands; of a key, and of a leaf that has its default value, where it would. */
    Path path() {
        return path;
    }

    List<DataNode> children() {
        if (children == null) {
            children = new ArrayList<>();
            Step own = path.isRoot() ? null : path.last();
            schema.ifPresent(list -> {
                for (int i = 0; i < list.keys().size(); i++) {
                    String key = list.keys().get(i);
                    children.add(new DataNode(this, key, path.child(Step.of(key)), own.keys().get(i), Optional.of(level.get(key)), Map.of(), Node.EMPTY, true));
                }
            });
            node.children().forEach((step, child) -> {
                if (EntryOrder.listOf(step).isEmpty() && !Unread.is(step) && level.containsKey(step.name())) {
                    children.add(below(step, level.get(step.name()), child, true));
                }
            });
            level.values().stream().filter(child -> children.stream().noneMatch(each -> each.name.equals(child.name()))).forEach(child -> {
                Step step = Step.of(child.name());
                if (child.isLeaf() && child.byDefault().isPresent() && child.choice().isEmpty()) {
                    children.add(below(step, child, Node.leaf(child.byDefault().get()), false));
                } else if (child.kind() == SchemaNode.NodeKind.CONTAINER && child.choice().isEmpty()) {
                    children.add(below(step, child, Node.EMPTY, false));
                }
            });
        }
        return children;
    }

    /** Whether it is there in its own right, and not only by its default value. */
    boolean isConfigured() {
        return configured;
    }

    /** The nodes of its children of a name. */
    List<DataNode> children(String wanted) {
        return children().stream().filter(child -> child.name.equals(wanted)).toList();
    }

    String text() {
        if (children().isEmpty()) {
            return value;
        }
        StringBuilder text = new StringBuilder();
        children().forEach(child -> text.append(child.text()));
        return text.toString();
    }

    /** How XPath finds its way in such a tree. */
    static final class Navigator extends DefaultNavigator {

        private static final long serialVersionUID = 1;
        static final Navigator INSTANCE = new Navigator();

        @Override
        public Iterator<?> getChildAxisIterator(Object node) {
            return ((DataNode) node).children().iterator();
        }

        @Override
        public Iterator<?> getParentAxisIterator(Object node) throws UnsupportedAxisException {
            DataNode parent = ((DataNode) node).parent;
            return parent == null ? JaxenConstants.EMPTY_ITERATOR : List.of(parent).iterator();
        }

        @Override
        public Object getParentNode(Object node) {
            return ((DataNode) node).parent;
        }

        @Override
        public Object getDocumentNode(Object node) {
            DataNode top = (DataNode) node;
            while (top.parent != null) {
                top = top.parent;
            }
            return top;
        }

        @Override
        public boolean isDocument(Object node) {
            return node instanceof DataNode each && each.parent == null;
        }

        @Override
        public boolean isElement(Object node) {
            return node instanceof DataNode each && each.parent != null;
        }

        @Override
        public String getElementName(Object node) {
            return ((DataNode) node).name;
        }

        @Override
        public String getElementQName(Object node) {
            return ((DataNode) node).name;
        }

        @Override
        public String getElementNamespaceUri(Object node) {
            return "";
        }

        @Override
        public String getElementStringValue(Object node) {
            return ((DataNode) node).text();
        }

        @Override
        public boolean isAttribute(Object node) {
            return false;
        }

        @Override
        public boolean isNamespace(Object node) {
            return false;
        }

        @Override
        public boolean isComment(Object node) {
            return false;
        }

        @Override
        public boolean isText(Object node) {
            return false;
        }

        @Override
        public boolean isProcessingInstruction(Object node) {
            return false;
        }

        @Override
        public String getCommentStringValue(Object node) {
            return "";
        }

        @Override
        public String getTextStringValue(Object node) {
            return "";
        }

        @Override
        public String getAttributeStringValue(Object node) {
            return "";
        }

        @Override
        public String getNamespaceStringValue(Object node) {
            return "";
        }

        @Override
        public String getNamespacePrefix(Object node) {
            return "";
        }

        @Override
        public String getAttributeName(Object node) {
            return "";
        }

        @Override
        public String getAttributeQName(Object node) {
            return "";
        }

        @Override
        public String getAttributeNamespaceUri(Object node) {
            return "";
        }

        @Override
        public XPath parseXPath(String text) throws SAXPathException {
            return new BaseXPath(text, this);
        }
    }
}
