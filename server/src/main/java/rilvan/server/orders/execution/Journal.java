package rilvan.server.orders.execution;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.springframework.stereotype.Component;
import org.springframework.transaction.annotation.Transactional;
import rilvan.core.dialect.Codec;
import rilvan.core.network.DeviceKind;
import rilvan.core.transaction.Action;
import rilvan.core.transaction.DeviceChange;
import rilvan.core.transaction.State;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.history.ChangeRecord;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.orders.history.PlanRecord.ServiceRecord;
import rilvan.server.store.Inventory;
import rilvan.server.store.Inventory.LedgerRow;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.EventRow;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Orders.PartRow;
import rilvan.server.store.ServiceHealth;
import rilvan.server.store.Services;
import tools.jackson.core.type.TypeReference;

/**
 * The journal of orders. Every record is one database transaction: written only while this process has the right to drive
 * the order and the last record is the expected one; the record that ends an order also changes services, ledgers,
 * configurations, numbers and holds, all or nothing.
 */
@Component
public class Journal {

    private static final TypeReference<PlanRecord> PLAN = new TypeReference<>() {};
    private static final TypeReference<List<LedgerRow>> LEDGER = new TypeReference<>() {};
    private static final TypeReference<List<ChangeRecord>> CHANGES = new TypeReference<>() {};
    private static final TypeReference<Map<String, List<String>>> SESSIONS = new TypeReference<>() {};

    private final Orders orders;
    private final Services services;
    private final ServiceHealth health;
    private final Inventory inventory;
    private final StoredPlanningSource source;
    private final Devices devices;
    private final Json json;

    public Journal(Orders orders, Services services, ServiceHealth health, Inventory inventory, StoredPlanningSource source, Devices devices, Json json) {
        this.orders = orders;
        this.services = services;
        this.health = health;
        this.inventory = inventory;
        this.source = source;
        this.devices = devices;
        this.json = json;
    }

    /**
     * Writes a record, together with the events told so far.
     *
     * @param configurations what each device holds afterwards, where the record is DONE: see {@link #configurationsAfter}
     * @return false where the right to drive the order has passed on, or the last record is another than expected
     */
    @Transactional
    public boolean write(long order, long epoch, Action.Write record, List<EventRow> events, Map<String, String> configurations) {
        int rows = orders.record(order, epoch, record.expected().name(), record.state().name(), record.reason(),
                json.write(record.sessions()), record.state().ended());
        if (rows == 0) {
            return false;
        }
        events.forEach(orders::addEvent);
        if (record.state().ended()) {
            PlanRecord plan = plan(orders.order(order).orElseThrow());
            if (record.state() == State.DONE) {
                done(order, plan, configurations);
            } else {
                plan.taken().forEach(services::giveBack);
            }
            orders.release(order);
        }
        return true;
    }

    /**
     * What each device of an order holds once it is done, as text. Worked out before the database transaction that ends the order: nobody
     * else changes a device that an order holds, and a large one takes its time.
     */
    public Map<String, String> configurationsAfter(long order) {
        Map<String, String> configurations = new TreeMap<>();
        for (PartRow part : orders.parts(order)) {
            Codec codec = devices.dialect(part.device()).codec();
            Node before = codec.decode(source.configuration(part.device()).orElse(""));
            configurations.put(part.device(), codec.encode(difference(part).applyTo(before)));
        }
        return configurations;
    }

    private void done(long order, PlanRecord plan, Map<String, String> configurations) {
        plan.services().stream().filter(service -> service.kind().equals("REMOVE") || service.isRenamed()).forEach(service -> {
            references(service.formerly(), Set.of());
            services.drop(service.formerly());
        });
        plan.moved().forEach(services::pass);
        for (ServiceRecord service : plan.services()) {
            String parameters = json.write(service.parameters());
            if (service.isRenamed()) {
                services.rename(service.formerly(), service.name());
            }
            if (!service.kind().equals("REMOVE")) {
                services.put(new Services.ServiceRow(service.name(), service.tenant(), service.model(), service.modelVersion(),
                        parameters, json.write(service.devices()), 0));
                Optional.ofNullable(service.refersTo()).ifPresent(referred -> references(service.name(), referred));
                // Its checks have just passed.
                health.checked(service.name(), "");
            }
            services.remember(service.name(), order, service.kind(), parameters);
        }
        plan.given().forEach(services::giveBack);
        for (PartRow part : orders.parts(order)) {
            Map<String, LedgerRow> after = new TreeMap<>();
            json.read(part.ledgerJson(), LEDGER).forEach(row -> after.put(row.path(), row));
            for (LedgerRow row : inventory.ledger(part.device())) {
                if (!after.containsKey(row.path())) {
                    inventory.dropLedger(part.device(), row.path());
                } else if (after.get(row.path()).equals(row)) {
                    after.remove(row.path());
                }
            }
            after.values().forEach(inventory::putLedger);
            inventory.putConfiguration(part.device(), configurations.get(part.device()));
        }
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
            return new DeviceChange(row.device(), kind, dialect.codec(), difference(row), dialect.confirmSeconds(), dialect.testsEdits());
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
