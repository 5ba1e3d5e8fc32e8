package rilvan.server.orders.timing;

import java.time.Instant;
import java.util.Optional;

/**
 * When an order may begin, worked out.
 *
 * @param at absent for at once
 * @param latest when it is too late; absent where it never is
 */
public record Start(Optional<Instant> at, Optional<Instant> latest) {}
