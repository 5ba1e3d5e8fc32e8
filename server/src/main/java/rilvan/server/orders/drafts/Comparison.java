package rilvan.server.orders.drafts;

import java.util.List;
import org.springframework.stereotype.Component;
import rilvan.core.draft.Changes;
import rilvan.server.orders.intake.OrderLimits;

/** What an order document would make of services, value by value; nothing is planned or kept. */
@Component
public class Comparison {

    private final EntryReader reader;

    Comparison(EntryReader reader) {
        this.reader = reader;
    }

    /**
     * A service beside what it would be.
     *
     * @param kind ADD, CHANGE, REMOVE, REFRESH or MOVE
     * @param changes none where it would stay as it is
     */
    public record Compared(String service, String kind, Changes changes) {}

    /** @throws rilvan.core.document.ValidationFailure where the document is none */
    public List<Compared> of(String document, String who, OrderLimits limits) {
        return reader.read("", document, who, limits, List.of()).stream().map(entry -> new Compared(entry.service(), entry.kind(), DraftBook.changes(entry))).toList();
    }
}
