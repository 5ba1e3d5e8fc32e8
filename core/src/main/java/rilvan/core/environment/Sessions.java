package rilvan.core.environment;

import java.util.concurrent.CompletionStage;

/** Opens sessions with devices. */
public interface Sessions {

    /**
     * Opens a session, or hands out one that was kept open.
     *
     * @return fails with {@link CannotOpen}
     */
    CompletionStage<DeviceSession> open(String device);

    /** A device that no session could be opened with; the message says why and what to do. */
    final class CannotOpen extends RuntimeException {
        public CannotOpen(String message) {
            super(message);
        }
    }
}
