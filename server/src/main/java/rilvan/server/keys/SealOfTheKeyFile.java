package rilvan.server.keys;

import java.util.List;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import rilvan.core.document.SecretSeal;

/** How secrets were sealed until the store had keys of its own: for migrations of stores of that time, which come before there are any. */
@Configuration
class SealOfTheKeyFile {

    @Bean
    SecretSeal sealByTheFile(KeyFile file) {
        return new ParameterSeal(use -> List.of(file.now().bytes()));
    }
}
