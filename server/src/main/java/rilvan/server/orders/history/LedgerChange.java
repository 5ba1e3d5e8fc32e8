package rilvan.server.orders.history;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import rilvan.server.store.Inventory.LedgerRow;

/**
 * What an order makes different in the ledger of a device, as the journal keeps it. The ledger itself may be long, and nobody else changes it
 * while the order holds the device.
 *
 * @param put entries that come or are other ones than before
 * @param gone paths of those that go
 */
public record LedgerChange(List<LedgerRow> put, List<String> gone) {

    public static LedgerChange between(List<LedgerRow> before, List<LedgerRow> after) {
        Map<String, LedgerRow> stood = byPath(before);
        List<LedgerRow> put = new ArrayList<>();
        for (LedgerRow entry : after) {
            if (!entry.equals(stood.remove(entry.path()))) {
                put.add(entry);
            }
        }
        return new LedgerChange(put, List.copyOf(stood.keySet()));
    }

    /** The entries that change, as they are before. */
    public List<LedgerRow> changing(List<LedgerRow> before) {
        Set<String> paths = new HashSet<>(gone);
        put.forEach(entry -> paths.add(entry.path()));
        return before.stream().filter(entry -> paths.contains(entry.path())).toList();
    }

    /** The ledger after the order. */
    public List<LedgerRow> applyTo(List<LedgerRow> before) {
        Map<String, LedgerRow> entries = byPath(before);
        gone.forEach(entries::remove);
        put.forEach(entry -> entries.put(entry.path(), entry));
        return List.copyOf(entries.values());
    }

    private static Map<String, LedgerRow> byPath(List<LedgerRow> entries) {
        Map<String, LedgerRow> byPath = new TreeMap<>();
        entries.forEach(entry -> byPath.put(entry.path(), entry));
        return byPath;
    }
}
