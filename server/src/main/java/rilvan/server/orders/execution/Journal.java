package rilvan.server.orders.execution;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import org.springframework.transaction.annotation.Transactional;
import rilvan.core.dialect.Codec;
import rilvan.core.document.Document;
import rilvan.core.document.Secret;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.LedgerMerge.Decision;
import rilvan.core.network.DeviceKind;
import rilvan.core.plan.OrderDocument;
import rilvan.core.transaction.Action;
import rilvan.core.transaction.DeviceChange;
import rilvan.core.transaction.State;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.DriftRegister;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.history.ChangeRecord;
import rilvan.server.orders.history.LedgerChange;
import rilvan.server.orders.history.OrderEnd;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.orders.history.PlanRecord.ServiceRecord;
import rilvan.server.store.EndingRecords;
import rilvan.server.store.Inventory;
import rilvan.server.store.Inventory.DeviceConfiguration;
import rilvan.server.store.Inventory.LedgerPlace;
import rilvan.server.store.Inventory.LedgerRow;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.EventRow;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Orders.PartRow;
import rilvan.server.store.ServiceHealth;
import rilvan.server.store.ServiceLines;
import rilvan.server.store.ServiceLines.LinesChange;
import rilvan.server.store.Services;
import rilvan.server.store.Services.VersionRow;
import rilvan.server.store.TenantRecords;
import tools.jackson.core.type.TypeReference;

/**
 * The journal of orders. Every record is one database transaction: written only while this process has the right to drive
 * the order and the last record is the expected one; the record that ends an order also changes services, ledgers,
 * configurations, numbers and holds, all or nothing.
 */
@Component
public class Journal {

    private static final TypeReference<PlanRecord> PLAN = new TypeReference<>() {};
    private static final TypeReference<LedgerChange> LEDGER = new TypeReference<>() {};
    private static final TypeReference<List<ChangeRecord>> CHANGES = new TypeReference<>() {};
    private static final TypeReference<Map<String, List<String>>> SESSIONS = new TypeReference<>() {};

    private final Orders orders;
    private final Services services;
    private final ServiceHealth health;
    private final Inventory inventory;
    private final StoredPlanningSource source;
    private final Devices devices;
    private final DriftRegister drift;
    private final TenantRecords tenants;
    private final OrderEnd end;
    private final EndingRecords endings;
    private final ServiceLines serviceLines;
    private final Json json;

    public Journal(Orders orders, Services services, ServiceHealth health, Inventory inventory, StoredPlanningSource source, Devices devices, DriftRegister drift, TenantRecords tenants, OrderEnd end, EndingRecords endings, ServiceLines serviceLines,
            Json json) {
        this.serviceLines = serviceLines;
        this.tenants = tenants;
        this.end = end;
        this.endings = endings;
        this.orders = orders;
        this.services = services;
        this.health = health;
        this.inventory = inventory;
        this.source = source;
        this.devices = devices;
        this.drift = drift;
        this.json = json;
    }

    /**
     * Writes a record, together with the events told so far.
     *
     * @param afterwards what devices hold and services say then, where the record is DONE: see {@link #afterwards}
     * @return false where the right to drive the order has passed on, or the last record is another than expected
     */
    @Transactional
    public boolean write(long order, long epoch, Action.Write record, List<EventRow> events, Afterwards afterwards) {
        int rows = orders.record(order, epoch, record.expected().name(), record.state().name(), record.reason(),
                json.write(record.sessions()), record.state().ended());
        if (rows == 0) {
            return false;
        }
        orders.addEvents(events);
        if (record.state().ended()) {
            OrderRow row = orders.order(order).orElseThrow();
            PlanRecord plan = plan(row);
            if (record.state() == State.DONE) {
                done(row, plan, afterwards);
            } else {
                services.giveBack(plan.taken());
            }
            orders.release(order);
            orders.dropResolutions(order);
            end.ended(order, record.state(), record.reason(), plan.services().stream().map(ServiceRecord::name).toList());
        }
        return true;
    }

    /**
     * Keeps events that no record is near for, so that they are seen from every instance.
     *
     * @return false where the right to drive the order has passed on
     */
    @Transactional
    public boolean tell(long order, long epoch, List<EventRow> events) {
        boolean held = orders.heldAt(order, epoch).isPresent();
        if (held) {
            orders.addEvents(events);
        }
        return held;
    }

