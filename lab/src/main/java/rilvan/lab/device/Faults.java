package rilvan.lab.device;

import java.time.Duration;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;

/** Faults that somebody has armed on a device: the next time it takes a step, it refuses it, or is lost for a while. */
public final class Faults {

    private final Map<Step, Armed> armed = new ConcurrentHashMap<>();
    private volatile long backAt = System.nanoTime();

    /** What a device can be made to fail at. */
    public enum Step {
        LOCK, EDIT, VALIDATE, COMMIT, CONFIRM, SAVE
    }

    /**
     * A fault that waits for its step.
     *
     * @param message what the device says where it refuses
     * @param path the node it complains of, as it names it (RFC 6241 §4.3); empty where it names none
     * @param away how long it is out of reach from then on, without a word; zero where it refuses
     */
    public record Armed(String message, String path, Duration away) {}

    /** Makes the device fail at a step, once. */
    public void once(Step step, Armed fault) {
        armed.put(step, fault);
    }

    /**
     * The fault that is armed for a step; it is armed no longer. Where the device is lost by it, that begins now.
     *
     * @param sessions what ends each session that is open
     */
    public Optional<Armed> trip(Step step, Collection<Runnable> sessions) {
        Optional<Armed> fault = Optional.ofNullable(armed.remove(step));
        fault.ifPresent(tripped -> backAt = System.nanoTime() + tripped.away().toNanos());
        if (fault.isPresent() && isAway()) {
            List.copyOf(sessions).forEach(Runnable::run);
        }
        return fault;
    }

    /** Disarms everything; a device that was lost is back. */
    public void mend() {
        armed.clear();
        backAt = System.nanoTime();
    }

    /** Whether the device is out of reach. */
    public boolean isAway() {
        return System.nanoTime() - backAt < 0;
    }
}
