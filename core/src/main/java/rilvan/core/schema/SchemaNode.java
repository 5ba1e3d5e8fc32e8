package rilvan.core.schema;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import rilvan.core.tree.Path;

/**
 * One line of a schema table.
 *
 * @param name local name; siblings differ in it
 * @param namespace XML namespace of the module that defines the node
 * @param keys names of the key leaves of a list, in order; empty otherwise
 * @param type what a leaf or a leaf-list entry may say; absent otherwise
 * @param mandatory a leaf that must be there where its parent is (RFC 7950 §7.6.5)
 * @param byDefault the value a leaf has when it is not said (RFC 7950 §7.6.1), for people to read
 * @param ordered whether the user orders the entries of a list or leaf-list (RFC 7950 §7.7.7)
 * @param choice {@code CHOICE/CASE} where the node belongs to a case of a choice (RFC 7950 §7.9); absent otherwise
 * @param refers names, without keys, of the nodes from the root down to the leaf whose values this one must be among
 *     (RFC 7950 §9.9); absent where it refers to nothing
 * @param constraints what must hold where the node is
 * @param children in schema order, which is also the order in which text is written
 */
public record SchemaNode(
        String name,
        String namespace,
        NodeKind kind,
        List<String> keys,
        Optional<ValueType> type,
        boolean mandatory,
        boolean ordered,
        Optional<String> choice,
        Optional<String> byDefault,
        Optional<Path> refers,
        List<Constraint> constraints,
        Map<String, SchemaNode> children) {

    /** The kinds of node that configuration is made of. */
    public enum NodeKind {
        CONTAINER, PRESENCE, LIST, LEAF, LEAF_LIST
    }

    public boolean isLeaf() {
        return kind == NodeKind.LEAF;
    }

    /** Whether the leaf is one of the keys of this list. */
    public boolean hasKey(String leaf) {
        return keys.contains(leaf);
    }
}
