package rilvan.lab.config;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;
import org.opendaylight.yangtools.yang.model.api.DataSchemaNode;
import org.opendaylight.yangtools.yang.model.api.LeafListSchemaNode;
import org.opendaylight.yangtools.yang.model.api.ListSchemaNode;
import org.w3c.dom.Element;

/**
 * The edit-config operation (RFC 6241 §7.2) on a configuration: all of an edit, or a fault and nothing of it; or, where it is to
 * go on, all of it but the nodes at fault.
 */
public final class EditConfig {

    private static final String YANG = "urn:ietf:params:xml:ns:yang:1";
    private static final String NETCONF = "urn:ietf:params:xml:ns:netconf:base:1.0";

    /** Stops at the first fault. */
    public static final Consumer<RpcError> STOP = fault -> {
        throw fault;
    };

    private final YangModel model;
    private final Consumer<RpcError> onFault;

    /**
     * @param onFault what each node at fault is told to; where it throws nothing, the edit goes on without that node
     */
    public EditConfig(YangModel model, Consumer<RpcError> onFault) {
        this.model = model;
        this.onFault = onFault;
    }

    /**
     * A whole configuration.
     *
     * @param config the {@code config} element
     * @throws RpcError naming the node at fault
     */
    public static Item whole(YangModel model, Element config) {
        return new EditConfig(model, STOP).apply(Item.EMPTY, config, "merge");
    }

    /** What is to be done with a node. */
    private enum Operation {
        MERGE, REPLACE, CREATE, DELETE, REMOVE, NONE;

        static Operation read(String name, String path) {
            for (Operation operation : values()) {
                if (operation.name().toLowerCase(java.util.Locale.ROOT).equals(name)) {
                    return operation;
                }
            }
            throw new RpcError("protocol", "bad-attribute", path, "there is no operation '" + name + "'");
        }
    }

    /**
     * The configuration after an edit.
     *
     * @param edit the {@code config} element
     * @param defaultOperation merge, replace or none
     * @throws RpcError naming the node at fault, where it stops there; the configuration given is untouched
     */
    public Item apply(Item config, Element edit, String defaultOperation) {
        Item base = defaultOperation.equals("replace") ? Item.EMPTY : config;
        Operation operation = defaultOperation.equals("replace") ? Operation.MERGE : Operation.read(defaultOperation, "");
        return children(base, edit, Optional.empty(), operation, "");
    }

    private Item children(Item target, Element edit, Optional<DataSchemaNode> schema, Operation inherited, String path) {
        Item result = target;
        for (Element element : Xml.elements(edit)) {
            result = tried(result, element, schema, inherited, path);
        }
        return result;
    }

    private Item tried(Item target, Element element, Optional<DataSchemaNode> parent, Operation inherited, String path) {
        try {
            DataSchemaNode node = model.child(parent, Xml.namespace(element), element.getLocalName()).orElseThrow(() ->
                    RpcError.application("unknown-element", path + "/" + element.getLocalName(), "there is no "
                            + element.getLocalName() + " here in " + Xml.namespace(element)));
            return child(target, element, node, parent, inherited, path);
        } catch (RpcError fault) {
            onFault.accept(fault);
            return target;
        }
    }

    private Item child(Item target, Element element, DataSchemaNode node, Optional<DataSchemaNode> parent, Operation inherited,
            String path) {
        Item named = identity(element, node, path);
        String at = path + "/" + YangModel.step(node, named);
        String attribute = element.getAttributeNS(NETCONF, "operation");
        Operation operation = attribute.isEmpty() ? inherited : Operation.read(attribute, at);
        Optional<Item> existing = target.children().stream().filter(item -> same(item, named, node)).findFirst();
        if (attribute.isEmpty() && operation == Operation.CREATE && YangModel.hasValue(node) && existing.isPresent()) {
            throw RpcError.application("data-exists", at, "it is given twice");
        }
        if (existing.isPresent() && YangModel.isUserOrdered(node) && element.hasAttributeNS(YANG, "insert") && operation != Operation.DELETE
                && operation != Operation.REMOVE) {
            // An entry that moves is taken out and put in again where it is to be.
            Item kept = operation == Operation.REPLACE ? built(named, element, node, Operation.MERGE, at)
                    : deeper(existing.get(), element, node, operation, at);
            return inserted(without(target, existing.get()), kept, element, node, at);
        }
        if (existing.isEmpty() && YangModel.isUserOrdered(node) && operation != Operation.DELETE && operation != Operation.REMOVE) {
            return inserted(target, built(named, element, node, operation == Operation.CREATE ? operation : Operation.MERGE, at), element, node, at);
        }
        switch (operation) {
            case DELETE, REMOVE:
                if (existing.isEmpty() && operation == Operation.DELETE) {
                    throw RpcError.application("data-missing", at, "there is nothing to delete");
                }
                return existing.map(item -> without(target, item)).orElse(target);
            case CREATE:
                if (existing.isPresent()) {
                    throw RpcError.application("data-exists", at, "it exists already");
                }
                return with(target, Optional.empty(), built(named, element, node, Operation.CREATE, at), node, parent);
            case REPLACE:
                return with(target, existing, built(named, element, node, Operation.MERGE, at), node, parent);
            case NONE:
                if (existing.isEmpty() && !YangModel.isPlainContainer(node)) {
                    throw RpcError.application("data-missing", at, "there is nothing here to work on");
                }
                return with(target, existing, deeper(existing.orElse(named), element, node, operation, at), node, parent);
            default:
                Item merged = YangModel.hasValue(node) ? named : deeper(existing.orElse(named), element, node, operation, at);
                return with(target, existing, merged, node, parent);
        }
    }

