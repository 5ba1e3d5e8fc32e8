package rilvan.server.access;

import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.function.LongSupplier;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.stereotype.Component;

/**
 * Slows down the guessing of passwords: after some refused sign-ins to an account, or from an address, the next one has to wait, longer each time. What is not an
 * account is slowed in the same way, so that nothing is told. A sign-in counts as refused from its beginning on, so that many at once are not free. Only the last ones are
 * remembered, by each instance for itself.
 */
@Component
final class Guesses {

    private static final int FREE = 5;
    /** Many people may come from one address. */
    private static final int FREE_FROM_ADDRESS = 50;
    private static final int MOST_DOUBLED = 6;
    private static final int MOST_REMEMBERED = 10_000;
    private static final long FORGOTTEN = Duration.ofMinutes(15).toNanos();

    private final LongSupplier nanos;
    private final Map<String, Refused> refused = new LinkedHashMap<>(16, 0.75f, true) {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, Refused> eldest) {
            return size() > MOST_REMEMBERED;
        }
    };

    private record Refused(int times, int free, long last) {

        /** How long the next one waits: nothing at first, then from one second on twice as long each time, up to about a minute. */
        long pause() {
            return times < free ? 0 : Duration.ofSeconds(1L << Math.min(times - free, MOST_DOUBLED)).toNanos();
        }
    }

    @Autowired
    Guesses() {
        this(System::nanoTime);
    }

    Guesses(LongSupplier nanos) {
        this.nanos = nanos;
    }

    /** Begins a sign-in to an account from an address, which counts as refused; how long it has to wait instead, where it has to. */
    synchronized Optional<Duration> begin(String account, String address) {
        long left = Math.max(left("account " + account), left("address " + address));
        if (left > 0) {
            return Optional.of(Duration.ofNanos(left));
        }
        count("account " + account, FREE);
        count("address " + address, FREE_FROM_ADDRESS);
        return Optional.empty();
    }

    private long left(String key) {
        Refused before = refused.get(key);
        return before == null ? 0 : before.last() + before.pause() - nanos.getAsLong();
    }

    private void count(String key, int free) {
        long now = nanos.getAsLong();
        refused.merge(key, new Refused(1, free, now), (before, one) -> new Refused(now - before.last() > FORGOTTEN ? 1 : before.times() + 1, free, now));
    }

    /** Who has signed in is no guesser; others from the same address may be. */
    synchronized void signedIn(String account, String address) {
        refused.remove("account " + account);
        refused.computeIfPresent("address " + address, (key, before) -> new Refused(before.times() - 1, before.free(), before.last()));
    }
}
