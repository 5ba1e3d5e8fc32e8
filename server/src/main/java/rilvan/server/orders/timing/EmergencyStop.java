package rilvan.server.orders.timing;

import java.util.Optional;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.server.store.Orders;
import rilvan.server.store.Timings;
import rilvan.server.store.Timings.StopRow;

/** The one stop for everything: nothing begins until it is released; what is under way ends, or rolls back, as chosen. */
@Component
public class EmergencyStop {

    private final Timings timings;
    private final Orders orders;
    private final TransactionTemplate transactions;

    EmergencyStop(Timings timings, Orders orders, TransactionTemplate transactions) {
        this.timings = timings;
        this.orders = orders;
        this.transactions = transactions;
    }

    public Optional<StopRow> find() {
        return timings.stop();
    }

    /**
     * Stops everything. What has been decided already is completed.
     *
     * @param rollsBack whether orders under way are cancelled; otherwise they end as they would
     */
    public StopRow stop(String reason, boolean rollsBack, String who) {
        PlainText.faultOfReason(reason).ifPresent(fault -> {
            throw new ValidationFailure("/reason", fault);
        });
        return transactions.execute(status -> {
            // Alone in the line: whatever begins has begun before, or does not.
            orders.lockLine();
            timings.putStop(reason, rollsBack, who);
            if (rollsBack) {
                orders.cancelUnderWay(who);
            }
            return timings.stop().orElseThrow();
        });
    }

    /** @return false where nothing was stopped */
    public boolean release() {
        return timings.dropStop() == 1;
    }
}