    /** The node's own name, value and keys, without what else stands below it. */
    private Item identity(Element element, DataSchemaNode node, String path) {
        String namespace = node.getQName().getNamespace().toString();
        String name = node.getQName().getLocalName();
        if (YangModel.hasValue(node)) {
            boolean deleted = element.getAttributeNS(NETCONF, "operation").matches("delete|remove") && !(node instanceof LeafListSchemaNode);
            return new Item(namespace, name, deleted ? "" : model.value(node, Xml.text(element), path + "/" + name), List.of());
        }
        List<Item> keys = new ArrayList<>();
        for (String key : YangModel.keys(node)) {
            Element leaf = Xml.elements(element).stream().filter(each -> each.getLocalName().equals(key)).findFirst()
                    .orElseThrow(() -> new RpcError("protocol", "missing-element", path + "/" + name, "an entry needs its key " + key));
            DataSchemaNode keyNode = model.child(Optional.of(node), namespace, key).orElseThrow();
            keys.add(new Item(namespace, key, model.value(keyNode, Xml.text(leaf), path + "/" + name + "/" + key), List.of()));
        }
        return new Item(namespace, name, "", keys);
    }

    private static boolean same(Item item, Item named, DataSchemaNode node) {
        if (!item.name().equals(named.name()) || !item.namespace().equals(named.namespace())) {
            return false;
        }
        if (node instanceof ListSchemaNode) {
            return YangModel.keys(node).stream().allMatch(key -> item.leaf(key).equals(named.leaf(key)));
        }
        return !(node instanceof LeafListSchemaNode) || item.text().equals(named.text());
    }

    private Item built(Item named, Element element, DataSchemaNode node, Operation operation, String path) {
        return YangModel.hasValue(node) ? named : deeper(named, element, node, operation, path);
    }

    private Item deeper(Item item, Element element, DataSchemaNode node, Operation operation, String path) {
        List<String> keys = YangModel.keys(node);
        Item result = item;
        for (Element below : Xml.elements(element)) {
            if (!keys.contains(below.getLocalName())) {
                result = tried(result, below, Optional.of(node), operation, path);
            }
        }
        return result;
    }

    /** The target with an entry of a list that the user orders put where its attributes say (RFC 7950 §7.8.6). */
    private Item inserted(Item target, Item item, Element element, DataSchemaNode node, String path) {
        List<Item> children = target.mutableChildren();
        List<Item> siblings = children.stream().filter(each -> each.name().equals(item.name()) && each.namespace().equals(item.namespace())).toList();
        String insert = element.getAttributeNS(YANG, "insert");
        if (siblings.isEmpty() || insert.isEmpty() || insert.equals("last")) {
            int last = siblings.isEmpty() ? children.size() : children.indexOf(siblings.get(siblings.size() - 1)) + 1;
            children.add(last, item);
            return target.withChildren(children);
        }
        if (insert.equals("first")) {
            children.add(children.indexOf(siblings.get(0)), item);
            return target.withChildren(children);
        }
        Item neighbour = siblings.stream().filter(each -> named(each, element, node)).findFirst().orElseThrow(() ->
                new RpcError("protocol", "bad-attribute", path, "the entry that it is placed " + insert + " is missing"));
        children.add(children.indexOf(neighbour) + (insert.equals("after") ? 1 : 0), item);
        return target.withChildren(children);
    }

    private static boolean named(Item item, Element element, DataSchemaNode node) {
        if (node instanceof LeafListSchemaNode) {
            return item.text().equals(element.getAttributeNS(YANG, "value"));
        }
        String wanted = element.getAttributeNS(YANG, "key").replaceAll("\\[\\w+:", "[").replace('"', '\'');
        StringBuilder predicates = new StringBuilder();
        YangModel.keys(node).forEach(key -> predicates.append('[').append(key).append("='").append(item.leaf(key)).append("']"));
        return predicates.toString().equals(wanted);
    }

    /** The target with an item put in its place: where it was, or after its siblings in schema order. */
    private Item with(Item target, Optional<Item> existing, Item item, DataSchemaNode node, Optional<DataSchemaNode> parent) {
        if (YangModel.isPlainContainer(node) && item.children().isEmpty()) {
            return existing.map(old -> without(target, old)).orElse(target);
        }
        List<Item> children = target.mutableChildren();
        Set<String> excluded = YangModel.otherCases(parent, node);
        children.removeIf(child -> excluded.contains(child.name()));
        if (existing.isPresent()) {
            children.set(children.indexOf(existing.get()), item);
            return target.withChildren(children);
        }
        List<DataSchemaNode> order = model.childrenOf(parent);
        int rank = order.indexOf(node);
        int place = 0;
        while (place < children.size() && rank(order, children.get(place)) <= rank) {
            place++;
        }
        children.add(place, item);
        return target.withChildren(children);
    }

    private static int rank(List<DataSchemaNode> order, Item item) {
        for (int i = 0; i < order.size(); i++) {
            if (order.get(i).getQName().getLocalName().equals(item.name())
                    && order.get(i).getQName().getNamespace().toString().equals(item.namespace())) {
                return i;
            }
        }
        return -1;
    }

    private static Item without(Item target, Item item) {
        List<Item> children = target.mutableChildren();
        children.remove(item);
        return target.withChildren(children);
    }
}
