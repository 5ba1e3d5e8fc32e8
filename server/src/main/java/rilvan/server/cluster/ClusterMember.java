package rilvan.server.cluster;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.dao.DataAccessException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import rilvan.server.Settings;
import rilvan.server.ops.Repeating;
import rilvan.server.store.Orders;

/**
 * This instance among those that share one database. It renews its lease by the database's clock; when the lease runs out, another instance takes
 * over its orders. By its own monotonic clock it knows when that may have happened: an instance that was stopped, or cut off from the database,
 * checks who drives an order before it sends anything.
 */
@Component
public class ClusterMember {

    private static final Logger LOG = LoggerFactory.getLogger(ClusterMember.class);
    private static final int BEATS = 5;

    /** The system property that names this process among the instances. */
    public static final String INSTANCE = "rilvan.instance";

    private final String id = Optional.ofNullable(System.getProperty(INSTANCE)).orElseGet(() -> UUID.randomUUID().toString());
    private final Orders orders;
    private final long leaseMillis;
    private final Repeating heart = new Repeating("lease");
    private long aliveUntil = System.nanoTime();
    private boolean hasLease;
    private long lapses;
    private Instant storeTime = Instant.EPOCH;
    private long toldAt;

    ClusterMember(Orders orders, Settings settings) {
        this.orders = orders;
        this.leaseMillis = settings.lease().toMillis();
        beat();
        Duration pause = Duration.ofMillis(leaseMillis / BEATS);
        heart.begin(pause, pause, this::beat);
    }

    public String id() {
        return id;
    }

    private void beat() {
        long before = System.nanoTime();
        Instant told;
        try {
            told = orders.alive(id, leaseMillis).toInstant();
        } catch (DataAccessException | TransactionException e) {
            LOG.warn("cannot renew the lease of this instance: {}", e.getMessage());
            return;
        }
        synchronized (this) {
            if (hasLease && before - aliveUntil > 0) {
                lapses++;
            }
            hasLease = true;
            toldAt = System.nanoTime();
            storeTime = told;
            // It counts from before it was said.
            aliveUntil = before + leaseMillis * 1_000_000;
        }
    }

    /** Whether nobody can have taken over what this instance drives, as far as it knows. */
    public synchronized boolean isAlive() {
        return System.nanoTime() - aliveUntil < 0;
    }

    /** The time by the clock of the store, as it was told last, and what has gone by since. */
    public synchronized Instant storeTime() {
        return storeTime.plusNanos(System.nanoTime() - toldAt);
    }

    /** How often somebody may have taken over so far. */
    public synchronized long lapses() {
        return lapses;
    }

    @PreDestroy
    void leave() {
        heart.close();
        try {
            orders.leave(id);
        } catch (DataAccessException | TransactionException e) {
            LOG.info("cannot end the lease of this instance; others take over when it runs out");
        }
    }
}
