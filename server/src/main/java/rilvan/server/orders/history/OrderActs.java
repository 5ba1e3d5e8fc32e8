package rilvan.server.orders.history;

import java.util.List;
import java.util.Map;
import org.springframework.stereotype.Component;
import rilvan.core.transaction.State;
import rilvan.server.acts.Act;
import rilvan.server.acts.ActLog;
import rilvan.server.acts.ActLog.Result;
import rilvan.server.acts.Origin;

/** What the service itself does about orders, as the log of acts has it. */
@Component
public class OrderActs {

    private final ActLog acts;

    OrderActs(ActLog acts) {
        this.acts = acts;
    }

    /**
     * An order has ended; told within the database transaction that ends it.
     *
     * @param reason why it was rolled back
     */
    public void ended(long order, State state, String reason, List<String> services) {
        Act ended = new Act().about("order", order).after(Map.of("state", state.words()));
        services.forEach(service -> ended.about("service", service));
        acts.add(Origin.SERVICE, "end order", ended, Result.DONE, state == State.DONE ? "" : state.words() + (reason.isEmpty() ? "" : ": " + reason));
    }
}
