package rilvan.server.orders.history;

import io.micrometer.core.instrument.Counter;
import io.micrometer.core.instrument.MeterRegistry;
import jakarta.annotation.PostConstruct;
import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.List;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.Settings;
import rilvan.server.ops.Repeating;
import rilvan.server.store.Orders;
import rilvan.server.store.ServiceLines;
import rilvan.server.store.SnapshotRecords;

/**
 * Drops the lines, steps and checks of orders that have ended long ago. What was ordered, by whom, and how it ended stays; and the last order of a service that stands
 * keeps everything, since it is the last word on what is on devices.
 */
@Component
public class HistoryThinning {

    private static final Logger LOG = LoggerFactory.getLogger(HistoryThinning.class);
    private static final Duration FIRST = Duration.ofMinutes(2);
    private static final Duration PAUSE = Duration.ofHours(1);
    /** Orders of one database transaction. */
    private static final int BATCH = 100;

    private final Orders orders;
    private final SnapshotRecords snapshots;
    private final ServiceLines serviceLines;
    private final TransactionTemplate transactions;
    private final Duration kept;
    private final Counter thinned;
    private final Repeating thinning = new Repeating("thinning of history");

    HistoryThinning(Orders orders, SnapshotRecords snapshots, ServiceLines serviceLines, TransactionTemplate transactions, Settings settings, MeterRegistry figures) {
        this.orders = orders;
        this.snapshots = snapshots;
        this.serviceLines = serviceLines;
        this.transactions = transactions;
        this.kept = settings.ordersKept();
        this.thinned = Counter.builder("rilvan.orders.thinned").description("Orders whose lines, steps and checks were dropped since they ended long ago").register(figures);
    }

    @PostConstruct
    void begin() {
        thinning.begin(FIRST, PAUSE, this::thin);
    }

    @PreDestroy
    void end() {
        thinning.close();
    }

    /** Batch by batch, so that nobody waits for it. Several instances may do it at once: each takes other orders. */
    void thin() {
        int all = 0;
        for (int batch = BATCH; batch == BATCH; all += batch) {
            batch = transactions.execute(status -> {
                List<Long> old = orders.toThin(kept.toSeconds(), BATCH);
                if (!old.isEmpty()) {
                    orders.dropSteps(old);
                    orders.dropChecks(old);
                    orders.dropLines(old);
                    orders.thinned(old);
                }
                return old.size();
            });
        }
        snapshots.dropOld(kept.toSeconds());
        snapshots.dropUnheld();
        serviceLines.dropOld(kept.toSeconds());
        if (all > 0) {
            thinned.increment(all);
            LOG.info("the lines, steps and checks of {} orders that ended more than {} days ago were dropped", all, kept.toDays());
        }
    }
}
