package rilvan.lab.device;

import java.util.List;
import java.util.Optional;

/**
 * A change of what a device runs, as it is told to whoever listens (RFC 6470 §2.2).
 *
 * @param by who changed it; absent where the device did so itself
 * @param edits what became of each of its top-level nodes that are not as before
 */
public record ConfigurationChange(Optional<By> by, List<Edit> edits) {

    /** A session and the user that it is of. */
    public record By(String user, int session) {}

    /**
     * @param operation {@code create}, {@code merge} or {@code delete}
     */
    public record Edit(String namespace, String name, String operation) {}
}
