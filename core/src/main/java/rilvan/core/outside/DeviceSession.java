package rilvan.core.outside;

import java.util.List;
import java.util.concurrent.CompletionStage;

/** An open session with one device. One flight at a time. */
public interface DeviceSession extends AutoCloseable {

    /** What another session needs to end this one: the session's id on the device. */
    String id();

    /** Whether the session is still open, as far as is known. */
    boolean isOpen();

    /**
     * Sends requests one behind the other without waiting in between.
     *
     * @return an answer for each request, in order; never fails: what cannot be known is {@link Answer.Lost}
     */
    CompletionStage<List<Answer>> send(List<Request> flight);

    @Override
    void close();
}
