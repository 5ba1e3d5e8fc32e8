package rilvan.core.plan;

import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import rilvan.core.drift.Drift;
import rilvan.core.environment.PlanningSource;
import rilvan.core.ledger.Ledger;
import rilvan.core.network.DeviceKind;
import rilvan.core.network.Network;
import rilvan.core.network.Tenants;
import rilvan.core.pool.Allocation;
import rilvan.core.pool.PendingAllocations;
import rilvan.core.pool.Pool;
import rilvan.core.pool.StoredAllocations;
import rilvan.core.tree.Path;

/**
 * Services and numbers as an order leaves them, which is what rules and expressions see while it is planned: a service that the order
 * adds is there, one that it removes is not, and a number that one of its services no longer takes is free. Each service is read once, so
 * that the whole plan is made from one state of it. Not safe for several threads.
 */
final class OrderContext implements PlanningSource, StoredAllocations {

    private final PlanningSource source;
    private final StoredAllocations numbers;
    private final PendingAllocations pending = new PendingAllocations();
    private final Map<String, Optional<Service>> read = new HashMap<>();
    private final Map<String, Service> planned = new LinkedHashMap<>();
    private final Map<String, Set<String>> referred = new HashMap<>();
    private final Set<String> gone = new HashSet<>();
    private final Set<String> retaking = new HashSet<>();

    OrderContext(PlanningSource source, StoredAllocations numbers) {
        this.source = source;
        this.numbers = numbers;
    }

    /** A service as it is before the order. */
    Optional<Service> standing(String name) {
        return read.computeIfAbsent(name, source::service);
    }

    /** A service is as the order wants it. */
    void put(Service service) {
        planned.put(service.name(), service);
        retaking.add(service.name());
    }

    /** What a service of the order refers to, known once its parameters are read. */
    void refers(String name, Set<String> refersTo) {
        referred.put(name, refersTo);
    }

    /** A service does not stand under this name after the order. */
    void remove(String name) {
        gone.add(name);
        retaking.add(name);
    }

    /** What the services take, gathered while they are expanded. */
    PendingAllocations pending() {
        return pending;
    }

    /** The versions of all services that were read; -1 where a service does not stand. */
    Map<String, Long> versions() {
        Map<String, Long> versions = new TreeMap<>();
        read.forEach((name, service) -> versions.put(name, service.map(Service::version).orElse(-1L)));
        return versions;
    }

    @Override
    public Network network() {
        return source.network();
    }

    @Override
    public Tenants tenants() {
        return source.tenants();
    }

    @Override
    public Ledger ledger(String device) {
        return source.ledger(device);
    }

    @Override
    public List<String> names(String device, String kind) {
        return source.names(device, kind);
    }

    @Override
    public Optional<String> configurationAt(String device, OffsetDateTime at) {
        return source.configurationAt(device, at);
    }

    @Override
    public Optional<String> configuration(String device) {
        return source.configuration(device);
    }

    @Override
    public Map<String, List<Drift>> drift(String service) {
        return source.drift(service);
    }

    @Override
    public Set<Path> leftDrift(String device) {
        return source.leftDrift(device);
    }

    @Override
    public Optional<DeviceKind> kind(String device) {
        return source.kind(device);
    }

    @Override
    public Optional<Service> service(String name) {
        return planned.containsKey(name) ? Optional.of(planned.get(name)) : gone.contains(name) ? Optional.empty() : standing(name);
    }

    @Override
    public Optional<Service> referable(String name) {
        return planned.containsKey(name) || gone.contains(name) ? service(name) : source.referable(name);
    }

    @Override
    public List<Service> referrers(String name) {
        List<Service> referrers = source.referrers(name);
        referrers.forEach(each -> read.putIfAbsent(each.name(), Optional.of(each)));
        List<Service> afterwards = new ArrayList<>(referrers.stream().filter(each -> !gone.contains(each.name()) && !referred.containsKey(each.name())).toList());
        referred.forEach((service, refersTo) -> {
            if (refersTo.contains(name)) {
                afterwards.add(planned.get(service));
            }
        });
        return afterwards;
    }

    /** The service that stands for itself and that a service belongs to before the order; the service itself where it stands for itself. */
    String root(String name) {
        return standing(name).flatMap(Service::componentOf).map(this::root).orElse(name);
    }

    /** The components of a service as they are before the order. */
    List<Service> standingComponents(String name) {
        List<Service> components = source.components(name);
        components.forEach(each -> read.putIfAbsent(each.name(), Optional.of(each)));
        return components;
    }

    @Override
    public List<Service> components(String name) {
        List<Service> afterwards = new ArrayList<>(standingComponents(name).stream().filter(each -> !gone.contains(each.name()) && !planned.containsKey(each.name())).toList());
        planned.values().stream().filter(each -> each.componentOf().equals(Optional.of(name))).forEach(afterwards::add);
        return afterwards;
    }

    @Override
    public List<Allocation> heldBy(String service) {
        return planned.containsKey(service) ? pending.of(service) : numbers.heldBy(service);
    }

    @Override
    public Optional<Allocation> holder(String pool, String within, long number) {
        return numbers.holder(pool, within, number);
    }

    @Override
    public Optional<String> keptBy(Allocation held) {
        return numbers.keptBy(held);
    }

    @Override
    public List<Allocation> takenWithin(String pool, String within) {
        return afterwards(numbers.takenWithin(pool, within), pending.within(pool, within));
    }

    @Override
    public List<Allocation> takenBelow(String pool, String beginning) {
        return afterwards(numbers.takenBelow(pool, beginning), pending.below(pool, beginning));
    }

    private List<Allocation> afterwards(List<Allocation> stored, List<Allocation> taken) {
        List<Allocation> after = new ArrayList<>(stored.stream().filter(each -> !retaking.contains(each.service())).toList());
        after.addAll(taken);
        return after;
    }

    @Override
    public Optional<Long> lowestFree(Pool pool, String within, Set<Long> excluded) {
        return numbers.lowestFree(pool, within, excluded);
    }
}
