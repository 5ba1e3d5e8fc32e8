package rilvan.server.access;

import java.util.Arrays;
import java.util.EnumSet;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;

/** What somebody may do. */
public enum Role {
    /** See everything, and run checks. */
    LOOK,
    /** Work orders out: previews. */
    PREPARE,
    /** Agree to what another person has prepared. */
    APPROVE,
    /** Run orders, cancel them, and decide about drift and devices in doubt. */
    RUN,
    /** Publish models, dialects and the vocabulary. */
    AUTHOR,
    /** People, the network, devices' keys and credentials, settings. */
    ADMINISTER;

    public static final Set<Role> ALL = Set.of(values());

    /** Whether who has this role may do what another one is for: everybody may look, and who runs orders may work them out. */
    boolean covers(Role needed) {
        return this == needed || needed == LOOK || this == RUN && needed == PREPARE;
    }

    /** Whether it may hold for some tenants or sites only; what the others are for is everybody's. */
    boolean canBeScoped() {
        return this != AUTHOR && this != ADMINISTER;
    }

    public String words() {
        return name().toLowerCase(Locale.ROOT);
    }

    static Optional<Role> named(String word) {
        return Arrays.stream(values()).filter(role -> role.words().equals(word)).findFirst();
    }

    /** The words of some roles, in the order of their declaration. */
    static List<String> words(Set<Role> roles) {
        return roles.isEmpty() ? List.of() : EnumSet.copyOf(roles).stream().map(Role::words).toList();
    }
}
