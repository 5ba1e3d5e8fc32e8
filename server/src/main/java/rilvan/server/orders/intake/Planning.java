package rilvan.server.orders.intake;

import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.dialect.Codec;
import rilvan.core.dialect.NativeLine;
import rilvan.core.document.Digest;
import rilvan.core.document.Document;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.PlaceCoverage;
import rilvan.core.plan.Plan;
import rilvan.core.plan.Plan.ChangeKind;
import rilvan.core.plan.Plan.DevicePlan;
import rilvan.core.plan.Plan.Outcome;
import rilvan.core.plan.Planner;
import rilvan.core.pool.Allocation;
import rilvan.core.pool.Slot;
import rilvan.core.pool.StoredAllocations;
import rilvan.server.inventory.DatabaseAllocations;
import rilvan.server.inventory.PlannedNumbers;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.inventory.TenantBook;
import rilvan.server.keys.ParameterSeal;
import rilvan.server.library.Library;
import rilvan.server.library.Library.InForce;
import rilvan.server.orders.history.ChangeRecord;
import rilvan.server.orders.history.LedgerChange;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.orders.history.PlanRecord.ServiceRecord;
import rilvan.server.store.Inventory;
import rilvan.server.store.Inventory.LedgerRow;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.InScope;
import rilvan.server.store.Orders.PartRow;
import rilvan.server.store.Services;

/** Works orders out against what is stored, and puts what came of it into the form that the journal keeps. */
@Component
public class Planning {

    private static final Comparator<Allocation> BY_PLACE = Comparator.comparing(Allocation::pool).thenComparing(Allocation::within)
            .thenComparing(Allocation::number);

    private final Library library;
    private final ParameterSeal seal;
    private final DatabaseAllocations numbers;
    private final Orders orders;
    private final Services services;
    private final Inventory inventory;
    private final StoredPlanningSource source;
    private final TenantBook tenants;
    private final Json json;

    Planning(Library library, StoredPlanningSource source, DatabaseAllocations numbers, ParameterSeal seal, Orders orders, Services services, Inventory inventory,
            TenantBook tenants, Json json) {
        this.tenants = tenants;
        this.library = library;
        this.seal = seal;
        this.numbers = numbers;
        this.orders = orders;
        this.services = services;
        this.inventory = inventory;
        this.source = source;
        this.json = json;
    }

    /**
     * What an order would change. The digest names this very preview.
     *
     * @param versions of the devices that it was planned from
     * @param library the version of the library that it was planned from
     * @param tenants how often any tenant had changed when it was planned
     * @param readAt when the device among those of its services that was read longest ago was read: the preview knows nothing later of it
     */
    public record Preview(Plan plan, Map<String, List<NativeLine>> lines, String digest, Optional<OffsetDateTime> readAt, Map<String, Long> versions, long library, long tenants) {}

    /**
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public Preview preview(OrderDocument order, OrderLimits limits) {
        return preview(order, numbers.forPreview(), limits);
    }

    /** What the planning of an order that is to be placed sees of numbers; close it when the order is placed. */
    PlannedNumbers numbers() {
        return numbers.forOrder();
    }

    Preview preview(OrderDocument order, StoredAllocations seen, OrderLimits limits) {
        limits.check(order);
        try {
            Preview preview = preview(limits.seen(order), seen, new PlanningReads(source, inventory, limits));
            limits.check(preview.plan());
            return preview;
        } catch (ValidationFailure e) {
            throw limits.told(e);
        }
    }

    /** What an order would change if a tenant had another name. */
    Preview previewRenamed(OrderDocument order, String from, String to) {
        return preview(order, numbers.forPreview(), new PlanningReads(source, inventory, OrderLimits.NONE).withTenant(from, to, library.catalog()));
    }

    private Preview preview(OrderDocument order, StoredAllocations seen, PlanningReads reads) {
        InForce inForce = library.inForce();
        Plan plan = new Planner(inForce.catalog(), reads, seen, seal).plan(order);
        Map<String, List<NativeLine>> lines = new TreeMap<>();
        plan.devices().forEach((device, part) -> {
            List<NativeLine> changed = part.lines();
            if (!changed.isEmpty()) {
                lines.put(device, changed.stream().map(NativeLine::masked).toList());
            }
        });
        Set<String> devices = plan.outcomes().stream().flatMap(outcome -> outcome.devices().keySet().stream()).collect(Collectors.toSet());
        return new Preview(plan, lines, Digest.of(json.write(lines)).substring(0, 16),
                devices.isEmpty() ? Optional.empty() : Optional.ofNullable(inventory.oldestReading(devices)), reads.versions(), inForce.version(), reads.tenantsVersion());
    }

    /**
     * The text of an order as it is stored: as it was written, or, where it has secrets, written anew as JSON with these sealed. A
     * secret may be written in many notations; in the parsed document there is one.
     */
    String withoutSecrets(Document document, String text, OrderDocument order) {
        Map<String, String> secrets = new Planner(library.catalog(), source, numbers, seal).secrets(order);
        return secrets.isEmpty() ? text : json.write(Secret.sealed(document.value(), secrets));
    }

