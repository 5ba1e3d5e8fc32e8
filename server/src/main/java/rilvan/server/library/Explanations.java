package rilvan.server.library;

import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import rilvan.core.plan.Explainer;
import rilvan.server.inventory.DatabaseAllocations;
import rilvan.server.inventory.StoredPlanningSource;

/** Answers by what is in force. */
@Configuration
class Explanations {

    /** Answers who put a line on a device, and why. */
    @Bean
    Explainer explainer(Library library, StoredPlanningSource source, DatabaseAllocations numbers) {
        return new Explainer(library::catalog, source, numbers);
    }
}
