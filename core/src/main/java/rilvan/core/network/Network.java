package rilvan.core.network;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.Deque;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import rilvan.core.maintenance.MaintenanceCalendar;
import rilvan.core.pool.Pool;

/** Devices, links, pools, settings and maintenance windows: what models may refer to. Immutable; what is asked often is worked out once. */
public final class Network {

    public static final Network EMPTY = new Network("", Map.of(), List.of(), Map.of(), List.of(), new MaintenanceCalendar(List.of()));

    private final String name;
    private final Map<String, Device> devices;
    private final List<Link> links;
    private final Map<String, Pool> pools;
    private final List<Setting> settings;
    private final MaintenanceCalendar maintenance;
    private final Map<End, End> across = new HashMap<>();
    private final Map<String, String> domains = new HashMap<>();

    public Network(String name, Map<String, Device> devices, List<Link> links, Map<String, Pool> pools, List<Setting> settings, MaintenanceCalendar maintenance) {
        this.maintenance = maintenance;
        this.name = name;
        this.devices = Collections.unmodifiableMap(new LinkedHashMap<>(devices));
        this.links = List.copyOf(links);
        this.pools = Collections.unmodifiableMap(new LinkedHashMap<>(pools));
        this.settings = List.copyOf(settings);
        links.forEach(link -> {
            across.put(link.a(), link.b());
            across.put(link.b(), link.a());
        });
        devices.keySet().forEach(this::spread);
    }

    /** One end of a link. */
    public record End(String device, String port) {

        public String inWords() {
            return device + " " + port;
        }
    }

    /** A wire between two ports. */
    public record Link(End a, End b) {}

    public String name() {
        return name;
    }

    public Map<String, Device> devices() {
        return devices;
    }

    public List<Link> links() {
        return links;
    }

    public Map<String, Pool> pools() {
        return pools;
    }

    public List<Setting> settings() {
        return settings;
    }

    /** When devices may be changed within maintenance windows. */
    public MaintenanceCalendar maintenance() {
        return maintenance;
    }

    public Optional<Device> device(String deviceName) {
        return Optional.ofNullable(devices.get(deviceName));
    }

    /** What is at the other end of the wire plugged into a port. */
    public Optional<End> across(End end) {
        return Optional.ofNullable(across.get(end));
    }

    /** What a setting says on a device: of all that apply, the nearest. */
    public Optional<Setting> setting(Device device, String setting) {
        return settings.stream().filter(each -> each.name().equals(setting) && each.appliesTo(device))
                .max(Comparator.comparing(Setting::scope));
    }

    /**
     * The part of the transport network that a device is in, by the name of the first device of it: two devices of one domain
     * have a way between them over core ports, those of two domains have none.
     */
    public String domain(String deviceName) {
        return domains.getOrDefault(deviceName, deviceName);
    }

    private void spread(String first) {
        if (domains.containsKey(first)) {
            return;
        }
        Deque<String> next = new ArrayDeque<>(List.of(first));
        domains.put(first, first);
        while (!next.isEmpty()) {
            for (String neighbour : neighbours(next.pop())) {
                if (domains.putIfAbsent(neighbour, first) == null) {
                    next.push(neighbour);
                }
            }
        }
    }

    private List<String> neighbours(String deviceName) {
        List<String> neighbours = new ArrayList<>();
        for (Device.Port port : devices.get(deviceName).ports()) {
            if (port.role().equals("core")) {
                across(new End(deviceName, port.name())).filter(end -> faces(end, "core")).map(End::device).ifPresent(neighbours::add);
            }
        }
        return neighbours;
    }

    private boolean faces(End end, String role) {
        return device(end.device()).flatMap(device -> device.port(end.port())).filter(port -> port.role().equals(role)).isPresent();
    }
}
