package rilvan.core.order;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import rilvan.core.Shipped;
import rilvan.core.dialect.XmlCodec;
import rilvan.core.document.Document;
import rilvan.core.ledger.Ledger;
import rilvan.core.network.Network;
import rilvan.core.outside.Estate;
import rilvan.core.pool.Allocation;
import rilvan.core.pool.Numbers;
import rilvan.core.pool.Pool;

/** The demo network in memory: orders are planned against it and, where a test says so, taken as done. */
public final class Desk implements Estate, Numbers {

    private static final XmlCodec CODEC = Shipped.QUERN.codec();

    private final Map<String, Ledger> ledgers = new HashMap<>();
    private final Map<String, String> configurations = new TreeMap<>();
    private final Map<String, Service> services = new HashMap<>();
    private final List<Allocation> allocations = new ArrayList<>();

    public Desk() {
        Shipped.SKERRA.devices().keySet().forEach(device -> configurations.put(device, Shipped.text("demo/devices/" + device + ".xml")));
    }

    public Plan plan(String document) {
        return new Planner(Map.of("l3vpn", Shipped.L3VPN), Map.of("quern", Shipped.QUERN), this, this)
                .plan(OrderDocument.read(Document.read(document)));
    }

    /** Plans an order and makes its outcome what stands. */
    public Plan done(String document) {
        Plan plan = plan(document);
        plan.devices().forEach((device, part) -> {
            ledgers.put(device, part.ledger());
            configurations.put(device, CODEC.encode(part.part().difference().applyTo(CODEC.decode(configurations.get(device)))));
        });
        for (Plan.Outcome outcome : plan.outcomes()) {
            allocations.removeIf(allocation -> allocation.service().equals(outcome.service()));
            services.remove(outcome.service());
            outcome.expansion().ifPresent(expansion -> services.put(outcome.service(), new Service(outcome.service(),
                    expansion.service().tenant(), expansion.service().model(), expansion.modelVersion(), expansion.parameters(), outcome.devices())));
        }
        allocations.addAll(plan.allocations());
        return plan;
    }

    public Map<String, String> configurations() {
        return Map.copyOf(configurations);
    }

    @Override
    public Network network() {
        return Shipped.SKERRA;
    }

    @Override
    public Ledger ledger(String device) {
        return ledgers.getOrDefault(device, Ledger.EMPTY);
    }

    @Override
    public Optional<String> configuration(String device) {
        return Optional.ofNullable(configurations.get(device));
    }

    @Override
    public Optional<Service> service(String name) {
        return Optional.ofNullable(services.get(name));
    }

    @Override
    public List<Allocation> heldBy(String service) {
        return allocations.stream().filter(allocation -> allocation.service().equals(service)).toList();
    }

    @Override
    public Optional<Allocation> holder(String pool, String within, long number) {
        return allocations.stream().filter(allocation -> allocation.pool().equals(pool) && allocation.within().equals(within)
                && allocation.number() == number).findFirst();
    }

    @Override
    public Optional<Long> lowestFree(Pool pool, String within, Set<Long> excluded) {
        Set<Long> taken = new HashSet<>(excluded);
        allocations.stream().filter(allocation -> allocation.pool().equals(pool.name()) && allocation.within().equals(within))
                .forEach(allocation -> taken.add(allocation.number()));
        for (long number = pool.from(); number <= pool.to(); number++) {
            if (!taken.contains(number)) {
                return Optional.of(number);
            }
        }
        return Optional.empty();
    }
}