    /**
     * What becomes of services and numbers.
     *
     * @param kept numbers that the order took when it was placed; those that it still needs are taken
     * @return nothing where a service that it removes has gone since it was planned
     */
    public Optional<PlanRecord> record(Plan plan, List<Allocation> kept) {
        List<ServiceRecord> records = new ArrayList<>();
        Set<Allocation> held = new HashSet<>();
        for (Outcome outcome : plan.outcomes()) {
            held.addAll(services.heldBy(outcome.service()));
            held.addAll(services.heldBy(outcome.formerly()));
            Optional<ServiceRecord> record = outcome.expansion().map(expansion -> new ServiceRecord(outcome.service(), outcome.kind().name(),
                    expansion.service().tenant(), expansion.service().model(), expansion.modelVersion(), expansion.parameters(),
                    outcome.devices(), outcome.formerly(), outcome.refersTo(), outcome.tenants(), expansion.customersToFollow(), outcome.componentOf().orElse(null)))
                    .or(() -> source.service(outcome.service()).map(service -> new ServiceRecord(outcome.service(), ChangeKind.REMOVE.name(), "", "", 0,
                            service.parameters(), Map.of(), outcome.service(), Set.of(), Set.of(), Set.of(), outcome.componentOf().orElse(null))));
            if (record.isEmpty()) {
                return Optional.empty();
            }
            records.add(record.get());
        }
        kept.forEach(held::remove);
        // A number that one service of the order gives up and another takes is held all the while, and passes on when the order is done.
        Set<Slot> before = held.stream().map(Slot::of).collect(Collectors.toSet());
        Set<Slot> after = plan.allocations().stream().map(Slot::of).collect(Collectors.toSet());
        List<Allocation> taken = plan.allocations().stream().filter(each -> !before.contains(Slot.of(each))).distinct().sorted(BY_PLACE).toList();
        List<Allocation> moved = plan.allocations().stream().filter(each -> before.contains(Slot.of(each)) && !held.contains(each)).distinct().sorted(BY_PLACE).toList();
        List<Allocation> given = held.stream().filter(each -> !after.contains(Slot.of(each))).toList();
        PlaceCoverage coverage = plan.coverage();
        return Optional.of(new PlanRecord(records, taken, moved, given, coverage.checks(), coverage.gaps()));
    }

    /** The whole configuration of each device that a preview changes, as it is known, with the change in it; in its own language, without secrets. */
    Map<String, String> whole(Preview preview) {
        Map<String, String> whole = new TreeMap<>();
        preview.plan().devices().forEach((device, part) -> {
            Codec codec = part.part().codec();
            whole.put(device, Secret.masked(codec.encode(part.part().difference().applyTo(codec.decode(source.configuration(device).orElse(""))))));
        });
        return whole;
    }

    /** Whether the library or the tenants have moved since an order was planned. */
    boolean isOutdated(Preview preview) {
        return library.isOutdated(preview.library()) || tenants.isOutdated(preview.tenants());
    }

    /** Puts down whom an order is for, whom its services refer to, which services it is about, which devices it changes, and at which sites these are. */
    void putScope(long order, Plan plan) {
        Set<InScope> scope = new LinkedHashSet<>();
        plan.outcomes().forEach(outcome -> {
            outcome.isFor().forEach(tenant -> scope.add(new InScope("tenant", tenant)));
            outcome.tenants().forEach(tenant -> scope.add(new InScope("referred", tenant)));
            if (outcome.kind() != ChangeKind.KEEP) {
                scope.add(new InScope("service", outcome.service()));
            }
        });
        sites(plan).forEach(site -> scope.add(new InScope("site", site)));
        plan.parts().forEach(part -> scope.add(new InScope("device", part.device())));
        orders.addScope(order, scope);
    }

    /** The sites of all devices that an order changes, or that its services are on. */
    Set<String> sites(Plan plan) {
        Network network = source.network();
        return Stream.concat(plan.devices().keySet().stream(), plan.outcomes().stream().flatMap(outcome -> outcome.devices().keySet().stream())).distinct()
                .flatMap(device -> network.device(device).stream()).map(Device::site).collect(Collectors.toCollection(TreeSet::new));
    }

    /** Puts each device's part down. */
    public void putParts(long order, Preview preview) {
        Map<String, DevicePlan> parts = preview.plan().devices();
        Map<String, List<LedgerRow>> before = parts.isEmpty() ? Map.of() : inventory.ledgers(parts.keySet()).stream().collect(Collectors.groupingBy(LedgerRow::device));
        orders.addParts(parts.entrySet().stream().map(part -> part(order, part.getKey(), part.getValue(), before.getOrDefault(part.getKey(), List.of()), preview)).toList());
    }

    private PartRow part(long order, String device, DevicePlan plan, List<LedgerRow> before, Preview preview) {
        return new PartRow(order, device, plan.part().kind().name(), json.write(ChangeRecord.of(plan.part().difference())),
                json.write(LedgerChange.between(before, source.rows(device, plan.ledger()))), json.write(preview.lines().getOrDefault(device, List.of())));
    }
}
