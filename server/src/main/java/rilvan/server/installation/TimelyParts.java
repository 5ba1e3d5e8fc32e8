package rilvan.server.installation;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import java.time.Duration;
import java.util.Optional;
import java.util.function.Supplier;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.core.annotation.Order;
import rilvan.server.Settings;
import rilvan.server.store.InstallationFigures;

/** What is done again and again, and whether it is done in time: checks of services, readings of devices. */
@Configuration
class TimelyParts {

    @Bean
    @Order(5)
    InstallationPart checks(InstallationFigures figures, Settings settings, MeterRegistry registry) {
        Gauge.builder("rilvan.checks.behind", () -> figures.longestUnchecked().orElse(0L)).baseUnit("seconds").description("Since the service was checked that was checked longest ago").register(registry);
        return new TimelyPart("checks of services", figures::longestUnchecked, settings.healthInterval(), () -> figures.failing() + " services fail", "rilvan service list --failing");
    }

    @Bean
    @Order(6)
    InstallationPart readings(InstallationFigures figures, Settings settings, MeterRegistry registry) {
        Gauge.builder("rilvan.readings.behind", () -> figures.longestUnread().orElse(0L)).baseUnit("seconds").description("Since the device was read that was read longest ago").register(registry);
        return new TimelyPart("readings of devices", figures::longestUnread, settings.readingInterval(), () -> figures.drifted() + " nodes have drifted", "rilvan device drift");
    }

    /**
     * @param longest seconds since that was done which was done longest ago; absent where nothing was yet
     * @param beside what else there is to say
     * @param command that tells more
     */
    record TimelyPart(String part, Supplier<Optional<Long>> longest, Duration interval, Supplier<String> beside, String command) implements InstallationPart {

        /** How much later than its interval something may be done before it counts as behind. */
        private static final int BEHIND_TIMES = 3;

        @Override
        public Part look() {
            Optional<Long> seconds = longest.get();
            String found = seconds.map(ago -> "none was longer ago than " + Amount.time(ago) + ", each is due every " + Amount.time(interval.toSeconds())).orElse("none yet") + "; " + beside.get();
            return seconds.filter(ago -> ago > BEHIND_TIMES * interval.toSeconds()).isEmpty() ? Part.well(part, found)
                    : Part.toBeLookedAt(part, found, "a device may be out of reach, or there is more to do than this machine can: " + command);
        }
    }
}
