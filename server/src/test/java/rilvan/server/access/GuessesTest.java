package rilvan.server.access;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;

class GuessesTest {

    private final AtomicLong now = new AtomicLong(1_000);
    private final Guesses guesses = new Guesses(now::get);

    private void free(String account, String address, int times) {
        for (int i = 0; i < times; i++) {
            assertThat(guesses.begin(account, address)).isEmpty();
        }
    }

    /** Some are free; then each waits twice as long as the one before, up to about a minute, whether there is such an account or not. */
    @Test
    void eachWaitsLonger() {
        free("anna", "192.0.2.1", 5);
        for (long seconds : new long[] {1, 2, 4, 8, 16, 32, 64, 64, 64}) {
            assertThat(guesses.begin("anna", "192.0.2.9")).contains(Duration.ofSeconds(seconds));
            now.addAndGet(Duration.ofSeconds(seconds).toNanos());
            free("anna", "192.0.2.1", 1);
        }
    }

    /** Many accounts from one address are guessed at as one; others are not in their way. */
    @Test
    void anAddressThatGuessesWaitsForEveryAccount() {
        for (int i = 0; i < 50; i++) {
            free("account" + i, "192.0.2.1", 1);
        }
        assertThat(guesses.begin("fresh", "192.0.2.1")).isPresent();
        free("fresh", "192.0.2.2", 1);
    }

    @Test
    void whoSignsInIsFreeAgainAndWhatIsLongAgoIsForgotten() {
        for (int i = 0; i < 200; i++) {
            free("anna", "192.0.2.1", 1);
            guesses.signedIn("anna", "192.0.2.1");
        }
        free("bert", "192.0.2.1", 5);
        assertThat(guesses.begin("bert", "192.0.2.1")).isPresent();
        now.addAndGet(Duration.ofMinutes(16).toNanos());
        free("bert", "192.0.2.1", 5);
    }
}
