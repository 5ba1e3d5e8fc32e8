package rilvan.server.installation;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.Settings;
import rilvan.server.store.InstallationFigures;

/** Whether services are checked in time. */
@Component
@Order(5)
final class ChecksPart implements InstallationPart {

    private final InstallationFigures figures;
    private final Settings settings;

    ChecksPart(InstallationFigures figures, Settings settings, MeterRegistry registry) {
        this.figures = figures;
        this.settings = settings;
        Gauge.builder("rilvan.checks.behind", () -> figures.longestUnchecked().orElse(0L)).baseUnit("seconds").description("Since the service was checked that was checked longest ago").register(registry);
    }

    @Override
    public Part look() {
        return Timely.part("checks of services", figures.longestUnchecked(), settings.healthInterval(), figures.failing() + " services fail", "rilvan service list --failing");
    }
}
