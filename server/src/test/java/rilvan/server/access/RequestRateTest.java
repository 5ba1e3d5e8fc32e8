package rilvan.server.access;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

class RequestRateTest {

    private final AtomicLong now = new AtomicLong(1);
    private final RequestRate rate = new RequestRate(10, now::get);

    private long allowed(String account, int requests) {
        return IntStream.range(0, requests).filter(i -> rate.take(account).isEmpty()).count();
    }

    @Test
    void anAccountSendsSoManyASecondAndSomeMoreAtOnce() {
        assertThat(allowed("billing", 100)).isEqualTo(40);
        assertThat(rate.take("billing")).contains(Duration.ofMillis(100));
        // Nobody else waits for it.
        assertThat(allowed("mara", 40)).isEqualTo(40);
        now.addAndGet(Duration.ofSeconds(1).toNanos());
        assertThat(allowed("billing", 100)).isEqualTo(10);
        now.addAndGet(Duration.ofHours(1).toNanos());
        assertThat(allowed("billing", 100)).isEqualTo(40);
    }

    @Test
    void whoIsRefusedLosesNothing() {
        allowed("billing", 40);
        for (int i = 0; i < 20; i++) {
            now.addAndGet(Duration.ofMillis(50).toNanos());
            rate.take("billing");
        }
        // A second in all, in which ten were let through.
        assertThat(rate.take("billing")).isPresent();
        now.addAndGet(Duration.ofMillis(101).toNanos());
        assertThat(rate.take("billing")).isEmpty();
    }
}
