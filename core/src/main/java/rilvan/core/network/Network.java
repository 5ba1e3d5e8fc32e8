package rilvan.core.network;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import rilvan.core.pool.Pool;

/** Devices, links and pools: what models may refer to. */
public record Network(String name, Map<String, Device> devices, List<Link> links, Map<String, Pool> pools) {

    public static final Network EMPTY = new Network("", Map.of(), List.of(), Map.of());

    public Network {
        devices = java.util.Collections.unmodifiableMap(new LinkedHashMap<>(devices));
        links = List.copyOf(links);
        pools = java.util.Collections.unmodifiableMap(new LinkedHashMap<>(pools));
    }

    /** One end of a link. */
    public record End(String device, String port) {}

    /** A wire between two ports. */
    public record Link(End a, End b) {}

    public Optional<Device> device(String deviceName) {
        return Optional.ofNullable(devices.get(deviceName));
    }

    /** What is at the other end of the wire plugged into a port. */
    public Optional<End> across(End end) {
        return links.stream()
                .filter(link -> link.a().equals(end) || link.b().equals(end))
                .map(link -> link.a().equals(end) ? link.b() : link.a())
                .findFirst();
    }
}
