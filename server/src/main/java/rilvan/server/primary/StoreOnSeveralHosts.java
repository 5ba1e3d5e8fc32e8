package rilvan.server.primary;

import com.zaxxer.hikari.HikariDataSource;
import java.nio.file.Path;
import java.util.Optional;
import org.springframework.beans.factory.config.BeanPostProcessor;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.core.env.Environment;

/** Where the address of the store names several hosts, the pool's connections are to its primary. */
@Configuration
class StoreOnSeveralHosts {

    @Bean
    static BeanPostProcessor connectionsToThePrimary(Environment environment) {
        return new BeanPostProcessor() {
            @Override
            public Object postProcessBeforeInitialization(Object bean, String name) {
                if (bean instanceof HikariDataSource pool) {
                    StoreHosts.of(pool.getJdbcUrl(), pool.getUsername(), pool.getPassword()).ifPresent(hosts -> connect(pool, hosts, environment));
                }
                return bean;
            }
        };
    }

    private static void connect(HikariDataSource pool, StoreHosts hosts, Environment environment) {
        Optional<Path> file = Optional.ofNullable(environment.getProperty("rilvan.store-timeline-file")).filter(text -> !text.isBlank()).map(Path::of);
        pool.setDataSource(new PrimaryStore(hosts, new KnownTimeline(file), () -> {
            if (pool.getHikariPoolMXBean() != null) {
                pool.getHikariPoolMXBean().softEvictConnections();
            }
        }));
        // Migrations connect by this address.
        pool.setJdbcUrl(pool.getJdbcUrl() + (hosts.rest().contains("?") ? "&" : "?") + "targetServerType=primary");
    }
}
