package rilvan.core.environment;

import java.util.List;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.function.Consumer;

/** An open session with one device. One flight at a time. */
public interface DeviceSession extends AutoCloseable {

    /** What another session needs to end this one: the session's id on the device. */
    String id();

    /** What the device says it can do: capability URIs (RFC 6241 §8.1). */
    Set<String> capabilities();

    /** Whether the session is still open, as far as is known. */
    boolean isOpen();

    /**
     * Sends requests one behind the other without waiting in between.
     *
     * @return an answer for each request, in order; never fails: what cannot be known is {@link Answer.Lost}
     */
    CompletionStage<List<Answer>> send(List<Request> flight);

    /**
     * Listens from now on: the device tells of each change of what it runs, for as long as the session is open. Such a session is used for nothing else.
     *
     * @param to is told of each change, on a thread that must not be kept
     * @return whether the device does so
     */
    default CompletionStage<Boolean> listen(Consumer<ConfigurationNotice> to) {
        return CompletableFuture.completedFuture(false);
    }

    /** Done with this session. What was asked and is not answered yet is called off: its answers are {@link Answer.Lost}. */
    @Override
    void close();
}
