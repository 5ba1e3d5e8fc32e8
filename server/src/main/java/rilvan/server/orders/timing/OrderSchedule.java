package rilvan.server.orders.timing;

import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.SchedulerBuilder;
import com.github.kagkarlsson.scheduler.SchedulerClient;
import com.github.kagkarlsson.scheduler.SchedulerName;
import com.github.kagkarlsson.scheduler.exceptions.TaskInstanceCurrentlyExecutingException;
import com.github.kagkarlsson.scheduler.task.CompletionHandler;
import com.github.kagkarlsson.scheduler.task.FailureHandler;
import com.github.kagkarlsson.scheduler.task.SchedulableInstance;
import com.github.kagkarlsson.scheduler.task.Task;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.function.LongFunction;
import javax.sql.DataSource;
import org.springframework.dao.CannotAcquireLockException;
import org.springframework.jdbc.datasource.TransactionAwareDataSourceProxy;
import org.springframework.stereotype.Component;
import rilvan.server.cluster.ClusterMember;

/**
 * When orders are to be looked at: a row for each in the store, which one instance takes when its time has come. What becomes of the order then is decided in its own row, so that a time
 * which comes twice, or late, does nothing twice.
 */
@Component
public final class OrderSchedule {

    private static final String TABLE = "timed_work";
    private static final Duration LOOK_EVERY = Duration.ofSeconds(1);
    private static final Duration AGAIN_AFTER_FAILURE = Duration.ofSeconds(5);
    /** An instance that has not said for so long, several times, that it is still at it is dead. */
    private static final Duration HEARTBEAT = Duration.ofSeconds(5);
    private static final Duration END_WITHIN = Duration.ofSeconds(2);

    private final Task<Void> due;
    private final Scheduler scheduler;
    private final SchedulerClient client;
    private volatile LongFunction<Optional<Instant>> look = order -> Optional.empty();

    OrderSchedule(DataSource store, ClusterMember member, StoreClock clock) {
        this.due = Tasks.custom("order", Void.class).onFailure(new FailureHandler.OnFailureRetryLater<>(AGAIN_AFTER_FAILURE)).execute((instance, context) -> {
            Optional<Instant> next = look.apply(Long.parseLong(instance.getId()));
            return next.<CompletionHandler<Void>>map(time -> (complete, operations) -> operations.reschedule(complete, time)).orElseGet(CompletionHandler.OnCompleteRemove::new);
        });
        this.scheduler = new ByStoreClock(store, List.of(due), clock).tableName(TABLE).threads(1).pollingInterval(LOOK_EVERY).schedulerName(new SchedulerName.Fixed(member.id()))
                .heartbeatInterval(HEARTBEAT).shutdownMaxWait(END_WITHIN).build();
        // What is put down within a database transaction is put down with it, or not at all.
        this.client = SchedulerClient.Builder.create(new TransactionAwareDataSourceProxy(store), due).tableName(TABLE).build();
    }

    /** The library's own builder takes the time of the process. */
    private static final class ByStoreClock extends SchedulerBuilder {
        private ByStoreClock(DataSource store, List<Task<?>> tasks, StoreClock clock) {
            super(store, tasks);
            this.clock = clock;
        }
    }

    /**
     * Begins to look; called once.
     *
     * @param look what is done with an order whose time has come; it answers when the order is to be looked at again, if at all
     */
    public void begin(LongFunction<Optional<Instant>> look) {
        this.look = look;
        scheduler.start();
    }

    /**
     * Has an order looked at at a time, instead of any time that was said before; within the present database transaction.
     *
     * @throws CannotAcquireLockException where an instance looks at it in this moment: try again
     */
    public void at(long order, Instant time) {
        try {
            client.schedule(SchedulableInstance.of(due.instance(Long.toString(order)), time), SchedulerClient.ScheduleOptions.WHEN_EXISTS_RESCHEDULE);
        } catch (TaskInstanceCurrentlyExecutingException e) {
            throw new CannotAcquireLockException("order " + order + " is being looked at just now", e);
        }
    }

    @PreDestroy
    void close() {
        scheduler.stop();
    }
}
