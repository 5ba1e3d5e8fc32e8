package rilvan.server.inventory;

import java.time.OffsetDateTime;
import java.util.Collection;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.Function;
import java.util.stream.Collectors;
import org.pcollections.PSortedSet;
import org.pcollections.TreePSet;
import org.springframework.dao.DataAccessException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import rilvan.core.document.Document;
import rilvan.core.drift.Drift;
import rilvan.core.environment.PlanningSource;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.network.DeviceKind;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;
import rilvan.core.network.Tenants;
import rilvan.core.schema.WholeEntries;
import rilvan.core.tree.Path;
import rilvan.server.library.Library;
import rilvan.server.store.Drifts;
import rilvan.server.store.Drifts.DriftRow;
import rilvan.server.store.Inventory;
import rilvan.server.store.Inventory.LedgerRow;
import rilvan.server.store.Json;
import rilvan.server.store.Services;
import rilvan.server.store.SnapshotRecords;
import tools.jackson.core.type.TypeReference;

/** The network and its services as the store has them. */
@Component
public class StoredPlanningSource implements PlanningSource {

    private static final TypeReference<Map<String, Object>> FIELDS = new TypeReference<>() {};
    private static final TypeReference<Map<String, String>> DIGESTS = new TypeReference<>() {};
    private static final TypeReference<Set<Network.End>> ENDS = new TypeReference<>() {};
    private static final TypeReference<List<Owner>> OWNERS = new TypeReference<>() {};

    private static final int PAGE = 500;
    private static final long RECENT_NANOS = 500_000_000;

    private final Inventory inventory;
    private final Services services;
    private final Drifts drifts;
    private final SnapshotRecords snapshots;
    private final Json json;
    private final Library library;
    private final TenantBook tenants;
    private volatile Known known = new Known(-1, Network.EMPTY, 0);

    /** A network and its version in the store, so that it is fetched and read once. */
    private record Known(long version, Network network, long at) {}

    public StoredPlanningSource(Inventory inventory, Services services, Drifts drifts, SnapshotRecords snapshots, Json json, Library library, TenantBook tenants) {
        this.inventory = inventory;
        this.services = services;
        this.drifts = drifts;
        this.snapshots = snapshots;
        this.json = json;
        this.library = library;
        this.tenants = tenants;
    }

    @Override
    public Tenants tenants() {
        return knownTenants().tenants();
    }

    /** The tenants, and how often any has changed until then. */
    public TenantBook.Known knownTenants() {
        return tenants.known();
    }

    @Override
    public Network network() {
        long version = inventory.networkVersion().orElse(0L);
        Known last = known;
        long now = System.nanoTime();
        last = last.version() == version ? new Known(version, last.network(), now)
                : inventory.network().map(row -> new Known(row.version(), NetworkDocument.read(Document.read(row.document())), now)).orElse(new Known(0, Network.EMPTY, now));
        known = last;
        return last.network();
    }

    /**
     * The network as it was a moment ago: what only looks at devices asks for it many times a second, and need not ask the store each
     * time. Whatever changes devices is planned from {@link #network()}.
     */
    public Network recentNetwork() {
        Known last = known;
        if (last.version() >= 0 && System.nanoTime() - last.at() < RECENT_NANOS) {
            return last.network();
        }
        try {
            return network();
        } catch (DataAccessException | TransactionException e) {
            // What is known of devices is true of them also while the store is away.
            if (last.version() < 0) {
                throw e;
            }
            return last.network();
        }
    }

    @Override
    public Ledger ledger(String device) {
        return ledger(inventory.ledger(device));
    }

    /** A ledger of the rows that the store has of one. */
    public Ledger ledger(List<LedgerRow> rows) {
        Map<Path, Ledger.Entry> entries = new LinkedHashMap<>();
        // What a clause has made has the same owner all over.
        Map<String, PSortedSet<Owner>> owners = new HashMap<>();
        for (LedgerRow row : rows) {
            entries.put(Path.parse(row.path()), new Ledger.Entry(row.value(), owners.computeIfAbsent(row.ownersJson(), text -> TreePSet.from(json.read(text, OWNERS))),
                    Optional.ofNullable(row.prior())));
        }
        return new Ledger(entries);
    }

    /** A ledger as rows of the store. */
    public List<LedgerRow> rows(String device, Ledger ledger) {
        return ledger.entries().entrySet().stream().map(entry -> new LedgerRow(device, entry.getKey().toString(),
                entry.getValue().value(), entry.getValue().prior().orElse(null), json.write(entry.getValue().owners()))).toList();
    }

    /** Which entries of a device belong to one service whole. */
    WholeEntries whole(String device) {
        return library.catalog().dialects().get(recentNetwork().device(device).orElseThrow().family()).whole();
    }

    @Override
    public Map<String, List<Drift>> drift(String service) {
        return drifts.of(service).stream().filter(row -> row.leftBy() == null).collect(Collectors.groupingBy(DriftRow::device, TreeMap::new,
                Collectors.mapping(row -> new Drift(Path.parse(row.path()), Optional.ofNullable(row.ordered()), Optional.ofNullable(row.found()), new TreeSet<>(List.of(row.services().split(",")))),
                        Collectors.toList())));
    }

    @Override
    public Set<Path> leftDrift(String device) {
        return drifts.on(device).stream().filter(row -> row.leftBy() != null).map(row -> Path.parse(row.path())).collect(Collectors.toSet());
    }

    @Override
    public Optional<DeviceKind> kind(String device) {
        return inventory.kind(device).map(DeviceKind::valueOf);
    }

    @Override
    public List<String> names(String device, String kind) {
        return configuration(device).map(text -> names(device, kind, text)).orElse(List.of());
    }

    /** The names of a kind in a configuration of a device. */
    public List<String> names(String device, String kind, String configuration) {
        return library.catalog().dialects().get(recentNetwork().device(device).orElseThrow().family()).names(kind, configuration);
    }

    @Override
    public Optional<String> configurationAt(String device, OffsetDateTime at) {
        return snapshots.at(device, at);
    }

    @Override
    public Optional<String> configuration(String device) {
        return inventory.device(device).map(Inventory.DeviceRow::configuration);
    }

    @Override
    public Optional<Service> service(String name) {
        return services.service(name).map(this::service);
    }

    /** Of some names, the services that stand under them. */
    public Map<String, Service> services(Collection<String> names) {
        return names.isEmpty() ? Map.of() : services.named(json.write(names)).stream().map(this::service).collect(Collectors.toMap(Service::name, Function.identity()));
    }

    /** The next services that stand for themselves, by name, behind a name; none where no more follow. */
    public List<Service> servicesBehind(String name) {
        return services.behind(name, PAGE).stream().map(this::service).toList();
    }

    @Override
    public List<Service> referrers(String name) {
        return services.referrers(name).stream().map(this::service).toList();
    }

    @Override
    public List<Service> components(String name) {
        return services.components(name).stream().map(this::service).toList();
    }

    private Service service(Services.ServiceRow row) {
        return new Service(row.name(), row.tenant(), row.model(), row.modelVersion(), json.read(row.parametersJson(), FIELDS),
                new TreeMap<>(json.read(row.devicesJson(), DIGESTS)), row.version(), json.read(row.customersToFollowJson(), ENDS), Optional.ofNullable(row.componentOf()));
    }
}
