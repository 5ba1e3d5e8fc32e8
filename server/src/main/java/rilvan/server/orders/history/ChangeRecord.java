package rilvan.server.orders.history;

import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import rilvan.core.tree.Change;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * A change as the journal keeps it.
 *
 * @param at path of the changed node
 * @param before the nodes that are there before, by path from the changed one down, with their values
 * @param after those that are there afterwards
 */
public record ChangeRecord(String at, Map<String, String> before, Map<String, String> after) {

    public static List<ChangeRecord> of(Difference difference) {
        return difference.changes().stream()
                .map(change -> new ChangeRecord(change.at().toString(), nodes(change.before()), nodes(change.after()))).toList();
    }

    public static Difference difference(List<ChangeRecord> records) {
        return new Difference(records.stream()
                .map(record -> new Change(Path.parse(record.at()), tree(record.before()), tree(record.after()))).toList());
    }

    private static Map<String, String> nodes(Node node) {
        Map<String, String> nodes = new TreeMap<>();
        node.eachPresent((path, each) -> nodes.put(path.toString(), each.value()));
        return nodes;
    }

    private static Node tree(Map<String, String> nodes) {
        Map<Path, String> present = new TreeMap<>();
        nodes.forEach((path, value) -> present.put(Path.parse(path), value));
        return Node.of(present);
    }
}
