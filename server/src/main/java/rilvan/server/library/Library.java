package rilvan.server.library;

import java.io.IOException;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import rilvan.core.catalog.Catalog;
import rilvan.core.plan.Explainer;
import rilvan.server.Settings;
import rilvan.server.inventory.DatabaseAllocations;
import rilvan.server.inventory.StoredPlanningSource;

/** The models and dialects of the folder that the settings name. One that is wrong keeps the service from starting. */
@Configuration
public class Library {

    /** What may be ordered, and on which families. A model or dialect that is wrong keeps the service from starting. */
    @Bean
    Catalog catalog(Settings settings) throws IOException {
        return Catalog.read(settings.models());
    }

    /** Answers who put a line on a device, and why. */
    @Bean
    Explainer explainer(Catalog catalog, StoredPlanningSource source, DatabaseAllocations numbers) {
        return new Explainer(catalog, source, numbers);
    }
}
