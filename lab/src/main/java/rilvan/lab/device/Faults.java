package rilvan.lab.device;

import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;

/** Faults that somebody has armed on a device: the next time it takes a step, it refuses it. */
public final class Faults {

    private final Map<Step, String> armed = new ConcurrentHashMap<>();

    /** What a device can be made to refuse. */
    public enum Step {
        LOCK, EDIT, VALIDATE, COMMIT, CONFIRM, SAVE
    }

    /** Makes the device refuse a step, once, with this message. */
    public void refuseOnce(Step step, String message) {
        armed.put(step, message);
    }

    /** The message of the fault that is armed for a step; it is armed no longer. */
    public Optional<String> trip(Step step) {
        return Optional.ofNullable(armed.remove(step));
    }
}
