package rilvan.server.access;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;

class GuessesTest {

    private final AtomicLong now = new AtomicLong(1_000);
    private final Guesses guesses = new Guesses(now::get);

    private void refused(String account, String address, int times) {
        for (int i = 0; i < times; i++) {
            guesses.refused(account, address);
        }
    }

    /** Some are free; then each waits twice as long as the one before, up to about a minute, whether there is such an account or not. */
    @Test
    void eachWaitsLonger() {
        refused("anna", "192.0.2.1", 4);
        assertThat(guesses.pause("anna", "192.0.2.1")).isEmpty();
        for (long seconds : new long[] {1, 2, 4, 8, 16, 32, 64, 64, 64}) {
            guesses.refused("anna", "192.0.2.1");
            assertThat(guesses.pause("anna", "192.0.2.9")).contains(Duration.ofSeconds(seconds));
            now.addAndGet(Duration.ofSeconds(seconds).toNanos());
            assertThat(guesses.pause("anna", "192.0.2.1")).isEmpty();
        }
    }

    /** Many accounts from one address are guessed at as one; others are not in their way. */
    @Test
    void anAddressThatGuessesWaitsForEveryAccount() {
        for (int i = 0; i < 50; i++) {
            assertThat(guesses.pause("fresh", "192.0.2.1")).isEmpty();
            guesses.refused("account" + i, "192.0.2.1");
        }
        assertThat(guesses.pause("fresh", "192.0.2.1")).isPresent();
        assertThat(guesses.pause("fresh", "192.0.2.2")).isEmpty();
    }

    @Test
    void whoSignsInIsFreeAgainAndWhatIsLongAgoIsForgotten() {
        refused("anna", "192.0.2.1", 7);
        now.addAndGet(Duration.ofMinutes(2).toNanos());
        guesses.signedIn("anna");
        assertThat(guesses.pause("anna", "192.0.2.2")).isEqualTo(Optional.empty());
        now.addAndGet(Duration.ofMinutes(16).toNanos());
        guesses.refused("bert", "192.0.2.1");
        assertThat(guesses.pause("bert", "192.0.2.1")).isEmpty();
    }
}
