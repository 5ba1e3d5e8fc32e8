package rilvan.protocol;

import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.Map;

/** Limits how many run at a time for each key. Whoever comes above the limit is queued, first come first served. */
final class KeyedLimiter {

    private final int most;
    private final Map<String, Integer> taken = new HashMap<>();
    private final Map<String, Deque<Runnable>> lines = new HashMap<>();

    KeyedLimiter(int most) {
        this.most = most;
    }

    /** Runs what is to be done with a turn, now or later; it, or what comes of it, gives the turn back once. */
    void take(String name, Runnable then) {
        synchronized (this) {
            if (taken.getOrDefault(name, 0) >= most) {
                lines.computeIfAbsent(name, each -> new ArrayDeque<>()).addLast(then);
                return;
            }
            taken.merge(name, 1, Integer::sum);
        }
        then.run();
    }

    void giveBack(String name) {
        Runnable next;
        synchronized (this) {
            Deque<Runnable> line = lines.getOrDefault(name, new ArrayDeque<>());
            next = line.pollFirst();
            if (line.isEmpty()) {
                lines.remove(name);
            }
            if (next == null) {
                taken.computeIfPresent(name, (each, count) -> count == 1 ? null : count - 1);
                return;
            }
        }
        next.run();
    }
}
