package rilvan.core.tree;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/**
 * What changes from one tree to another. For all trees {@code a} and {@code b}: {@code between(a, b).applyTo(a)} equals
 * {@code b}, and the inverse leads back. Its cost follows what differs: parts shared by both trees are not walked.
 *
 * @param changes in the order of their paths; none of them stands below another
 */
public record Difference(List<Change> changes) {

    public static final Difference NONE = new Difference(List.of());

    public Difference {
        changes = List.copyOf(changes);
    }

    public static Difference between(Node a, Node b) {
        List<Change> changes = new ArrayList<>();
        collect(Path.ROOT, a, b, changes);
        return new Difference(changes);
    }

    private static void collect(Path here, Node a, Node b, List<Change> changes) {
        if (a == b) {
            return;
        }
        boolean comparable = here.isRoot() || !a.isEmpty() && !b.isEmpty();
        if (!comparable || a.present() != b.present() || !a.value().equals(b.value())) {
            if (!a.equals(b)) {
                changes.add(new Change(here, a, b));
            }
            return;
        }
        // Both child maps are sorted by step: walk them side by side.
        var left = a.children().entrySet().iterator();
        var right = b.children().entrySet().iterator();
        Map.Entry<Step, Node> x = next(left);
        Map.Entry<Step, Node> y = next(right);
        while (x != null || y != null) {
            int order = x == null ? 1 : y == null ? -1 : x.getKey().compareTo(y.getKey());
            Step step = order <= 0 ? x.getKey() : y.getKey();
            collect(here.child(step), order <= 0 ? x.getValue() : Node.EMPTY, order >= 0 ? y.getValue() : Node.EMPTY, changes);
            x = order <= 0 ? next(left) : x;
            y = order >= 0 ? next(right) : y;
        }
    }

    private static <T> T next(java.util.Iterator<T> iterator) {
        return iterator.hasNext() ? iterator.next() : null;
    }

    public boolean isEmpty() {
        return changes.isEmpty();
    }

    public List<Path> paths() {
        return changes.stream().map(Change::at).toList();
    }

    /**
     * The tree after these changes.
     *
     * @throws IllegalStateException where the tree does not hold what a change expects, naming the first such path
     */
    public Node applyTo(Node tree) {
        Node result = tree;
        for (Change change : changes) {
            Node found = result.at(change.at()).orElse(Node.EMPTY);
            if (!found.equals(change.before())) {
                throw new IllegalStateException(change.at() + " does not hold what the change expects");
            }
            result = result.with(change.at(), change.after());
        }
        return result;
    }

    /** The changes that undo these. */
    public Difference inverse() {
        List<Change> back = new ArrayList<>(changes.size());
        for (int i = changes.size() - 1; i >= 0; i--) {
            back.add(changes.get(i).inverse());
        }
        return new Difference(back);
    }
}
