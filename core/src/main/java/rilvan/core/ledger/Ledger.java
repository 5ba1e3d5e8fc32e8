package rilvan.core.ledger;

import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.SortedSet;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.pcollections.PSortedSet;
import rilvan.core.schema.WholeEntries;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/** Every managed node of one device. */
public record Ledger(Map<Path, Entry> entries) {

    public static final Ledger EMPTY = new Ledger(Map.of());

    public Ledger {
        entries = Collections.unmodifiableMap(new LinkedHashMap<>(entries));
    }

    /**
     * A managed node.
     *
     * @param value what it says; empty where the node has no value of its own
     * @param owners who wants it; never empty
     * @param prior the value that stood there before the first owner; absent where nothing stood there
     */
    public record Entry(String value, PSortedSet<Owner> owners, Optional<String> prior) {
        public Entry {
            if (owners.isEmpty()) {
                throw new IllegalArgumentException("a managed node has an owner");
            }
        }

        /** Whether this is what was found: a value, or nothing where the node is gone. */
        public boolean says(Optional<String> found) {
            return found.equals(Optional.of(value));
        }

        /** Who wants it, by name. */
        public SortedSet<String> services() {
            return owners.stream().map(Owner::service).collect(Collectors.toCollection(TreeSet::new));
        }

        public boolean ownedBy(String service) {
            return owners.stream().anyMatch(owner -> owner.service().equals(service));
        }
    }

    /**
     * What stands on the device within entries that services have whole, and that nobody has ordered: the outermost nodes, each with the entry. An entry in which something stood before
     * its first service is shared, and not looked at.
     */
    public SortedMap<Path, Path> additions(Node holds, WholeEntries whole) {
        return whole.additions(holds, path -> Optional.ofNullable(entries.get(path)).filter(entry -> entry.prior().isEmpty()).isPresent(), entries::containsKey);
    }

    /** The nodes that one service owns on this device, as a tree. */
    public Node footprint(String service) {
        Node footprint = Node.EMPTY;
        for (Map.Entry<Path, Entry> entry : entries.entrySet()) {
            if (entry.getValue().ownedBy(service)) {
                Node there = footprint.at(entry.getKey()).orElse(Node.EMPTY);
                footprint = footprint.with(entry.getKey(), new Node(true, entry.getValue().value(), there.children()));
            }
        }
        return footprint;
    }
}
