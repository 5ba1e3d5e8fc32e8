package rilvan.server.orders.drafts;

import jakarta.annotation.PostConstruct;
import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.pool.Allocation;
import rilvan.server.ops.Repeating;
import rilvan.server.orders.drafts.DraftBook.Kept;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.orders.history.PlanRecord.ServiceRecord;
import rilvan.server.orders.intake.OrderIntake;
import rilvan.server.orders.intake.OrderLimits;
import rilvan.server.orders.timing.StartTimes;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.DraftRecords;
import rilvan.server.store.DraftRecords.EntryRow;
import rilvan.server.store.Orders;
import rilvan.server.store.Services;
import rilvan.server.store.Services.Reserved;

/**
 * Numbers that drafts keep until a date, so that whoever is to use a service can be told its addresses and tags before it is there. What is kept is held under the service's name: whatever plans the service
 * takes just these numbers, and nobody else gets them.
 */
@Component
public class Reservations {

    private static final Duration BETWEEN_LOOKS = Duration.ofSeconds(10);

    private final DraftBook drafts;
    private final DraftRecords records;
    private final Services services;
    private final Orders orders;
    private final OrderIntake intake;
    private final StartTimes times;
    private final TransactionTemplate transactions;
    private final Repeating looks = new Repeating("end of reservations");

    Reservations(DraftBook drafts, DraftRecords records, Services services, Orders orders, OrderIntake intake, StartTimes times, TransactionTemplate transactions) {
        this.drafts = drafts;
        this.records = records;
        this.services = services;
        this.orders = orders;
        this.intake = intake;
        this.times = times;
        this.transactions = transactions;
    }

    @PostConstruct
    void begin() {
        looks.begin(BETWEEN_LOOKS, BETWEEN_LOOKS, this::endOver);
    }

    @PreDestroy
    void close() {
        looks.close();
    }

    /**
     * Keeps the numbers that a part of a draft takes. What was kept for the same entries and is not needed any more is given back.
     *
     * @param until the draft keeps all its numbers until then, at most a year
     * @throws rilvan.core.document.ValidationFailure where it is no such time, or an entry cannot be carried out
     */
    public Kept reserve(String name, Instant until, Part part, Predicate<EntryRow> visible, String who, OrderLimits limits, Precondition seen) {
        times.check("/until", until);
        Kept draft = drafts.draft(name);
        List<EntryRow> chosen = DraftBook.chosen(draft, part, visible);
        Set<String> entries = chosen.stream().map(EntryRow::service).collect(Collectors.toSet());
        String document = drafts.document(draft, chosen, "");
        DraftBook.byService(document, () -> {
            intake.keepNumbers(document, who, limits, plan -> {
                boolean[] kept = new boolean[1];
                drafts.changed(name, seen, now -> {
                    if (DraftBook.there(now, name).row().version() != draft.row().version()) {
                        throw DraftBook.justChanged(name);
                    }
                    services.release(name, plan.given());
                    records.reserved(name, until.atOffset(ZoneOffset.UTC));
                    kept[0] = services.reserve(name, plan.taken().stream().map(number -> reserved(plan, number)).filter(number -> entries.contains(number.reservedFor())).toList());
                });
                return kept[0];
            });
            return draft;
        });
        return drafts.draft(name);
    }

    /** A service that gets another name has its numbers under the one that it stands with. */
    private static Reserved reserved(PlanRecord plan, Allocation number) {
        String formerly = plan.service(number.service()).map(ServiceRecord::formerly).orElse(number.service());
        return Reserved.of(plan.root(number.service()), new Allocation(number.pool(), number.within(), formerly, number.key(), number.number()));
    }

    /** Gives back what a draft has kept, but for what an order that has not ended is planned with. */
    public void giveBack(String name, Precondition seen) {
        drafts.changed(name, seen, now -> {
            DraftBook.there(now, name);
            records.reserved(name, null);
        });
        endOver();
    }

    /** The numbers that a draft keeps, by the services of its entries. */
    public Map<String, List<Reserved>> of(String draft) {
        return services.reserved(draft).stream().collect(Collectors.groupingBy(Reserved::reservedFor));
    }

    /** Nobody plans with them meanwhile: an order that has been planned with them is placed only where they are there still. */
    private void endOver() {
        transactions.executeWithoutResult(status -> {
            orders.lockLine();
            services.releaseEnded();
        });
    }
}
