package rilvan.core.environment;

import java.util.Optional;

/**
 * A device says that what it runs was changed (RFC 6470 §2.2).
 *
 * @param user who changed it; absent where the device itself did, or does not say
 */
public record ConfigurationNotice(Optional<String> user) {}
