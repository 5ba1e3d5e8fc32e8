package rilvan.protocol;

/** Is told what sessions do, for logs and figures. Called on the pool's threads; must not block. */
public interface SessionObserver {

    /** Is told nothing. */
    SessionObserver NONE = new SessionObserver() {};

    /** A new session with a device is open. */
    default void opened(String device, long nanos) {}

    /** A session could not be opened. */
    default void failed(String device, String reason) {}

    /**
     * A flight of requests is answered.
     *
     * @param nanos from the first byte sent to the last answer
     * @param lost whether the session was lost meanwhile
     */
    default void answered(String device, int requests, long nanos, boolean lost) {}

    /** Whether {@link #sent} and {@link #received} want to be told what goes over the wire with a device. */
    default boolean traces(String device) {
        return false;
    }

    /** What is sent to a device, a message or a line. */
    default void sent(String device, String text) {}

    /** What a device has sent. */
    default void received(String device, String text) {}
}
