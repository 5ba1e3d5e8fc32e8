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

        private final boolean ours;

        public CannotOpen(String message) {
            this(message, false);
        }

        /** @param ours whether it is not the device's doing: it was not even asked */
        public CannotOpen(String message, boolean ours) {
            super(message);
            this.ours = ours;
        }

        /** Whether the device was not even asked, so that trying again soon may do. */
        public boolean isOurs() {
            return ours;
        }
    }
}
