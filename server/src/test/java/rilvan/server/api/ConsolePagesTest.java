package rilvan.server.api;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

class ConsolePagesTest {

    private static final Pattern ROUTE = Pattern.compile("\\{ path: '([^']+)'");

    /** Each page of the console can be linked to. */
    @Test
    void everyPageOfTheConsoleHasAnAddress() throws Exception {
        List<String> routes = ROUTE.matcher(Files.readString(Path.of("../console/src/app/router.ts"))).results().map(found -> found.group(1).replaceAll(":\\w+", "*")).distinct().toList();
        assertThat(ConsolePages.ALL).containsExactlyInAnyOrderElementsOf(routes);
    }
}
