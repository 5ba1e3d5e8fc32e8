package rilvan.core.network;

import java.time.DateTimeException;
import java.time.Duration;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import rilvan.core.address.Prefix;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.maintenance.MaintenanceCalendar;
import rilvan.core.maintenance.MaintenanceWindow;
import rilvan.core.network.Device.Port;
import rilvan.core.network.Network.End;
import rilvan.core.network.Network.Link;
import rilvan.core.pool.Pool;

/** Reads a network from a document: {@code network}, {@code devices}, {@code links}, {@code pools}, {@code settings}, {@code maintenance}. */
public final class NetworkDocument {

    private NetworkDocument() {}

    /**
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public static Network read(Document document) {
        DocumentReader reader = new DocumentReader(document);
        Fields root = reader.root("network", "devices", "links", "pools", "settings", "maintenance");
        String name = root.text("network");
        Map<String, Device> devices = new LinkedHashMap<>();
        for (Fields each : root.each("devices", "name", "family", "role", "site", "address", "port", "credential", "loopback", "in-service",
                "simulated", "at", "ports")) {
            // Only the lab asks for it.
            each.truth("simulated", true);
            List<Port> ports = new ArrayList<>();
            for (Fields port : each.each("ports", "name", "role", "mtu", "speed")) {
                ports.add(new Port(port.text("name"), port.text("role"), port.whole("mtu", 576, 65_535, 9_000),
                        port.whole("speed", 1, Integer.MAX_VALUE, 10_000_000)));
            }
            Device device = new Device(each.text("name"), each.text("family"), each.text("role"), each.text("site"),
                    each.text("address"), each.whole("port", 1, 65_535), each.text("credential"),
                    each.text("loopback", ""), each.truth("in-service", true), place(reader, each), ports);
            if (devices.put(device.name(), device) != null) {
                reader.refuse(each.pointer() + "/name", "there is already a device named " + device.name());
            }
        }
        List<Link> links = new ArrayList<>();
        for (Fields each : root.each("links", "a", "b")) {
            links.add(new Link(end(reader, each, "a", devices), end(reader, each, "b", devices)));
        }
        Map<String, Pool> pools = new LinkedHashMap<>();
        for (Fields each : root.each("pools", "name", "from", "to", "except", "as", "prefix", "length", "tags")) {
            Pool pool = each.value("prefix").isPresent() ? prefixes(reader, each) : numbers(reader, each);
            if (pools.put(pool.name(), pool) != null) {
                reader.refuse(each.pointer() + "/name", "there is already a pool named " + pool.name());
            }
        }
        List<Setting> settings = new ArrayList<>();
        for (Fields each : root.each("settings", "for", "name", "value")) {
            String[] scope = each.text("for").split(" ", 2);
            String of = scope.length == 2 ? scope[1] : "";
            boolean known = switch (scope[0]) {
                case "network" -> of.isEmpty();
                case "site" -> devices.values().stream().anyMatch(device -> device.site().equals(of));
                case "role" -> devices.values().stream().anyMatch(device -> device.role().equals(of));
                case "device" -> devices.containsKey(of);
                default -> false;
            };
            if (!known) {
                reader.refuse(each.pointer() + "/for", "expected: network, site NAME, role NAME or device NAME, with a name of this network");
                continue;
            }
            if (each.value("value").isEmpty()) {
                reader.refuse(each.pointer() + "/value", "is missing");
                continue;
            }
            Setting setting = new Setting(Setting.Scope.valueOf(scope[0].toUpperCase(Locale.ROOT)), of, each.text("name"),
                    each.value("value").orElseThrow());
            if (settings.stream().anyMatch(other -> other.scope() == setting.scope() && other.of().equals(of)
                    && other.name().equals(setting.name()))) {
                reader.refuse(each.pointer(), setting.name() + " is set for " + setting.where() + " twice");
            }
            settings.add(setting);
        }
        List<MaintenanceWindow> windows = new ArrayList<>();
        for (Fields each : root.each("maintenance", "sites", "starts", "zone", "lasts", "repeats")) {
            window(reader, each, devices).ifPresent(windows::add);
        }
        reader.finish();
        return new Network(name, devices, links, pools, settings, new MaintenanceCalendar(windows));
    }

    private static Optional<MaintenanceWindow> window(DocumentReader reader, Fields each, Map<String, Device> devices) {
        List<String> sites = each.texts("sites");
        for (int i = 0; i < sites.size(); i++) {
            String site = sites.get(i);
            if (devices.values().stream().noneMatch(device -> device.site().equals(site))) {
                reader.refuse(each.pointer() + "/sites/" + i, "there is no device at a site named '" + site + "'");
            }
        }
        Optional<LocalDateTime> starts = parsed(reader, each, "starts", LocalDateTime::parse, "a local date and time, such as 2026-01-06T02:00");
        Optional<ZoneId> zone = each.value("zone").isEmpty() ? Optional.of(ZoneOffset.UTC) : parsed(reader, each, "zone", ZoneId::of, "a time zone, such as Europe/Lisbon");
        Optional<Duration> lasts = parsed(reader, each, "lasts", Duration::parse, "a duration (ISO 8601), such as PT3H");
        if (starts.isEmpty() || zone.isEmpty() || lasts.isEmpty()) {
            return Optional.empty();
        }
        try {
            return Optional.of(new MaintenanceWindow(new HashSet<>(sites), starts.get(), zone.get(), lasts.get(), each.text("repeats", "")));
        } catch (IllegalArgumentException e) {
            reader.refuse(each.pointer(), e.getMessage());
            return Optional.empty();
        }
    }

    private static <T> Optional<T> parsed(DocumentReader reader, Fields each, String field, Function<String, T> parse, String expected) {
        String text = each.text(field);
        try {
            return text.isEmpty() ? Optional.empty() : Optional.of(parse.apply(text));
        } catch (DateTimeException e) {
            reader.refuse(each.pointer() + "/" + field, "expected " + expected);
            return Optional.empty();
        }
    }

    private static List<Integer> place(DocumentReader reader, Fields device) {
        List<?> at = device.list("at");
        if (at.isEmpty() || at.size() == 2 && at.stream().allMatch(each -> each instanceof Number number && number.intValue() >= 0 && number.intValue() <= 1000)) {
            return at.stream().map(each -> ((Number) each).intValue()).toList();
        }
        reader.refuse(device.pointer() + "/at", "expected how far to the right and how far down on the map, each from 0 to 1000, such as [360, 330]");
        return List.of();
    }

    private static Pool numbers(DocumentReader reader, Fields each) {
        boolean tags = each.value("tags").isPresent();
        if (tags && !each.text("tags").matches("\\d{1,4}-\\d{1,4}")) {
            reader.refuse(each.pointer() + "/tags", "expected the lowest and the highest tag, such as 2-4094");
            return Pool.ofPort(each.text("name"), 1, 4094, List.of());
        }
        String[] lowHigh = each.text("tags", "0-0").split("-");
        int from = tags ? Integer.parseInt(lowHigh[0]) : each.whole("from", 0, Integer.MAX_VALUE);
        int to = tags ? Integer.parseInt(lowHigh[1]) : each.whole("to", 0, Integer.MAX_VALUE);
        if (to < from) {
            reader.refuse(each.pointer() + "/to", "is below from");
        }
        List<Pool.Span> reserved = new ArrayList<>();
        List<?> except = each.list("except");
        for (int i = 0; i < except.size(); i++) {
            String[] ends = String.valueOf(except.get(i)).split("-");
            try {
                Pool.Span span = new Pool.Span(Long.parseLong(ends[0]), Long.parseLong(ends[ends.length - 1]));
                if (ends.length <= 2 && span.low() <= span.high() && from <= span.low() && span.high() <= to) {
                    reserved.add(span);
                    continue;
                }
            } catch (NumberFormatException e) {
                // said below, together with what else can be wrong
            }
            reader.refuse(each.pointer() + "/except/" + i, "expected a number of the pool or a range, such as 1002-1005");
        }
        return tags ? Pool.ofPort(each.text("name"), from, to, reserved)
                : new Pool(each.text("name"), from, to, reserved, new Pool.Text(each.text("as", "{}")));
    }

    private static Pool prefixes(DocumentReader reader, Fields each) {
        try {
            Prefix whole = Prefix.parse(each.text("prefix"));
            int length = each.whole("length", whole.length(), whole.width());
            if (!whole.isNetwork()) {
                reader.refuse(each.pointer() + "/prefix", "has host bits; the prefix is " + whole.network());
            }
            return Pool.of(each.text("name"), whole.network(), length);
        } catch (IllegalArgumentException e) {
            reader.refuse(each.pointer() + "/prefix", e.getMessage());
            return new Pool(each.text("name"), 0, 0, List.of(), new Pool.Text("{}"));
        }
    }

    /** An end is written {@code DEVICE PORT}. */
    private static End end(DocumentReader reader, Fields link, String field, Map<String, Device> devices) {
        String[] words = link.text(field).split(" ");
        if (words.length != 2 || !devices.containsKey(words[0]) || devices.get(words[0]).port(words[1]).isEmpty()) {
            reader.refuse(link.pointer() + "/" + field, "expected a device and one of its ports, such as: haven-pe1 core-1");
        }
        return new End(words[0], words[words.length - 1]);
    }
}
