package rilvan.server.installation;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.Settings;
import rilvan.server.store.InstallationFigures;

/** Whether devices are read in time. */
@Component
@Order(6)
final class ReadingsPart implements InstallationPart {

    private final InstallationFigures figures;
    private final Settings settings;

    ReadingsPart(InstallationFigures figures, Settings settings, MeterRegistry registry) {
        this.figures = figures;
        this.settings = settings;
        Gauge.builder("rilvan.readings.behind", () -> figures.longestUnread().orElse(0L)).baseUnit("seconds").description("Since the device was read that was read longest ago").register(registry);
    }

    @Override
    public Part look() {
        return Timely.part("readings of devices", figures.longestUnread(), settings.readingInterval(), figures.drifted() + " nodes have drifted", "rilvan device drift");
    }
}
