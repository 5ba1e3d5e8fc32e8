package rilvan.server.orders.staging;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.Digest;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.transaction.Action;
import rilvan.server.Settings;
import rilvan.server.ops.Repeating;
import rilvan.server.orders.drafts.DraftBook;
import rilvan.server.orders.drafts.Versions;
import rilvan.server.orders.intake.OrderIntake;
import rilvan.server.orders.intake.OrderIntake.Asked;
import rilvan.server.orders.intake.OrderIntake.Placed;
import rilvan.server.orders.intake.OrderLimits;
import rilvan.server.orders.timing.Timing;
import rilvan.server.store.DraftRecords;
import rilvan.server.store.Json;
import rilvan.server.store.StageRecords;
import rilvan.server.store.StageRecords.StageOrder;
import rilvan.server.store.StageRecords.StagedRow;
import tools.jackson.core.type.TypeReference;

/** Places the order of each stage when the one before is done and its pause is over; and where a stage fails that takes those before it back, the order that does so. */
@Component
public class StageRun {

    private static final Logger LOG = LoggerFactory.getLogger(StageRun.class);
    private static final long AGAIN_SECONDS = 10;
    private static final TypeReference<List<Map<String, Object>>> DOCUMENTS = new TypeReference<>() {};
    private static final TypeReference<Set<String>> NAMES = new TypeReference<>() {};

    private final StageRecords records;
    private final DraftRecords drafts;
    private final OrderIntake intake;
    private final Versions versions;
    private final Json json;
    private final Settings settings;
    private final TransactionTemplate transactions;
    private final Repeating looks = new Repeating("next stages");

    StageRun(StageRecords records, DraftRecords drafts, OrderIntake intake, Versions versions, Json json, Settings settings, TransactionTemplate transactions) {
        this.records = records;
        this.drafts = drafts;
        this.intake = intake;
        this.versions = versions;
        this.json = json;
        this.settings = settings;
        this.transactions = transactions;
    }

    /** Somebody has just ended an order in stages. */
    private static final class Stopped extends RuntimeException {}

    @EventListener(ApplicationReadyEvent.class)
    public void begin() {
        looks.begin(Duration.ZERO, settings.takeoverInterval(), () -> records.due().forEach(this::next));
    }

    @PreDestroy
    void close() {
        looks.close();
    }

    /** Several instances may place the same at once: by its idempotency key it is the same order. */
    private void next(StagedRow row) {
        int stage = row.nextStage();
        try {
            Optional<String> document = stage == StageRecords.UNDOING ? Optional.of(undoing(row)) : Optional.of(json.read(row.documentsJson(), DOCUMENTS).get(stage - 1)).filter(each -> !StageSplit.isEmpty(each)).map(json::write);
            if (document.isEmpty() || place(row, stage, document.get()).order().isEmpty()) {
                ends(row, () -> records.skip(row.firstOrder(), stage));
            }
        } catch (Stopped e) {
            LOG.info("stage {} of order {} is not placed any more", stage, row.firstOrder());
        } catch (ValidationFailure | DraftBook.Unknown | DraftBook.InTheWay e) {
            LOG.warn("stage {} of order {} cannot be placed: {}", stage, row.firstOrder(), e.getMessage());
            ends(row, () -> records.fails(row.firstOrder(), stage, reason(e)));
        } catch (RuntimeException e) {
            // A freeze, other orders, the store: whatever it is, it keeps no other order back, and it is tried again.
            records.postpone(row.firstOrder(), stage, AGAIN_SECONDS, reason(e));
        }
    }

    private Placed place(StagedRow row, int stage, String document) {
        String key = Digest.of("stage " + stage + " of " + row.firstOrder());
        Timing timing = new Timing(Optional.empty(), row.inWindow(), Optional.empty(), row.urgent());
        return intake.place(document, new Asked(row.who(), OrderLimits.NONE, Optional.empty(), Optional.of(key), false, timing, json.read(row.authorsJson(), NAMES), Optional.empty(), row.oneByOne()), id -> {
            if (records.placed(row.firstOrder(), stage) == 0) {
                throw new Stopped();
            }
            records.stage(id, row.firstOrder(), stage);
            drafts.passOn(row.firstOrder(), id);
        });
    }

    /** An order that makes of all services again what they were before the first stage. */
    private String undoing(StagedRow row) {
        Set<Long> done = records.orders(row.firstOrder()).stream().filter(order -> order.state().equals("DONE") && order.stage() != StageRecords.UNDOING).map(StageOrder::id).collect(Collectors.toSet());
        return versions.undoing(done, "take the stages of order " + row.firstOrder() + " back");
    }

    /** Where no order follows, the drafts have what was not done again. */
    private void ends(StagedRow row, Runnable change) {
        transactions.executeWithoutResult(status -> {
            change.run();
            records.staged(row.firstOrder()).filter(now -> now.nextStage() == null).ifPresent(now -> drafts.stagesEnded(row.firstOrder(), now.state()));
        });
    }

    private static String reason(RuntimeException e) {
        return PlainText.cleaned(String.valueOf(e.getMessage()), Action.LONGEST_REASON);
    }
}
