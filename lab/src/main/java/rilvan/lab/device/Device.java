package rilvan.lab.device;

import java.time.Duration;

/** A device of the lab, whatever it is reached by. */
public interface Device {

    String name();

    /** What it holds, in its own text. */
    String running();

    Faults faults();

    /**
     * Somebody types this on the device itself, past all sessions and locks: configuration in the device's own syntax.
     *
     * @throws RuntimeException saying why, where the device does not take it; then nothing has changed, or on a typed-on device
     *     the lines before have
     */
    void typed(String text);

    /**
     * A session of somebody else's holds the device's locks for a while.
     *
     * @throws RuntimeException where it has no locks, or they are taken
     */
    void lockedByAnother(Duration time);
}
