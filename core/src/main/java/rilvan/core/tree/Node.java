package rilvan.core.tree;

import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import org.pcollections.PSortedMap;
import org.pcollections.TreePMap;

/**
 * A node of a configuration tree with everything below it; immutable, so that trees share what they have in common.
 *
 * @param present whether the node is there in its own right: a leaf, a list or leaf-list entry, a container with presence
 *     (RFC 7950 §7.5.1). Any other container exists only as long as something stands below it
 * @param value the canonical value of a leaf; empty for every other node
 * @param children what stands below, in the order of their steps
 */
public record Node(boolean present, String value, PSortedMap<Step, Node> children) {

    /** Nothing at all; also the root of an empty configuration. */
    public static final Node EMPTY = new Node(false, "", TreePMap.empty());

    /** A node present in its own right with nothing below it: a list entry, leaf-list entry or presence container. */
    public static final Node ENTRY = new Node(true, "", TreePMap.empty());

    public static Node leaf(String value) {
        return new Node(true, value, TreePMap.empty());
    }

    public boolean isEmpty() {
        return !present && children.isEmpty();
    }

    public Optional<Node> child(Step step) {
        return Optional.ofNullable(children.get(step));
    }

    public Optional<Node> at(Path path) {
        Node node = this;
        for (Step step : path.steps()) {
            node = node.children.get(step);
            if (node == null) {
                return Optional.empty();
            }
        }
        return Optional.of(node);
    }

    /** What a node says that is present in its own right; absent where there is none. */
    public Optional<String> valueAt(Path path) {
        return at(path).filter(Node::present).map(Node::value);
    }

    /** This node with its child replaced; an empty child is taken away. */
    public Node withChild(Step step, Node child) {
        return new Node(present, value, child.isEmpty() ? children.minus(step) : children.plus(step, child));
    }

    /** This node without what stands below it. */
    public Node bare() {
        return children.isEmpty() ? this : new Node(present, value, TreePMap.empty());
    }

    /**
     * This tree with the node at the path replaced; {@link #EMPTY} takes it away. Containers without presence that are left
     * with nothing below them go too, and such containers on the way down appear as needed.
     */
    public Node with(Path path, Node node) {
        return with(path, 0, node);
    }

    private Node with(Path path, int depth, Node node) {
        if (depth == path.steps().size()) {
            return node;
        }
        Step step = path.steps().get(depth);
        Node child = children.getOrDefault(step, EMPTY);
        return withChild(step, child.with(path, depth + 1, node));
    }

    /** This tree with the nodes of the other added; where both have a leaf, the other's value stands. */
    public Node merge(Node other) {
        Node merged = new Node(present || other.present, other.present ? other.value : value, children);
        for (Map.Entry<Step, Node> entry : other.children.entrySet()) {
            Node mine = merged.children.get(entry.getKey());
            merged = merged.withChild(entry.getKey(), mine == null ? entry.getValue() : mine.merge(entry.getValue()));
        }
        return merged;
    }

    /** Calls the visitor for every node present in its own right, parents before what stands below them. */
    public void eachPresent(BiConsumer<Path, Node> visitor) {
        eachPresent(Path.ROOT, visitor);
    }

    private void eachPresent(Path here, BiConsumer<Path, Node> visitor) {
        if (present) {
            visitor.accept(here, this);
        }
        children.forEach((step, child) -> child.eachPresent(here.child(step), visitor));
    }

    /** Every node present in its own right, by path. */
    public Map<Path, Node> presentNodes() {
        Map<Path, Node> nodes = new TreeMap<>();
        eachPresent(nodes::put);
        return nodes;
    }

    /** The tree that has just these nodes present in their own right, each with its value. */
    public static Node of(Map<Path, String> present) {
        Node tree = EMPTY;
        for (Map.Entry<Path, String> entry : new TreeMap<>(present).entrySet()) {
            Node there = tree.at(entry.getKey()).orElse(EMPTY);
            tree = tree.with(entry.getKey(), new Node(true, entry.getValue(), there.children()));
        }
        return tree;
    }

    /**
     * What a reader needs to see changes at the given paths: the subtrees there, and the nodes they stand in as far as they
     * exist, bare, each marked as being there.
     */
    public Node around(Iterable<Path> paths) {
        Node seen = EMPTY;
        for (Path path : paths) {
            Node here = this;
            Path way = Path.ROOT;
            for (Step step : path.steps()) {
                here = here.children.get(step);
                if (here == null) {
                    break;
                }
                way = way.child(step);
                boolean whole = way.steps().size() == path.steps().size();
                if (whole) {
                    seen = seen.with(way, here);
                } else if (seen.at(way).filter(Node::present).isEmpty()) {
                    seen = seen.with(way, new Node(true, "", seen.at(way).orElse(EMPTY).children));
                }
            }
        }
        return seen;
    }
}
