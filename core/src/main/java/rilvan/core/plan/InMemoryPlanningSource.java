package rilvan.core.plan;

import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.SecretSeal;
import rilvan.core.drift.Drift;
import rilvan.core.environment.PlanningSource;
import rilvan.core.ledger.Ledger;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceExpansion.RuleResult;
import rilvan.core.network.DeviceKind;
import rilvan.core.network.Network;
import rilvan.core.network.Tenants;
import rilvan.core.pool.Allocation;
import rilvan.core.pool.Pool;
import rilvan.core.pool.StoredAllocations;
import rilvan.core.tree.Path;

/** An estate in memory: orders are worked out against it and, if wanted, taken as done. Not safe for several threads. */
public final class InMemoryPlanningSource implements PlanningSource, StoredAllocations {

    private record NumberSpace(String pool, String within) {}

    private final Catalog catalog;
    private final Network network;
    private final Planner planner;
    private final Map<String, Ledger> ledgers = new HashMap<>();
    private final Map<String, String> configurations = new TreeMap<>();
    private final Map<String, String> typedOver = new HashMap<>();
    private final Map<String, Service> services = new TreeMap<>();
    private final Map<NumberSpace, Map<Long, Allocation>> numbers = new HashMap<>();

    /**
     * @param configurations what each device holds, in its own text
     */
    public InMemoryPlanningSource(Catalog catalog, Network network, Map<String, String> configurations) {
        this.catalog = catalog;
        this.network = network;
        this.planner = new Planner(catalog, this, this, SecretSeal.WITHOUT_KEY);
        this.configurations.putAll(configurations);
    }

    /**
     * Works an order out.
     *
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public Plan plan(OrderDocument order) {
        return planner.plan(order);
    }

    /** What each rule comes to for an order, as {@link Planner#rules} has it. */
    public Map<ServiceDocument, List<RuleResult>> rules(OrderDocument order) {
        return planner.rules(order);
    }

    /** Takes a plan as done: what it makes is what stands. */
    public void take(Plan plan) {
        plan.devices().forEach((device, part) -> {
            var codec = catalog.dialects().get(network.device(device).orElseThrow().family()).codec();
            ledgers.put(device, part.ledger());
            configurations.put(device, codec.encode(part.part().difference().applyTo(codec.decode(configurations.get(device)))));
        });
        for (Plan.Outcome outcome : plan.outcomes()) {
            List<String> names = List.of(outcome.service(), outcome.formerly());
            numbers.values().forEach(held -> held.values().removeIf(allocation -> names.contains(allocation.service())));
            services.keySet().removeAll(names);
            outcome.expansion().ifPresent(expansion -> services.put(outcome.service(), new Service(outcome.service(),
                    expansion.service().tenant(), expansion.service().model(), expansion.modelVersion(), expansion.parameters(),
                    outcome.devices(), 0, expansion.customersToFollow(), outcome.componentOf())));
        }
        plan.allocations().forEach(allocation -> numbers.computeIfAbsent(new NumberSpace(allocation.pool(), allocation.within()),
                place -> new TreeMap<>()).put(allocation.number(), allocation));
    }

    /** Somebody changes a device directly: it holds this from now on. */
    public void type(String device, String configuration) {
        typedOver.put(device, configurations.get(device));
        configurations.put(device, configuration);
    }

    public Map<String, String> configurations() {
        return Map.copyOf(configurations);
    }

    public Set<String> services() {
        return Set.copyOf(services.keySet());
    }

    @Override
    public Network network() {
        return network;
    }

    @Override
    public Tenants tenants() {
        return Tenants.ANY;
    }

    @Override
    public Ledger ledger(String device) {
        return ledgers.getOrDefault(device, Ledger.EMPTY);
    }

    @Override
    public List<String> names(String device, String kind) {
        Dialect dialect = catalog.dialects().get(network.device(device).orElseThrow().family());
        return configuration(device).map(text -> dialect.names(kind, text)).orElse(List.of());
    }

    /** What it held before it was typed on, whatever the time. */
    @Override
    public Optional<String> configurationAt(String device, OffsetDateTime at) {
        return Optional.ofNullable(typedOver.get(device));
    }

    @Override
    public Optional<String> configuration(String device) {
        return Optional.ofNullable(configurations.get(device));
    }

    /** Nothing: nobody types on a device in memory. */
    @Override
    public Map<String, List<Drift>> drift(String service) {
        return Map.of();
    }

    @Override
    public Set<Path> leftDrift(String device) {
        return Set.of();
    }

    @Override
    public Optional<DeviceKind> kind(String device) {
        return Optional.empty();
    }

    @Override
    public Optional<Service> service(String name) {
        return Optional.ofNullable(services.get(name));
    }

    @Override
    public List<Service> referrers(String name) {
        return services.values().stream().filter(service -> catalog.model(service.model(), service.modelVersion()).orElseThrow().parameters().services(service.parameters()).contains(name)).toList();
    }

    @Override
    public List<Service> components(String name) {
        return services.values().stream().filter(service -> service.componentOf().equals(Optional.of(name))).toList();
    }

    @Override
    public List<Allocation> heldBy(String service) {
        List<Allocation> held = new ArrayList<>();
        numbers.values().forEach(place -> place.values().stream().filter(allocation -> allocation.service().equals(service)).forEach(held::add));
        return held;
    }

    @Override
    public Optional<Allocation> holder(String pool, String within, long number) {
        return Optional.ofNullable(numbers.getOrDefault(new NumberSpace(pool, within), Map.of()).get(number));
    }

    @Override
    public List<Allocation> takenWithin(String pool, String within) {
        return List.copyOf(numbers.getOrDefault(new NumberSpace(pool, within), Map.of()).values());
    }

    @Override
    public List<Allocation> takenBelow(String pool, String beginning) {
        return numbers.entrySet().stream().filter(entry -> entry.getKey().pool().equals(pool) && entry.getKey().within().startsWith(beginning))
                .flatMap(entry -> entry.getValue().values().stream()).toList();
    }

    @Override
    public Optional<Long> lowestFree(Pool pool, String within, Set<Long> excluded) {
        Set<Long> taken = new HashSet<>(numbers.getOrDefault(new NumberSpace(pool.name(), within), Map.of()).keySet());
        for (long number = pool.first(); number <= pool.to(); number += pool.stride()) {
            if (pool.has(number) && !taken.contains(number) && !excluded.contains(number)) {
                return Optional.of(number);
            }
        }
        return Optional.empty();
    }
}
