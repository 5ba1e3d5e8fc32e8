package rilvan.server.orders.timing;

import java.time.Instant;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.Optional;

/**
 * When an order may begin, worked out.
 *
 * @param at absent for at once
 * @param latest when it is too late; absent where it never is
 */
public record Start(Optional<Instant> at, Optional<Instant> latest) {

    /** As it is stored; null where it is absent. */
    public OffsetDateTime storedAt() {
        return stored(at);
    }

    /** As it is stored; null where it is absent. */
    public OffsetDateTime storedLatest() {
        return stored(latest);
    }

    private static OffsetDateTime stored(Optional<Instant> time) {
        return time.map(instant -> instant.atOffset(ZoneOffset.UTC)).orElse(null);
    }
}
