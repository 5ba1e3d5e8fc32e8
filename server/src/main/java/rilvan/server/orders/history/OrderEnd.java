package rilvan.server.orders.history;

import java.util.List;
import java.util.Optional;
import org.springframework.stereotype.Component;
import rilvan.core.transaction.State;
import rilvan.core.transaction.Transaction;
import rilvan.server.store.DraftRecords;
import rilvan.server.store.EndingRecords;
import rilvan.server.store.StageRecords;
import rilvan.server.store.StageRecords.GoesOn;

/** What goes with the end of an order, within the database transaction that ends it: for the stages that follow, for drafts, for ends of services, and in the log of acts. */
@Component
public class OrderEnd {

    private final StageRecords stages;
    private final DraftRecords drafts;
    private final EndingRecords endings;
    private final OrderActs acts;

    OrderEnd(StageRecords stages, DraftRecords drafts, EndingRecords endings, OrderActs acts) {
        this.endings = endings;
        this.stages = stages;
        this.drafts = drafts;
        this.acts = acts;
    }

    /**
     * An order has ended.
     *
     * @param why it was rolled back
     */
    public void ended(long order, State state, String why, List<String> services) {
        boolean done = state == State.DONE;
        if (done) {
            endings.reached(order);
        } else if (why.equals(Transaction.INTERRUPTED)) {
            endings.interrupted(order, "order " + order + " was rolled back: " + why);
        } else {
            endings.rolledBack(order, "order " + order + " was rolled back" + (why.isEmpty() ? "" : ": " + why));
        }
        Optional<GoesOn> staged = stages.ended(order, done);
        if (staged.isEmpty()) {
            drafts.ended(order, done);
        } else if (staged.get().nextStage() == null) {
            drafts.stagesEnded(staged.get().firstOrder(), staged.get().state());
        }
        acts.ended(order, state, why, services);
    }
}
