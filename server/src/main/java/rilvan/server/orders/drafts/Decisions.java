package rilvan.server.orders.drafts;

import java.util.List;
import org.springframework.stereotype.Component;
import rilvan.server.orders.drafts.DraftBook.Kept;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.DraftRecords;
import rilvan.server.store.DraftRecords.DecisionRow;

/** What people have decided about conflicts of a draft's orders with what devices hold: by whom, why, and on which evidence. */
@Component
public class Decisions {

    private final DraftBook drafts;
    private final DraftRecords records;
    private final Evidence evidence;

    Decisions(DraftBook drafts, DraftRecords records, Evidence evidence) {
        this.drafts = drafts;
        this.records = records;
        this.evidence = evidence;
    }

    /**
     * Decides about a conflict of a draft's orders with what a device holds, for a node and all below it. Where the device is known to say something else by the time of an order, it is to be decided again.
     *
     * @throws ValidationFailure naming each field at fault
     */
    public Kept decide(String name, String device, String path, String decision, String reason, String who, Precondition seen) {
        DecisionRow row = evidence.read(name, device, path, decision, reason, who);
        drafts.changed(name, seen, draft -> {
            DraftBook.there(draft, name);
            records.decide(row);
        });
        return drafts.lookedAt(name, who);
    }

    /** Takes a decision back. */
    public Kept undecide(String name, String device, String path, String who, Precondition seen) {
        drafts.changed(name, seen, draft -> {
            DraftBook.there(draft, name);
            if (records.dropDecision(name, device, path) == 0) {
                throw new DraftBook.Unknown("nothing is decided in the draft " + name + " about " + path + " of " + device);
            }
        });
        return drafts.lookedAt(name, who);
    }

    /**
     * What was decided in a draft.
     *
     * @param outdated whether the device is known to say something else since
     */
    public record Decided(DecisionRow row, boolean outdated) {}

    public List<Decided> of(String draft) {
        return records.decisions(draft).stream().map(row -> new Decided(row, evidence.isOutdated(row))).toList();
    }
}
