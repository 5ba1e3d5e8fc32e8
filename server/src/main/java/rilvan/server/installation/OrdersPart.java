package rilvan.server.installation;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import java.time.Duration;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.store.InstallationFigures;
import rilvan.server.store.Orders;

/** How many orders are under way, and whether one takes long. */
@Component
@Order(4)
final class OrdersPart implements InstallationPart {

    private static final Duration LONG_UNDER_WAY = Duration.ofMinutes(10);

    private final InstallationFigures figures;
    private final Orders orders;

    OrdersPart(InstallationFigures figures, Orders orders, MeterRegistry registry) {
        this.figures = figures;
        this.orders = orders;
        Gauge.builder("rilvan.orders.oldest", () -> figures.oldestOrder().map(InstallationFigures.OldestOrder::seconds).orElse(0L)).baseUnit("seconds")
                .description("Since the oldest order that is under way was placed").register(registry);
    }

    @Override
    public Part look() {
        String found = orders.countRunning() + " under way, " + orders.countWaiting() + " wait";
        return figures.oldestOrder().filter(oldest -> oldest.seconds() > LONG_UNDER_WAY.toSeconds())
                .map(oldest -> Part.toBeLookedAt("orders", found + "; order " + oldest.id() + " was placed " + Amount.time(oldest.seconds()) + " ago", "rilvan order show " + oldest.id()))
                .orElseGet(() -> Part.well("orders", found));
    }
}
