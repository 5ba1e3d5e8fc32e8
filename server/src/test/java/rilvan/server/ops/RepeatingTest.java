package rilvan.server.ops;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;

class RepeatingTest {

    private static final long LONG_SECONDS = 20;

    @Test
    void whateverATaskThrowsItIsDoneAgain() throws InterruptedException {
        CountDownLatch times = new CountDownLatch(3);
        CountDownLatch once = new CountDownLatch(1);
        try (Repeating repeating = new Repeating("a task")) {
            repeating.begin(Duration.ZERO, Duration.ofMillis(1), () -> {
                times.countDown();
                if (times.getCount() == 2) {
                    throw new OutOfMemoryError("simulated");
                }
                throw new IllegalStateException("simulated");
            });
            assertThat(times.await(LONG_SECONDS, TimeUnit.SECONDS)).isTrue();
            repeating.once(once::countDown);
            assertThat(once.await(LONG_SECONDS, TimeUnit.SECONDS)).isTrue();
        }
    }
}
