package rilvan.server;

import java.io.IOException;
import java.util.UUID;
import org.springframework.boot.SpringApplication;
import org.springframework.boot.autoconfigure.SpringBootApplication;
import org.springframework.boot.context.properties.EnableConfigurationProperties;
import org.springframework.context.annotation.Bean;
import rilvan.core.catalog.Catalog;
import rilvan.core.plan.Explainer;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.inventory.DatabaseAllocations;
import rilvan.server.inventory.StoredPlanningSource;

/** Starts the service. */
@SpringBootApplication
@EnableConfigurationProperties(Settings.class)
public class Application {

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

    public static void main(String[] args) {
        // In every line of the log, and in the store: which instance of several it is.
        System.setProperty(ClusterMember.INSTANCE, UUID.randomUUID().toString().substring(0, 8));
        SpringApplication.run(Application.class, args);
    }
}
