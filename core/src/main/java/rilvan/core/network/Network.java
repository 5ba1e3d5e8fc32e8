package rilvan.core.network;

import java.util.ArrayDeque;
import java.util.Comparator;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import rilvan.core.pool.Pool;

/** Devices, links, pools and settings: what models may refer to. */
public record Network(String name, Map<String, Device> devices, List<Link> links, Map<String, Pool> pools, List<Setting> settings) {

    public static final Network EMPTY = new Network("", Map.of(), List.of(), Map.of(), List.of());

    public Network {
        devices = java.util.Collections.unmodifiableMap(new LinkedHashMap<>(devices));
        links = List.copyOf(links);
        settings = List.copyOf(settings);
        pools = java.util.Collections.unmodifiableMap(new LinkedHashMap<>(pools));
    }

    /** One end of a link. */
    public record End(String device, String port) {}

    /** A wire between two ports. */
    public record Link(End a, End b) {}

    /** What a setting says on a device: of all that apply, the nearest. */
    public Optional<Setting> setting(Device device, String setting) {
        return settings.stream().filter(each -> each.name().equals(setting) && each.appliesTo(device))
                .max(Comparator.comparing(Setting::scope));
    }

    /** All devices that can be reached from one over links between core ports, itself included. */
    public Set<String> connected(String from) {
        Set<String> reached = new TreeSet<>(Set.of(from));
        Deque<String> next = new ArrayDeque<>(reached);
        while (!next.isEmpty()) {
            String here = next.pop();
            for (Link link : links) {
                for (Link way : List.of(link, new Link(link.b(), link.a()))) {
                    if (way.a().device().equals(here) && faces(way.a(), "core") && faces(way.b(), "core")
                            && reached.add(way.b().device())) {
                        next.push(way.b().device());
                    }
                }
            }
        }
        return reached;
    }

    private boolean faces(End end, String role) {
        return device(end.device()).flatMap(device -> device.port(end.port())).filter(port -> port.role().equals(role)).isPresent();
    }

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
