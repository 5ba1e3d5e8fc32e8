package rilvan.server.access;

import java.util.Collection;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;

/**
 * What a role holds for.
 *
 * @param tenants services of these; of all where absent
 * @param sites devices of these; of all where absent
 */
public record Scope(Optional<Set<String>> tenants, Optional<Set<String>> sites) {

    static final Scope ALL = new Scope(Optional.empty(), Optional.empty());

    public boolean isAll() {
        return tenants.isEmpty() && sites.isEmpty();
    }

    boolean isFor(String tenant) {
        return tenants.isEmpty() || tenants.get().contains(tenant);
    }

    boolean reaches(Collection<String> all) {
        return sites.isEmpty() || sites.get().containsAll(all);
    }

    boolean seesAt(Collection<String> any) {
        return sites.isEmpty() || any.stream().anyMatch(sites.get()::contains);
    }

    /** For whom and where, as in: anna may run orders … */
    public String inWords() {
        return isAll() ? "for all" : tenants.map(names -> "for " + named(names, "no tenant")).orElse("for all tenants") + sites.map(names -> " at " + named(names, "no site")).orElse("");
    }

    private static String named(Set<String> names, String none) {
        return names.isEmpty() ? none : String.join(", ", new TreeSet<>(names));
    }
}
