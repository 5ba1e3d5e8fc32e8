package rilvan.core.model;

import com.google.common.collect.ImmutableSet;
import dev.cel.common.types.CelType;
import dev.cel.common.types.ListType;
import dev.cel.common.types.MapType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.types.StructType;
import java.util.AbstractMap;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import java.util.function.Supplier;
import rilvan.core.environment.PlanningSource;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.pool.Allocation;
import rilvan.core.pool.StoredAllocations;

/**
 * The names that expressions may use besides the parameters: {@code service} (name, tenant, and whether it is placed already), {@code devices[name]} with
 * {@code ports[name]}, {@code settings[device]} with the settings that the model declares, and, of other services of the same model,
 * {@code services[name]} (their parameters), {@code referrers[name]} (the services of this model that refer to one) and {@code allocations[name]} (their numbers from pools); and {@code sample_seed}, a number that is another
 * one each time the service is checked, for samples.
 *
 * <p>Each is looked up only when an expression names it: the cost grows with what is used, not with the network.
 */
final class EvaluationContext {

    /** The name of what other services hold. */
    static final String ALLOCATIONS = "allocations";

    static final StructType SERVICE = struct("service", Map.of("name", SimpleType.STRING, "tenant", SimpleType.STRING,
            "placed", SimpleType.BOOL));

    /** The pools by whose names it is known who uses a port: parts of it, all of it in a bundle, and how much of its speed. */
    private static final String RATES = "port-rate";
    private static final String TAGS = "access-tag";
    private static final String BUNDLED = "bundled-port";

    private static final StructType PORT = struct("port", Map.of("role", SimpleType.STRING, "mtu", SimpleType.INT,
            "speed", SimpleType.INT, "beyond", SimpleType.STRING, "bundled_by", SimpleType.STRING,
            "reserved", SimpleType.INT, "used_by", ListType.create(SimpleType.STRING)));
    private static final StructType DEVICE = struct("device", Map.of("name", SimpleType.STRING, "family", SimpleType.STRING,
            "role", SimpleType.STRING, "site", SimpleType.STRING, "loopback", SimpleType.STRING,
            "domain", SimpleType.STRING, "ports", MapType.create(SimpleType.STRING, PORT),
            "named", MapType.create(SimpleType.STRING, ListType.create(SimpleType.STRING))));

    private EvaluationContext() {}

    static StructType struct(String name, Map<String, CelType> fields) {
        return StructType.create(name, ImmutableSet.copyOf(fields.keySet()), field -> Optional.ofNullable(fields.get(field)));
    }

    /** The names that are the same for every model, and their types. */
    static Map<String, CelType> everywhere() {
        Map<String, CelType> types = new LinkedHashMap<>();
        types.put("service", SERVICE);
        types.put("devices", MapType.create(SimpleType.STRING, DEVICE));
        return types;
    }

    /** The names and their types. */
    static Map<String, CelType> types(Parameters parameters, DeclaredSettings settings) {
        Map<String, CelType> types = new LinkedHashMap<>(everywhere());
        types.put("sample_seed", SimpleType.INT);
        types.put("settings", MapType.create(SimpleType.STRING, struct("settings", settings.types())));
        types.put("services", MapType.create(SimpleType.STRING, struct("parameters", parameters.types())));
        types.put("referrers", MapType.create(SimpleType.STRING, ListType.create(SimpleType.STRING)));
        types.put(ALLOCATIONS, MapType.create(SimpleType.STRING, MapType.create(SimpleType.STRING, SimpleType.STRING)));
        return types;
    }

