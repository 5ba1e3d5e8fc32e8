package rilvan.server.ops;

import java.util.concurrent.ThreadFactory;
import java.util.concurrent.atomic.AtomicInteger;

/** Threads that are named after what they do, so that a dump of them can be read. None of them keeps the process alive. */
public final class Threads {

    private Threads() {}

    /** Threads {@code name-1}, {@code name-2}, … */
    public static ThreadFactory named(String name) {
        AtomicInteger made = new AtomicInteger();
        return task -> {
            Thread thread = new Thread(task, name + "-" + made.incrementAndGet());
            thread.setDaemon(true);
            return thread;
        };
    }
}
