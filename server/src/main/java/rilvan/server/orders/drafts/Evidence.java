package rilvan.server.orders.drafts;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.dialect.Codec;
import rilvan.core.document.KnownNames;
import rilvan.core.document.PlainText;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.ledger.LedgerMerge.Decision;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.store.DraftRecords;
import rilvan.server.store.DraftRecords.DecisionRow;

/** What devices were known to say when people decided about conflicts, and whether they say it still. */
@Component
class Evidence {

    private final DraftRecords records;
    private final StoredPlanningSource source;
    private final Devices devices;

    Evidence(DraftRecords records, StoredPlanningSource source, Devices devices) {
        this.records = records;
        this.source = source;
        this.devices = devices;
    }

    /**
     * A decision about a node of a device and all below it.
     *
     * @throws ValidationFailure naming each field at fault
     */
    DecisionRow read(String draft, String device, String path, String decision, String reason, String who) {
        List<Problem> problems = new ArrayList<>();
        Set<String> known = source.network().devices().keySet();
        if (!known.contains(device)) {
            problems.add(new Problem("/device", "there is no device named '" + device + "'; " + KnownNames.instead(device, known)));
        }
        Optional<Path> at = Optional.empty();
        try {
            at = Optional.of(Path.parse(path)).filter(each -> !each.isRoot());
            if (at.isEmpty()) {
                problems.add(new Problem("/path", "is the whole device; name the node that the conflict is about"));
            }
        } catch (IllegalArgumentException e) {
            problems.add(new Problem("/path", e.getMessage()));
        }
        Set<String> words = Stream.of(Decision.values()).map(each -> each.name().toLowerCase(Locale.ROOT)).collect(Collectors.toCollection(TreeSet::new));
        if (!words.contains(decision)) {
            problems.add(new Problem("/decision", "must be one of " + String.join(", ", words)));
        }
        PlainText.faultOfReason(reason).ifPresent(fault -> problems.add(new Problem("/reason", fault)));
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return new DecisionRow(draft, device, at.orElseThrow().toString(), decision, reason, who, null, evidence(device, at.orElseThrow()));
    }

    /** What a device is known to say at a node, in its own language, without secrets. */
    private String evidence(String device, Path path) {
        Optional<String> text = source.configuration(device);
        if (text.isEmpty()) {
            throw new ValidationFailure("/device", device + " has never been read; read it first");
        }
        Codec codec = devices.dialect(device).codec();
        return codec.decode(text.get()).at(path).filter(node -> !node.isEmpty()).map(node -> Secret.masked(codec.encode(Node.EMPTY.with(path, node)))).orElse("");
    }

    /**
     * The decisions of a draft, as its orders have them.
     *
     * @throws ValidationFailure where a device is known to say something else since
     */
    List<Map<String, Object>> inForce(String draft) {
        List<DecisionRow> rows = records.decisions(draft);
        List<Problem> problems = rows.stream().filter(this::isOutdated).map(row -> new Problem("", row.device() + " says something else at " + row.path() + " since " + row.who() + " decided to "
                + row.decision() + "; look at it, and decide again")).toList();
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return rows.stream().map(row -> Map.<String, Object>of("device", row.device(), "path", row.path(), "decision", row.decision())).toList();
    }

    /** Whether a device is known to say something else than when it was decided. */
    boolean isOutdated(DecisionRow row) {
        return source.network().device(row.device()).isEmpty() || !evidence(row.device(), Path.parse(row.path())).equals(row.evidence());
    }
}
