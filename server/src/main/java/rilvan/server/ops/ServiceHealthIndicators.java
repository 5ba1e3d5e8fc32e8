package rilvan.server.ops;

import org.flywaydb.core.Flyway;
import org.springframework.boot.health.contributor.Health;
import org.springframework.boot.health.contributor.HealthIndicator;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.library.Library;

/** What must be so for the service to do its work, beside the database: its lease, the schema of the store, its models. */
@Configuration
public class ServiceHealthIndicators {

    /** Without its lease this instance may not drive orders. */
    @Bean
    HealthIndicator lease(ClusterMember member) {
        return () -> (member.isAlive() ? Health.up() : Health.down()).withDetail("instance", member.id()).build();
    }

    @Bean
    HealthIndicator migrations(Flyway flyway) {
        return () -> {
            int pending = flyway.info().pending().length;
            return (pending == 0 ? Health.up() : Health.down()).withDetail("version", String.valueOf(flyway.info().current().getVersion()))
                    .withDetail("pending", pending).build();
        };
    }

    /** What is wrong in the library keeps nothing else from being served: it is told, and not down. */
    @Bean
    HealthIndicator models(Library library) {
        return () -> Health.up().withDetail("models", library.catalog().models().size()).withDetail("families", library.catalog().dialects().size())
                .withDetail("problems", library.problems().stream().map(Object::toString).toList()).build();
    }
}
