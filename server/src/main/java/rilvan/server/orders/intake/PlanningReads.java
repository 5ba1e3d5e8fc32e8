package rilvan.server.orders.intake;

import java.time.OffsetDateTime;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.UnaryOperator;
import rilvan.core.catalog.Catalog;
import rilvan.core.drift.Drift;
import rilvan.core.environment.PlanningSource;
import rilvan.core.ledger.Ledger;
import rilvan.core.network.DeviceKind;
import rilvan.core.network.Network;
import rilvan.core.network.Tenants;
import rilvan.core.tree.Path;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.inventory.TenantBook;
import rilvan.server.store.Inventory;
import rilvan.server.store.Inventory.DeviceRow;

/**
 * The store as one planning reads it. The first reading of a device notes which version it had: where that has moved when the order is
 * opened, it is planned again. So an order knows the versions of its own devices and asks for no others. Not safe for several threads.
 */
final class PlanningReads implements PlanningSource {

    private final StoredPlanningSource source;
    private final Inventory inventory;
    private final OrderLimits limits;
    private final Map<String, Optional<DeviceRow>> devices = new HashMap<>();
    /** Each is read once: another order may end meanwhile, and half a plan must not see what the other half did not. */
    private final Map<String, Optional<Service>> services = new HashMap<>();
    private Network network;
    private TenantBook.Known tenants;
    private UnaryOperator<Service> renaming = UnaryOperator.identity();

    PlanningReads(StoredPlanningSource source, Inventory inventory, OrderLimits limits) {
        this.limits = limits;
        this.source = source;
        this.inventory = inventory;
    }

    /** As if a tenant had another name. */
    PlanningReads withTenant(String from, String to, Catalog catalog) {
        renaming = service -> new Service(service.name(), service.tenant().equals(from) ? to : service.tenant(), service.model(), service.modelVersion(),
                catalog.model(service.model(), service.modelVersion()).orElseThrow().parameters().withTenant(from, to, service.parameters()),
                service.devices(), service.version(), service.customersToFollow(), service.componentOf());
        tenants = new TenantBook.Known(source.knownTenants().version(), Tenants.ANY);
        return this;
    }

    /** The versions of the devices that were read. */
    Map<String, Long> versions() {
        Map<String, Long> versions = new HashMap<>();
        devices.forEach((name, row) -> row.ifPresent(known -> versions.put(name, known.version())));
        return versions;
    }

    private Optional<DeviceRow> device(String name) {
        return devices.computeIfAbsent(name, inventory::device);
    }

    @Override
    public Network network() {
        if (network == null) {
            network = source.network();
        }
        return network;
    }

    @Override
    public Tenants tenants() {
        return knownTenants().tenants();
    }

    private TenantBook.Known knownTenants() {
        if (tenants == null) {
            tenants = source.knownTenants();
        }
        return tenants;
    }

    /** How often any tenant had changed until these were read. */
    long tenantsVersion() {
        return knownTenants().version();
    }

    @Override
    public Ledger ledger(String device) {
        device(device);
        return source.ledger(device);
    }

    @Override
    public Optional<String> configurationAt(String device, OffsetDateTime at) {
        return source.configurationAt(device, at);
    }

    @Override
    public Optional<String> configuration(String device) {
        return device(device).map(DeviceRow::configuration);
    }

    @Override
    public List<String> names(String device, String kind) {
        return configuration(device).map(text -> source.names(device, kind, text)).orElse(List.of());
    }

    @Override
    public Map<String, List<Drift>> drift(String service) {
        return source.drift(service);
    }

    @Override
    public Set<Path> leftDrift(String device) {
        device(device);
        return source.leftDrift(device);
    }

    @Override
    public Optional<DeviceKind> kind(String device) {
        return source.kind(device);
    }

    @Override
    public Optional<Service> service(String name) {
        return services.computeIfAbsent(name, each -> source.service(each).map(renaming));
    }

    @Override
    public Optional<Service> referable(String name) {
        return service(name).filter(limits::mayRefer);
    }

    @Override
    public List<Service> components(String name) {
        return source.components(name).stream().map(renaming).toList();
    }

    @Override
    public List<Service> referrers(String name) {
        return source.referrers(name).stream().map(renaming).toList();
    }
}
