package rilvan.core.network;

import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import rilvan.core.document.KnownNames;
import rilvan.core.network.Network.End;

/** Whom services may be for, and at which ports these are attached. */
public final class Tenants {

    /** Any name is a tenant's; nobody is attached anywhere. */
    public static final Tenants ANY = new Tenants(false, List.of());

    private final boolean kept;
    private final Map<String, Tenant> byName = new TreeMap<>();
    private final Map<String, String> renamed = new HashMap<>();
    private final Map<End, Set<String>> attached = new HashMap<>();

    /**
     * A tenant.
     *
     * @param contact how its people are reached, for people
     * @param attachments the ports at which it is attached
     * @param formerNames names that it had before
     */
    public record Tenant(String name, String contact, List<End> attachments, List<String> formerNames) {}

    private Tenants(boolean kept, Collection<Tenant> tenants) {
        this.kept = kept;
        tenants.forEach(tenant -> {
            byName.put(tenant.name(), tenant);
            tenant.formerNames().forEach(former -> renamed.put(former, tenant.name()));
            tenant.attachments().forEach(port -> attached.computeIfAbsent(port, end -> new TreeSet<>()).add(tenant.name()));
        });
    }

    /** These, and no others. */
    public static Tenants of(Collection<Tenant> tenants) {
        return new Tenants(true, tenants);
    }

    public Collection<Tenant> all() {
        return byName.values();
    }

    public Optional<Tenant> tenant(String name) {
        return Optional.ofNullable(byName.get(name));
    }

    /** Why a service cannot be for somebody, and what would do; absent where it can. */
    public Optional<String> fault(String name) {
        if (!kept || byName.containsKey(name)) {
            return Optional.empty();
        }
        String there = "there is no tenant named '" + name + "'";
        return Optional.of(renamed.containsKey(name) ? there + " any more; it is named " + renamed.get(name) + " now"
                : there + KnownNames.nearest(name, byName.keySet()).map(near -> "; the nearest is " + near).orElse("; somebody who administers can add it"));
    }

    /** Why a service for somebody cannot be at a port; absent where it can: nobody is attached there, or this tenant is; and where that is none at all. */
    public Optional<String> faultAt(End port, String name) {
        Set<String> there = attached.getOrDefault(port, Set.of());
        return there.isEmpty() || there.contains(name) || fault(name).isPresent() ? Optional.empty()
                : Optional.of("the port " + port.port() + " of " + port.device() + " is an attachment point of " + String.join(", ", there) + " and not of " + name
                        + "; take another port, or have it added to the attachment points of " + name);
    }
}
