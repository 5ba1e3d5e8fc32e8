package rilvan.server.orders.intake;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.HashMap;
import java.util.Map;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.stereotype.Component;
import rilvan.core.plan.Planner;
import rilvan.server.Settings;
import rilvan.server.ops.Threads;

/**
 * Bounds how many orders are worked out at a time: it is arithmetic on whole documents and configurations, and more of it at once than there are
 * processors makes nothing faster and fills the memory. Who cannot have a turn in time is told so, and so is whoever asks for many at once.
 */
@Component
public class PlanningTurns {

    private static final int LEAST_AT_ONCE = 2;
    private static final int MOST_OF_ONE_ACCOUNT = 16;
    private static final Duration LONGEST_WAIT = Duration.ofSeconds(20);

    private final Semaphore turns;
    private final Duration longestWait;
    private final Duration longestWork;
    private final Map<String, Integer> asked = new HashMap<>();
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor(Threads.named("planning-timer"));

    @Autowired
    PlanningTurns(Settings settings) {
        this(Math.max(LEAST_AT_ONCE, Runtime.getRuntime().availableProcessors()), LONGEST_WAIT, settings.planningTime());
    }

    PlanningTurns(int atOnce, Duration longestWait, Duration longestWork) {
        this.turns = new Semaphore(atOnce, true);
        this.longestWait = longestWait;
        this.longestWork = longestWork;
    }

    /** Too much is asked for at once; nothing of the request was done. */
    public static final class Overloaded extends RuntimeException {

        private final boolean byOneAccount;

        Overloaded(String message, boolean byOneAccount) {
            super(message);
            this.byOneAccount = byOneAccount;
        }

        /** Whether it is the account that asks for too much; otherwise it is all of them together. */
        public boolean isByOneAccount() {
            return byOneAccount;
        }
    }

    /**
     * Works something out when there is a turn for it.
     *
     * @throws Overloaded where there is none in time, the account has as many requests under way as it may, or the work takes too long
     */
    <T> T take(String account, Supplier<T> work) {
        count(account);
        try {
            if (!turns.tryAcquire(longestWait.toMillis(), TimeUnit.MILLISECONDS)) {
                throw new Overloaded("other orders are being worked out; try again", false);
            }
            try {
                return inTime(work);
            } finally {
                turns.release();
            }
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new Overloaded("the service stops; try again", false);
        } finally {
            synchronized (asked) {
                asked.computeIfPresent(account, (name, number) -> number == 1 ? null : number - 1);
            }
        }
    }

    private void count(String account) {
        synchronized (asked) {
            if (asked.getOrDefault(account, 0) >= MOST_OF_ONE_ACCOUNT) {
                throw new Overloaded(MOST_OF_ONE_ACCOUNT + " orders of this account are being worked out already; wait for one of them", true);
            }
            asked.merge(account, 1, Integer::sum);
        }
    }

    private <T> T inTime(Supplier<T> work) {
        Thread worker = Thread.currentThread();
        Future<?> limit = timer.schedule(worker::interrupt, longestWork.toMillis(), TimeUnit.MILLISECONDS);
        try {
            return work.get();
        } catch (Planner.Interrupted e) {
            throw new Overloaded("working this order out takes longer than " + longestWork.toSeconds() + " s; split it into several orders", false);
        } finally {
            limit.cancel(false);
            // Where the limit came just as the work was done, its interrupt is not for what the thread does next.
            Thread.interrupted();
        }
    }

    @PreDestroy
    void close() {
        timer.shutdownNow();
    }
}
