package rilvan.server;

import java.util.UUID;
import org.springframework.boot.SpringApplication;
import org.springframework.boot.autoconfigure.SpringBootApplication;
import org.springframework.boot.context.properties.EnableConfigurationProperties;
import org.springframework.boot.security.autoconfigure.UserDetailsServiceAutoConfiguration;
import rilvan.server.cluster.ClusterMember;

/** Starts the service. Nobody but the accounts in the store signs in: the framework's own account, with a password that it writes to the log, is left out. */
@SpringBootApplication(exclude = UserDetailsServiceAutoConfiguration.class)
@EnableConfigurationProperties(Settings.class)
public class Application {

    public static void main(String[] args) {
        // In every line of the log, and in the store: which instance of several it is.
        System.setProperty(ClusterMember.INSTANCE, UUID.randomUUID().toString().substring(0, 8));
        SpringApplication.run(Application.class, args);
    }
}
