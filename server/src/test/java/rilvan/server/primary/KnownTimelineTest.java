package rilvan.server.primary;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import rilvan.server.primary.KnownTimeline.Timeline;

class KnownTimelineTest {

    @TempDir
    private Path folder;

    @Test
    void aFormerPrimaryIsRefusedAlsoAfterARestart() {
        Optional<Path> file = Optional.of(folder.resolve("timeline"));
        KnownTimeline known = new KnownTimeline(file);
        assertThat(known.refuses(new Timeline(7, 1))).isEmpty();
        assertThat(known.seen(new Timeline(7, 1))).isTrue();
        assertThat(known.seen(new Timeline(7, 1))).isFalse();
        assertThat(known.seen(new Timeline(7, 2))).isTrue();
        for (KnownTimeline each : List.of(known, new KnownTimeline(file))) {
            assertThat(each.refuses(new Timeline(7, 1))).hasValueSatisfying(why -> assertThat(why).contains("is a former primary: it is on timeline 1, and 2 has been seen"));
            assertThat(each.refuses(new Timeline(7, 2))).isEmpty();
            assertThat(each.refuses(new Timeline(7, 3))).isEmpty();
            assertThat(each.refuses(new Timeline(8, 3))).hasValueSatisfying(why -> assertThat(why).contains("is another database"));
        }
    }

    @Test
    void aFileThatSaysNothingIsNotTakenForNothing() throws Exception {
        Path file = Files.writeString(folder.resolve("timeline"), "what?");
        assertThatThrownBy(() -> new KnownTimeline(Optional.of(file))).hasMessageContaining("does not say which timeline");
    }

    @Test
    void anAddressNamesOneHostOrSeveral() {
        assertThat(StoreHosts.of("jdbc:postgresql://one:5432/rilvan", "me", "secret")).isEmpty();
        StoreHosts hosts = StoreHosts.of("jdbc:postgresql://one:5432,two/rilvan?ssl=true", "me", "secret").orElseThrow();
        assertThat(hosts.hosts()).containsExactly("one:5432", "two");
        assertThat(hosts.address("two")).isEqualTo("jdbc:postgresql://two/rilvan?ssl=true");
    }
}
