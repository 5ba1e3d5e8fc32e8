package rilvan.server.ops;

import java.time.Duration;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A task that is done again and again on a thread of its own, with a pause after each time. Whatever it throws is logged and ends that
 * time only: a task that is not done any more would be missed by nobody until it matters.
 */
public final class Repeating implements AutoCloseable {

    private static final Logger LOG = LoggerFactory.getLogger(Repeating.class);

    private final String name;
    private final ScheduledExecutorService timer;

    /** @param name in plain words, for the thread and the log */
    public Repeating(String name) {
        this.name = name;
        this.timer = Executors.newSingleThreadScheduledExecutor(Threads.named(name.replace(' ', '-')));
    }

    /**
     * Begins; called once.
     *
     * @param first how long after now
     */
    public void begin(Duration first, Duration pause, Runnable task) {
        timer.scheduleWithFixedDelay(() -> attempt(task), first.toMillis(), pause.toMillis(), TimeUnit.MILLISECONDS);
    }

    /** Does something else once, between two times. */
    public void once(Runnable task) {
        timer.execute(() -> attempt(task));
    }

    public boolean isOver() {
        return timer.isShutdown();
    }

    private void attempt(Runnable task) {
        try {
            task.run();
        } catch (RuntimeException | Error e) {
            report(e);
        }
    }

    /** Where memory is short, even this may fail. */
    private void report(Throwable failure) {
        try {
            LOG.warn("{}: failed, trying again: {}", name, failure.toString());
        } catch (RuntimeException | Error e) {
            // The next time comes all the same.
        }
    }

    @Override
    public void close() {
        timer.shutdownNow();
    }
}