    /**
     * What an order leaves.
     *
     * @param configurations what each of its devices holds, as text
     * @param lines what its services say on them, where that is something else than before
     */
    public record Afterwards(Map<String, String> configurations, List<LinesChange> lines) {

        /** Of a record with which nothing is done. */
        static final Afterwards NOTHING = new Afterwards(Map.of(), List.of());
    }

    /**
     * What an order leaves once it is done. Worked out before the database transaction that ends the order: nobody
     * else changes a device that an order holds, and a large one takes its time.
     */
    public Afterwards afterwards(long order) {
        Map<String, String> configurations = new TreeMap<>();
        List<LinesChange> lines = new ArrayList<>();
        List<ServiceRecord> changed = plan(orders.order(order).orElseThrow()).services().stream().filter(service -> !service.kind().equals("KEEP")).toList();
        for (PartRow part : orders.parts(order)) {
            Codec codec = devices.dialect(part.device()).codec();
            Node before = codec.decode(source.configuration(part.device()).orElse(""));
            configurations.put(part.device(), codec.encode(difference(part).applyTo(before)));
            lines.addAll(lines(part, codec, changed));
        }
        return new Afterwards(configurations, lines);
    }

    /** A ledger may be long, and an order have many services: only those are looked at of which a node of this device changes, and only their nodes. */
    private List<LinesChange> lines(PartRow part, Codec codec, List<ServiceRecord> changed) {
        List<LedgerRow> rows = inventory.ledger(part.device());
        LedgerChange change = json.read(part.ledgerJson(), LEDGER);
        Set<String> concerned = Stream.of(change.changing(rows), change.put()).flatMap(each -> source.ledger(each).entries().values().stream()).flatMap(entry -> entry.services().stream())
                .collect(Collectors.toSet());
        List<ServiceRecord> own = changed.stream().filter(service -> concerned.contains(service.name()) || concerned.contains(service.formerly())).toList();
        Set<String> names = own.stream().flatMap(service -> Stream.of(service.name(), service.formerly())).map(name -> '"' + name + '"').collect(Collectors.toSet());
        Ledger before = source.ledger(of(names, rows));
        Ledger after = source.ledger(of(names, change.applyTo(rows)));
        List<LinesChange> lines = new ArrayList<>();
        own.forEach(service -> {
            String said = lines(codec, before, service.formerly());
            String says = lines(codec, after, service.name());
            if (!said.equals(says)) {
                lines.add(new LinesChange(service.name(), part.device(), said, says));
            }
        });
        return lines;
    }

    /** The entries that have one of some owners, and perhaps others: by their text, which is not read for each. */
    private static List<LedgerRow> of(Set<String> names, List<LedgerRow> rows) {
        return rows.stream().filter(row -> names.stream().anyMatch(row.ownersJson()::contains)).toList();
    }

    private static String lines(Codec codec, Ledger ledger, String service) {
        Node footprint = ledger.footprint(service);
        return footprint.equals(Node.EMPTY) ? "" : codec.lines(Node.EMPTY, footprint).stream().map(line -> Secret.masked(line.text())).collect(Collectors.joining("\n"));
    }

