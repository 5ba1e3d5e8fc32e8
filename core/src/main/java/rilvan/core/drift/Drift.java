package rilvan.core.drift;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.SortedSet;
import java.util.TreeMap;
import rilvan.core.ledger.Ledger;
import rilvan.core.schema.WholeEntries;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * A managed node that says something else on its device than the ledger, or something that was put into an entry that services have whole. Where an entry is gone, or was put there,
 * with all that is in it, the entry alone.
 *
 * @param ordered the value that the ledger has, which is empty where the node has no value of its own; absent where nothing was ordered
 * @param found the value on the device; absent where the node is gone
 * @param services those that own the node, or the entry that it was put into, in the order of their names
 */
public record Drift(Path at, Optional<String> ordered, Optional<String> found, SortedSet<String> services) {

    /**
     * All that differs, in the order of the paths. Its cost follows the ledger and the entries that services have whole.
     *
     * @param whole which these are, of the device's family
     */
    public static List<Drift> between(Ledger ledger, Node holds, WholeEntries whole) {
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
            Optional<String> found = holds.valueAt(path);
            if (gone.filter(above -> above.covers(path)).isPresent()) {
                continue;
            }
            drift.add(new Drift(path, Optional.of(each.getValue().value()), found, each.getValue().services()));
            gone = found.isEmpty() ? Optional.of(path) : gone;
        }
        SortedMap<Path, Path> additions = ledger.additions(holds, whole);
        if (!additions.isEmpty()) {
            additions.forEach((path, entry) -> drift.add(new Drift(path, Optional.empty(), holds.valueAt(path), ledger.entries().get(entry).services())));
            drift.sort(Comparator.comparing(Drift::at));
        }
        return drift;
    }

    /** What differs, as a sentence without its device. */
    public String inWords() {
        return at + " is " + found.map(value -> value.isEmpty() ? "there" : "'" + value + "'").orElse("gone") + ordered.map(value -> value.isEmpty() ? "" : "; ordered: '" + value + "'").orElse("; it was not ordered")
                + " (" + String.join(", ", services) + ")";
    }
}
