package rilvan.server.orders.history;

import java.time.OffsetDateTime;
import rilvan.server.store.Orders.EventRow;

/**
 * A step of an order as the interface answers it, and as those who follow the order hear it.
 *
 * @param seq counts the steps of one order from 1
 * @param device the device, empty for a record of the whole order
 */
public record StepView(int seq, OffsetDateTime at, String device, String phase, String result, String text) {

    public static StepView of(EventRow row) {
        return new StepView(row.seq(), row.at(), row.device(), row.phase(), row.result(), row.text());
    }
}