    /** The values of those names for one service. */
    static Map<String, Object> values(ServiceModel model, ServiceDocument service, PlanningSource source, StoredAllocations numbers, long sampleSeed) {
        Network network = source.network();
        Map<String, Object> values = new LinkedHashMap<>();
        values.put("sample_seed", sampleSeed);
        values.put("service", Map.of("name", service.name(), "tenant", service.tenant(), "placed", service.placed()));
        values.put("devices", new Lookup<Object>(name -> network.device(name).map(device ->
                device(device, network, source, numbers, service.name()))));
        values.put("settings", new Lookup<Object>(name -> network.device(name).map(device -> model.settings().on(device, network))));
        values.put("services", new Lookup<Object>(name -> source.service(name).filter(other -> other.model().equals(model.name()))
                .map(other -> model.parameters().completed(Suspension.active(other.parameters())))));
        values.put("referrers", new Lookup<Object>(name -> Optional.of(source.referrers(name).stream().filter(other -> other.model().equals(model.name()))
                .map(PlanningSource.Service::name).sorted().toList())));
        values.put(ALLOCATIONS, new Lookup<Object>(name -> source.service(name).map(other -> held(numbers.heldBy(name), network))));
        return values;
    }

    private static Map<String, Object> device(Device device, Network network, PlanningSource source, StoredAllocations numbers, String service) {
        Map<String, Object> ports = new HashMap<>();
        device.ports().forEach(port -> ports.put(port.name(), port(device, port, network, numbers, service)));
        Map<String, Object> fields = new LinkedHashMap<>();
        fields.put("name", device.name());
        fields.put("family", device.family());
        fields.put("role", device.role());
        fields.put("site", device.site());
        fields.put("loopback", device.loopback());
        fields.put("domain", network.domain(device.name()));
        fields.put("ports", ports);
        fields.put("named", new Lookup<Object>(kind -> Optional.of(source.names(device.name(), kind))));
        return fields;
    }

    /** Who else uses the port is looked up only where it is asked for. */
    private static Map<String, Object> port(Device device, Device.Port port, Network network, StoredAllocations numbers, String service) {
        String place = device.name() + " " + port.name();
        Map<String, Supplier<Object>> fields = new HashMap<>();
        fields.put("role", port::role);
        fields.put("mtu", () -> (long) port.mtu());
        fields.put("speed", port::speed);
        fields.put("beyond", () -> network.across(new Network.End(device.name(), port.name())).map(Network.End::device).orElse(""));
        fields.put("bundled_by", () -> others(numbers, BUNDLED, place, service).stream().findFirst().orElse(""));
        fields.put("reserved", () -> numbers.takenBelow(RATES, place + " ").stream().filter(rate -> !rate.service().equals(service))
                .mapToLong(Allocation::number).sum());
        fields.put("used_by", () -> others(numbers, TAGS, place, service));
        return new Lookup<>(name -> Optional.ofNullable(fields.get(name)).map(Supplier::get));
    }

    private static List<String> others(StoredAllocations numbers, String pool, String place, String service) {
        return numbers.takenWithin(pool, place).stream().map(Allocation::service).filter(other -> !other.equals(service)).distinct().toList();
    }

    private static Map<String, Object> held(List<Allocation> allocations, Network network) {
        Map<String, Object> held = new LinkedHashMap<>();
        for (Allocation allocation : allocations) {
            Optional.ofNullable(network.pools().get(allocation.pool()))
                    .ifPresent(pool -> held.put(allocation.key(), pool.write(allocation.number())));
        }
        return held;
    }

    /** A map whose values are worked out when they are asked for, once. */
    private static final class Lookup<V> extends AbstractMap<String, V> {

        private final Function<String, Optional<? extends V>> source;
        private final Map<String, Optional<? extends V>> found = new HashMap<>();

        private Lookup(Function<String, Optional<? extends V>> source) {
            this.source = source;
        }

        private Optional<? extends V> find(Object key) {
            return key instanceof String name ? found.computeIfAbsent(name, source) : Optional.empty();
        }

        @Override
        public V get(Object key) {
            return find(key).orElse(null);
        }

        @Override
        public boolean containsKey(Object key) {
            return find(key).isPresent();
        }

        @Override
        public Set<Entry<String, V>> entrySet() {
            throw new IllegalStateException("looked up by name only");
        }
    }
}
