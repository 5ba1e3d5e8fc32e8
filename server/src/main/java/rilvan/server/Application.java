package rilvan.server;

import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import org.springframework.boot.SpringApplication;
import org.springframework.boot.autoconfigure.SpringBootApplication;
import org.springframework.boot.context.properties.ConfigurationProperties;
import org.springframework.boot.context.properties.EnableConfigurationProperties;
import org.springframework.context.annotation.Bean;
import rilvan.core.catalog.Catalog;
import rilvan.core.plan.Explainer;
import rilvan.server.inventory.DatabaseAllocations;
import rilvan.server.inventory.StoredPlanningSource;

/** Starts the service. */
@SpringBootApplication
@EnableConfigurationProperties(Application.Settings.class)
public class Application {

    /**
     * What an installation sets.
     *
     * @param models folder of service models, dialects and the vocabulary
     * @param keyFile the key that device credentials are encrypted with
     * @param proofPatience how long a check may take to become true
     * @param proofRest how long after a change to a service that stood already its checks begin
     * @param watch how long after a service was seen it is looked at again
     * @param lease how long an instance may be silent before another one takes over what it drives
     * @param testStore whether the database may forget what it was told
     */
    @ConfigurationProperties("rilvan")
    public record Settings(Path models, Path keyFile, Duration proofPatience, Duration proofRest, Duration watch, Duration lease, boolean testStore) {}

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
        SpringApplication.run(Application.class, args);
    }
}
