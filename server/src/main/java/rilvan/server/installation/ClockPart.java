package rilvan.server.installation;

import java.time.Duration;
import java.time.Instant;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.store.InstallationFigures;

/** Whether the clock of this instance is that of the store. */
@Component
@Order(13)
final class ClockPart implements InstallationPart {

    private static final Duration MOST = Duration.ofSeconds(5);

    private final InstallationFigures figures;

    ClockPart(InstallationFigures figures) {
        this.figures = figures;
    }

    @Override
    public Part look() {
        Duration ahead = Duration.between(figures.now().toInstant(), Instant.now());
        return ahead.abs().compareTo(MOST) < 0 ? Part.well("clock", "it goes with that of the store")
                : Part.toBeLookedAt("clock", "that of this instance is " + Amount.time(ahead.abs().toSeconds()) + (ahead.isNegative() ? " behind" : " ahead of") + " that of the store", "set it, and keep it set (NTP)");
    }
}
