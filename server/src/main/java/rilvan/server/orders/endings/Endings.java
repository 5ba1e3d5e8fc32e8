package rilvan.server.orders.endings;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.Digest;
import rilvan.core.document.KnownNames;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.draft.Changes;
import rilvan.core.draft.ValueChange;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.transaction.Action;
import rilvan.server.Settings;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.ops.Repeating;
import rilvan.server.orders.intake.OrderIntake;
import rilvan.server.orders.intake.OrderIntake.Asked;
import rilvan.server.orders.intake.OrderLimits;
import rilvan.server.orders.timing.StartTimes;
import rilvan.server.orders.timing.Timing;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.EndingRecords;
import rilvan.server.store.EndingRecords.EndingRow;
import rilvan.server.store.Json;

/** When services, or items of their lists such as sites, end. Each end is told of beforehand, can be put off, and is carried out by an order of its own. */
@Component
public class Endings {

    private static final Logger LOG = LoggerFactory.getLogger(Endings.class);
    private static final Duration AGAIN = Duration.ofSeconds(10);
    /** What cannot be carried out as it is waits for somebody who looks at it; until then it is tried now and then. */
    private static final Duration MUCH_LATER = Duration.ofMinutes(10);

    private final EndingRecords records;
    private final StoredPlanningSource source;
    private final OrderIntake intake;
    private final StartTimes times;
    private final Json json;
    private final Settings settings;
    private final TransactionTemplate transactions;
    private final Repeating looks = new Repeating("ends of services");

    Endings(EndingRecords records, StoredPlanningSource source, OrderIntake intake, StartTimes times, Json json, Settings settings, TransactionTemplate transactions) {
        this.records = records;
        this.source = source;
        this.intake = intake;
        this.times = times;
        this.json = json;
        this.settings = settings;
        this.transactions = transactions;
    }

    @EventListener(ApplicationReadyEvent.class)
    public void begin() {
        looks.begin(Duration.ZERO, settings.takeoverInterval(), () -> {
            records.notice();
            records.due().forEach(this::end);
        });
    }

    @PreDestroy
    void close() {
        looks.close();
    }

    /**
     * Puts an end, or puts one off.
     *
     * @param part FIELD/NAME of an item of a list; empty for the whole service
     * @param notice how long before it is told of
     * @throws ValidationFailure naming the field at fault
     */
    public EndingRow put(Service service, String part, Instant at, Duration notice, String reason, String who, Precondition seen) {
        times.check("/at", at);
        PlainText.faultOfReason(reason).ifPresent(fault -> {
            throw new ValidationFailure("/reason", fault);
        });
        if (service.componentOf().isPresent()) {
            throw new ValidationFailure("/service", service.name() + " is a part of " + service.componentOf().get() + "; say when that ends, or a part of it");
        }
        if (!part.isEmpty()) {
            withoutPart(service, part);
        }
        return transactions.execute(status -> {
            seen.check(service.name(), records.ending(service.name(), part).map(row -> Long.toString(row.version())));
            records.put(new EndingRow(service.name(), part, at.atOffset(ZoneOffset.UTC), at.minus(notice).atOffset(ZoneOffset.UTC), reason, 0, who, null, ""));
            return records.ending(service.name(), part).orElseThrow();
        });
    }

    /** @return false where none was said */
    public boolean drop(String service, String part, Precondition seen) {
        return transactions.execute(status -> {
            seen.check(service, records.ending(service, part).map(row -> Long.toString(row.version())));
            return records.drop(service, part) == 1;
        });
    }

    /** The order document of a service without an item of one of its lists. */
    private static Map<String, Object> withoutPart(Service service, String part) {
        String[] steps = part.split("/");
        Object list = service.parameters().get(steps[0]);
        List<String> names = list instanceof List<?> items ? items.stream().map(item -> item instanceof Map<?, ?> fields ? String.valueOf(fields.get("name")) : "").toList() : List.of();
        if (steps.length != 2 || !names.contains(steps[1])) {
            throw new ValidationFailure("/part", "'" + part + "' is no item of a list of " + service.name() + (steps.length == 2 && !names.isEmpty() ? "; " + KnownNames.instead(steps[1], Set.copyOf(names)) : "; expected such as sites/haven"));
        }
        Map<String, Object> document = new LinkedHashMap<>(Map.of("name", service.name()));
        document.putAll(service.asOrdered());
        document.put("parameters", new Changes(List.of(new ValueChange(part, Optional.empty(), Optional.empty()))).appliedTo(service.parameters()));
        return document;
    }

    /** Several instances may place the same at once: by its idempotency key it is the same order. */
    private void end(EndingRow row) {
        try {
            Optional<Service> service = source.service(row.service());
            if (service.isEmpty() || place(row, service.get())) {
                records.dropReached(row.service(), row.part(), row.part().isEmpty(), row.version());
            }
        } catch (PutOff e) {
            LOG.info("the end of {} was just put off", row.service());
        } catch (ValidationFailure e) {
            LOG.warn("the end of {} cannot be carried out: {}", row.service(), e.getMessage());
            postpone(row, MUCH_LATER, e);
        } catch (RuntimeException e) {
            // A freeze, other orders, the store: whatever it is, it keeps no other end back, and it is tried again.
            postpone(row, AGAIN, e);
        }
    }

    private void postpone(EndingRow row, Duration until, RuntimeException why) {
        records.postpone(row.service(), row.part(), row.version(), until.toSeconds(), PlainText.cleaned(String.valueOf(why.getMessage()), Action.LONGEST_REASON));
    }

    /** @return whether there is nothing left to do */
    private boolean place(EndingRow row, Service service) {
        String about = row.service() + (row.part().isEmpty() ? "" : " " + row.part());
        Map<String, Object> order = new LinkedHashMap<>();
        order.put("reason", about + " ends" + (row.reason().isEmpty() ? "" : ": " + row.reason()));
        if (row.part().isEmpty()) {
            order.put("remove", List.of(row.service()));
        } else {
            order.put("services", List.of(withoutPart(service, row.part())));
        }
        String key = Digest.of("end of " + about + " " + row.version() + " " + row.at().toInstant());
        return intake.place(json.write(order), Asked.of(row.who(), OrderLimits.NONE, Optional.empty(), Optional.of(key), Timing.AT_ONCE, Optional.empty(), false), id -> {
            if (records.placed(row.service(), row.part(), row.version(), id) == 0) {
                throw new PutOff();
            }
        }).order().isEmpty();
    }

    /** Somebody has just put it off. */
    private static final class PutOff extends RuntimeException {}
}
