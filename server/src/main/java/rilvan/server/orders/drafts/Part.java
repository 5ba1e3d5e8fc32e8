package rilvan.server.orders.drafts;

import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Stream;
import rilvan.server.store.DraftRecords.EntryRow;

/**
 * A part of a draft: the entries that fit everything that is said. Where nothing is said of something, all fit.
 *
 * @param services names of services
 * @param people whose entries
 * @param tenants whom the services are for
 * @param models of the services
 * @param kinds what becomes of the services: ADD, CHANGE, REMOVE, REFRESH, MOVE
 */
public record Part(Set<String> services, Set<String> people, Set<String> tenants, Set<String> models, Set<String> kinds) {

    /** The whole of it. */
    public static final Part ALL = new Part(Set.of(), Set.of(), Set.of(), Set.of(), Set.of());

    /** The same for the same part. */
    String inWords() {
        return Stream.of(services, people, tenants, models, kinds).map(TreeSet::new).toList().toString();
    }

    boolean has(EntryRow entry) {
        return fits(services, entry.service()) && fits(people, entry.who()) && fits(tenants, entry.tenant()) && fits(models, entry.model()) && fits(kinds, entry.kind());
    }

    private static boolean fits(Set<String> wanted, String value) {
        return wanted.isEmpty() || wanted.contains(value);
    }
}
