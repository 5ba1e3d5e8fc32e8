package rilvan.core.drift;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.SortedSet;
import java.util.TreeMap;
import java.util.TreeSet;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * A managed node that says something else on its device than the ledger. Where an entry is gone with all that was in it, the entry alone.
 *
 * @param ordered the value that the ledger has; empty where the node has no value of its own
 * @param found the value on the device; absent where the node is gone
 * @param services those that own the node, in the order of their names
 */
public record Drift(Path at, String ordered, Optional<String> found, SortedSet<String> services) {

    /** All managed nodes that differ, in the order of their paths. Its cost follows the ledger. */
    public static List<Drift> between(Ledger ledger, Node holds) {
        // Few differ or none: only these are brought into order.
        SortedMap<Path, Ledger.Entry> differing = new TreeMap<>();
        ledger.entries().forEach((path, entry) -> {
            if (!entry.says(holds.valueAt(path))) {
                differing.put(path, entry);
            }
        });
        List<Drift> drift = new ArrayList<>();
        Optional<Path> gone = Optional.empty();
        for (Map.Entry<Path, Ledger.Entry> each : differing.entrySet()) {
            Path path = each.getKey();
            String ordered = each.getValue().value();
            Optional<String> found = holds.valueAt(path);
            if (gone.filter(above -> above.covers(path)).isPresent()) {
                continue;
            }
            SortedSet<String> services = new TreeSet<>();
            each.getValue().owners().stream().map(Owner::service).forEach(services::add);
            drift.add(new Drift(path, ordered, found, services));
            gone = found.isEmpty() ? Optional.of(path) : gone;
        }
        return drift;
    }

    /** What differs, as a sentence without its device. */
    public String inWords() {
        return at + " is " + found.map(value -> value.isEmpty() ? "there" : "'" + value + "'").orElse("gone") + (ordered.isEmpty() ? "" : "; ordered: '" + ordered + "'")
                + " (" + String.join(", ", services) + ")";
    }
}
