package rilvan.server.installation;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import java.util.stream.Collectors;
import org.flywaydb.core.Flyway;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.primary.StoreDurability;
import rilvan.server.store.InstallationFigures;

/** How large the store is, whether its schema is whole, and what can be lost of it. */
@Component
@Order(2)
final class StorePart implements InstallationPart {

    private static final int LARGEST_TABLES = 3;

    private final InstallationFigures figures;
    private final StoreDurability durability;
    private final Flyway flyway;

    StorePart(InstallationFigures figures, StoreDurability durability, Flyway flyway, MeterRegistry registry) {
        this.figures = figures;
        this.durability = durability;
        this.flyway = flyway;
        Gauge.builder("rilvan.store", figures, InstallationFigures::bytes).baseUnit("bytes").description("Size of the store").register(registry);
    }

    @Override
    public Part look() {
        String tables = figures.largest(LARGEST_TABLES).stream().map(table -> table.name() + " " + Amount.size(table.bytes())).collect(Collectors.joining(", "));
        int pending = flyway.info().pending().length;
        String found = Amount.size(figures.bytes()) + ", most of it in " + tables + "; its schema is at " + flyway.info().current().getVersion();
        if (pending > 0) {
            return Part.bad("store", found + "; " + pending + " migrations are to be done", "start this version of the service once more, and read its log");
        }
        return durability.risk().map(risk -> Part.toBeLookedAt("store", found + "; " + risk, "set synchronous_standby_names at the store, with synchronous_commit at on")).orElseGet(() -> Part.well("store", found));
    }
}
