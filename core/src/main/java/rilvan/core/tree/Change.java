package rilvan.core.tree;

/**
 * One change of a configuration tree: the subtree at a path becomes another. {@link Node#EMPTY} stands for nothing there,
 * so a change with an empty {@code before} creates and one with an empty {@code after} removes.
 */
public record Change(Path at, Node before, Node after) {

    public Change {
        if (before.equals(after)) {
            throw new IllegalArgumentException("nothing changes at " + at);
        }
    }

    public Change inverse() {
        return new Change(at, after, before);
    }
}
