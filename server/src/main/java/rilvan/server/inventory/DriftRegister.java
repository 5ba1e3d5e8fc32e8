package rilvan.server.inventory;

import jakarta.annotation.PostConstruct;
import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import org.springframework.transaction.annotation.Transactional;
import rilvan.core.document.PlainText;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.drift.Drift;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.ops.LogContext;
import rilvan.server.ops.Repeating;
import rilvan.server.store.Drifts;
import rilvan.server.store.Drifts.DriftRow;
import rilvan.server.store.Inventory;
import rilvan.server.store.Services;

/**
 * Remembers drift: found on a reading, it stays until the device says again what was ordered, an order restores it, or a person decides to
 * leave it. What was left comes up again where it says something else than it did then.
 */
@Component
public class DriftRegister {

    private static final Logger LOG = LoggerFactory.getLogger(DriftRegister.class);

    private static final Duration BETWEEN_LOOKS = Duration.ofSeconds(10);

    private final Drifts drifts;
    private final Inventory inventory;
    private final Services services;
    private final StoredPlanningSource source;
    private final ClusterMember member;
    private final Repeating looks = new Repeating("end of what is left as it is");

    public DriftRegister(Drifts drifts, Inventory inventory, Services services, StoredPlanningSource source, ClusterMember member) {
        this.member = member;
        this.drifts = drifts;
        this.inventory = inventory;
        this.services = services;
        this.source = source;
    }

    @PostConstruct
    void begin() {
        looks.begin(BETWEEN_LOOKS, BETWEEN_LOOKS, this::decideAgain);
    }

    @PreDestroy
    void close() {
        looks.close();
    }

    /** What was left until now is open again. */
    void decideAgain() {
        drifts.leftUntilNow().stream().distinct().forEach(device -> {
            inventory.moved(device);
            LogContext.about(device, () -> LOG.warn("somebody is to decide again about drift on {}", device));
        });
    }

    /**
     * Keeps a whole reading of a device.
     *
     * @param version the device's version from before it was read
     * @param changedBy who has changed the device, where it says so
     * @return false where the device has been changed by an order since, or is held by one: then the reading may be older than what is known
     */
    @Transactional
    public boolean keep(String device, long version, String configuration, Node holds, Optional<String> changedBy) {
        if (inventory.putReading(device, version, configuration) == 0) {
            return false;
        }
        compare(device, holds, changedBy);
        return true;
    }

    /**
     * An order has changed devices; without effect where nothing had drifted on them.
     *
     * @param holds what a device holds now; asked only where something had drifted
     * @param left nodes of a device that the order was to leave as they are
     */
    @Transactional
    public void changed(Collection<String> devices, Function<String, Node> holds, Function<String, Set<Path>> left, String who, String reason) {
        for (String device : drifts.among(devices)) {
            compare(device, holds.apply(device), Optional.empty());
            left.apply(device).forEach(path -> drifts.leave(device, path.toString(), who, reason, null));
        }
    }

    private void compare(String device, Node holds, Optional<String> changedBy) {
        Map<String, DriftRow> known = new HashMap<>();
        drifts.on(device).forEach(row -> known.put(row.path(), row));
        for (Drift each : Drift.between(source.ledger(device), holds, source.whole(device))) {
            DriftRow row = new DriftRow(device, each.at().toString(), each.ordered().orElse(null), each.found().orElse(null), String.join(",", each.services()), null, null, null, null, null, null, changedBy.orElse(null));
            DriftRow before = known.remove(row.path());
            if (before == null || !Objects.equals(before.ordered(), row.ordered()) || !Objects.equals(before.found(), row.found()) || !before.services().equals(row.services())) {
                drifts.found(row);
                each.services().forEach(services::moved);
                LogContext.about(device, () -> LOG.warn("drift on {}: {}", device, Secret.masked(each.inWords())));
            }
        }
        known.keySet().forEach(path -> {
            drifts.settled(device, path);
            LogContext.about(device, () -> LOG.info("no more drift on {} at {}", device, path));
        });
    }

    /**
     * Settles drift by a person's decision that it stays as it is.
     *
     * @param until when somebody is to decide again; absent where that is not said
     * @throws ValidationFailure where the node has not drifted, no reason is given, or the time is past
     */
    @Transactional
    public void leave(String device, String path, String who, String reason, Optional<OffsetDateTime> until) {
        until.filter(time -> !time.isAfter(member.storeTime().atOffset(ZoneOffset.UTC))).ifPresent(past -> {
            throw new ValidationFailure("/until", past + " is past");
        });
        if (reason == null || reason.isBlank()) {
            throw new ValidationFailure("/reason", "is missing; say why the node stays as it is");
        }
        PlainText.faultOfText(reason).ifPresent(fault -> {
            throw new ValidationFailure("/reason", fault);
        });
        if (path == null || drifts.leave(device, path, who, reason, until.orElse(null)) == 0) {
            List<String> drifted = drifts.on(device).stream().map(DriftRow::path).toList();
            throw new ValidationFailure("/path", "'" + path + "' has not drifted on " + device
                    + (drifted.isEmpty() ? "; nothing has" : "; drifted: " + String.join(", ", drifted)));
        }
        inventory.moved(device);
    }
}
