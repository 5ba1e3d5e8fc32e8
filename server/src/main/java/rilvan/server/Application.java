package rilvan.server;

import java.util.UUID;
import org.springframework.boot.SpringApplication;
import org.springframework.boot.autoconfigure.SpringBootApplication;
import org.springframework.boot.context.properties.EnableConfigurationProperties;
import rilvan.server.cluster.ClusterMember;

/** Starts the service. */
@SpringBootApplication
@EnableConfigurationProperties(Settings.class)
public class Application {

    public static void main(String[] args) {
        // In every line of the log, and in the store: which instance of several it is.
        System.setProperty(ClusterMember.INSTANCE, UUID.randomUUID().toString().substring(0, 8));
        SpringApplication.run(Application.class, args);
    }
}