    private void done(OrderRow row, PlanRecord plan, Afterwards afterwards) {
        long order = row.id();
        Map<String, String> configurations = afterwards.configurations();
        plan.services().stream().filter(service -> service.kind().equals("REMOVE") || service.isRenamed()).forEach(service -> {
            references(service.formerly(), Set.of());
            if (service.kind().equals("REMOVE")) {
                // While it is there, so that whoever is told of it knows whose it was.
                services.remember(new VersionRow(service.name(), order, service.kind(), json.write(service.parameters()), null, null, null, service.componentOf()));
            }
            services.drop(service.formerly());
            if (service.kind().equals("REMOVE")) {
                endings.gone(service.name());
            } else {
                endings.rename(service.formerly(), service.name());
            }
        });
        services.pass(plan.moved());
        for (ServiceRecord service : plan.services()) {
            String parameters = json.write(service.parameters());
            if (service.isRenamed()) {
                services.rename(service.formerly(), service.name());
                serviceLines.rename(service.formerly(), service.name());
                orders.renameInScope(service.formerly(), service.name());
            }
            if (!service.kind().equals("REMOVE")) {
                services.put(new Services.ServiceRow(service.name(), service.tenant(), service.model(), service.modelVersion(),
                        parameters, json.write(service.devices()), 0, json.write(service.customersToFollow()), service.componentOf()));
                services.withoutFootprint(service.name());
                services.putFootprint(service.name(), service.devices().keySet());
                Optional.ofNullable(service.refersTo()).ifPresent(referred -> references(service.name(), referred));
                // Its checks have just passed.
                health.checked(service.name(), "", "");
                if (!service.kind().equals("KEEP")) {
                    services.remember(new VersionRow(service.name(), order, service.kind(), parameters, service.tenant(), service.model(), service.modelVersion(), service.componentOf()));
                }
            }
        }
        tenants.putReferring(plan.services().stream().filter(service -> !service.kind().equals("REMOVE") && service.tenants() != null)
                .collect(Collectors.toMap(ServiceRecord::name, ServiceRecord::tenants)));
        serviceLines.add(order, afterwards.lines());
        services.giveBack(plan.given());
        services.own(plan.names(), plan.given());
        if (!configurations.isEmpty()) {
            changeLedgers(order);
            inventory.putConfigurations(configurations.entrySet().stream().map(each -> new DeviceConfiguration(each.getKey(), each.getValue())).toList());
            drift.changed(configurations.keySet(), device -> devices.dialect(device).codec().decode(configurations.get(device)), device -> left(row, device), row.who(), row.reason());
        }
    }

    /** What is managed on the devices of an order from now on. */
    private void changeLedgers(long order) {
        List<LedgerRow> put = new ArrayList<>();
        List<LedgerPlace> gone = new ArrayList<>();
        for (PartRow part : orders.parts(order)) {
            LedgerChange change = json.read(part.ledgerJson(), LEDGER);
            put.addAll(change.put());
            change.gone().forEach(path -> gone.add(new LedgerPlace(part.device(), path)));
        }
        inventory.dropLedger(gone);
        inventory.putLedger(put);
    }

    /** What is managed on a device of an order once that is done. */
    List<LedgerRow> ledgerAfter(PartRow part) {
        return json.read(part.ledgerJson(), LEDGER).applyTo(inventory.ledger(part.device()));
    }

    /** Nodes of a device that an order was to leave as somebody had changed them. */
    private static Set<Path> left(OrderRow row, String device) {
        return OrderDocument.read(Document.read(row.document())).decisions().getOrDefault(device, Map.of()).entrySet().stream()
                .filter(each -> each.getValue() == Decision.LEAVE).map(Map.Entry::getKey).collect(Collectors.toSet());
    }

    private void references(String service, Set<String> referred) {
        Set<String> before = new TreeSet<>(services.refersTo(service));
        before.stream().filter(each -> !referred.contains(each)).forEach(each -> {
            services.unrefer(service, each);
            services.moved(each);
        });
        referred.stream().filter(each -> !before.contains(each)).forEach(each -> {
            services.refer(service, each);
            services.moved(each);
        });
    }

    public PlanRecord plan(OrderRow order) {
        return json.read(order.planJson(), PLAN);
    }

    public Map<String, List<String>> sessions(OrderRow order) {
        return json.read(order.sessionsJson(), SESSIONS);
    }

    /** The parts of an order, as they were planned; those on which nothing changes are left out. */
    public List<DeviceChange> parts(long order) {
        return orders.parts(order).stream().map(row -> {
            var dialect = devices.dialect(row.device());
            DeviceKind kind = row.kind() == null ? dialect.kind() : DeviceKind.valueOf(row.kind());
            return new DeviceChange(row.device(), kind, dialect.codec(), difference(row), dialect.confirmSeconds(), dialect.testsEdits(), dialect.notPending());
        }).filter(part -> !part.difference().isEmpty()).toList();
    }

    private Difference difference(PartRow row) {
        return ChangeRecord.difference(json.read(row.changesJson(), CHANGES));
    }

    /** The last record that is stored; nothing where the right to drive the order has passed on from this epoch. */
    public Optional<State> state(long order, long epoch) {
        return orders.stateAt(order, epoch).map(State::valueOf);
    }
}
