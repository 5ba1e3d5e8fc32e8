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
    private static final Duration BETWEEN_LOOKS = Duration.ofMillis(500);

    private final Semaphore turns;
    private final Duration longestWait;
    private final Duration longestWork;
    private final Supplier<Client> clients;
    private final Map<String, Integer> asked = new HashMap<>();
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor(Threads.named("planning-timer"));

    @Autowired
    PlanningTurns(Settings settings, Supplier<Client> clients) {
        this(Math.max(LEAST_AT_ONCE, Runtime.getRuntime().availableProcessors()), LONGEST_WAIT, settings.planningTime(), clients);
    }

    PlanningTurns(int atOnce, Duration longestWait, Duration longestWork, Supplier<Client> clients) {
        this.turns = new Semaphore(atOnce, true);
        this.longestWait = longestWait;
        this.longestWork = longestWork;
        this.clients = clients;
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

    /** Whoever asked for this has closed the connection; nothing of the request was done, and nobody hears of it. */
    public static final class NobodyWaits extends RuntimeException {}

    /**
     * Works something out when there is a turn for it.
     *
     * @throws Overloaded where there is none in time, the account has as many requests under way as it may, or the work takes too long
     * @throws NobodyWaits where the client of this thread's request goes before the end
     */
    <T> T take(String account, Supplier<T> work) {
        count(account);
        try (Attendance attendance = new Attendance(clients.get())) {
            try {
                if (!turns.tryAcquire(longestWait.toMillis(), TimeUnit.MILLISECONDS)) {
                    throw new Overloaded("other orders are being worked out; try again", false);
                }
                try {
                    return inTime(work);
                } finally {
                    turns.release();
                }
            } catch (InterruptedException | Overloaded e) {
                if (attendance.ended()) {
                    throw new NobodyWaits();
                }
                if (e instanceof Overloaded overloaded) {
                    throw overloaded;
                }
                Thread.currentThread().interrupt();
                throw new Overloaded("the service stops; try again", false);
            }
        } finally {
            synchronized (asked) {
                asked.computeIfPresent(account, (name, number) -> number == 1 ? null : number - 1);
            }
        }
    }

    /** Looks now and then whether the client is still there, and interrupts this thread once where it is not. Looks no more once it is closed. */
    private final class Attendance implements AutoCloseable {

        private final Client client;
        private final Thread worker = Thread.currentThread();
        private final Future<?> looks;
        private boolean ended;
        private boolean closed;

        Attendance(Client client) {
            this.client = client;
            this.looks = timer.scheduleWithFixedDelay(this::look, BETWEEN_LOOKS.toMillis(), BETWEEN_LOOKS.toMillis(), TimeUnit.MILLISECONDS);
        }

        private synchronized void look() {
            if (!closed && !ended && client.gone()) {
                ended = true;
                worker.interrupt();
            }
        }

        synchronized boolean ended() {
            return ended;
        }

        @Override
        public synchronized void close() {
            closed = true;
            looks.cancel(false);
            if (ended) {
                // The interrupt was for the work, not for what the thread does next.
                Thread.interrupted();
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
