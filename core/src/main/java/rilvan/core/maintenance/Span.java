package rilvan.core.maintenance;

import java.time.Duration;
import java.time.Instant;

/** A stretch of time, without its end. */
public record Span(Instant from, Instant until) {

    public Duration length() {
        return Duration.between(from, until);
    }
}
