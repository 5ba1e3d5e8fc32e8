package rilvan.server.api;

import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Function;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.plan.Explainer;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.api.DriftController.DriftView;
import rilvan.server.inventory.DeviceTelemetry;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.monitoring.HealthMonitor;
import rilvan.server.store.Drifts;
import rilvan.server.store.Inventory;
import rilvan.server.store.Inventory.DeviceSummary;
import rilvan.server.store.Inventory.HostKey;
import rilvan.server.store.Services;

/** The network and its devices. */
@RestController
@RequestMapping("/api/v1")
public class DeviceController {

    private final StoredPlanningSource source;
    private final Inventory inventory;
    private final Services services;
    private final Devices devices;
    private final DeviceTelemetry telemetry;
    private final Explainer explainer;
    private final Drifts drifts;
    private final HealthMonitor monitor;

    public DeviceController(StoredPlanningSource source, Inventory inventory, Services services, Devices devices, DeviceTelemetry telemetry, Explainer explainer,
            Drifts drifts, HealthMonitor monitor) {
        this.explainer = explainer;
        this.drifts = drifts;
        this.monitor = monitor;
        this.source = source;
        this.inventory = inventory;
        this.services = services;
        this.devices = devices;
        this.telemetry = telemetry;
    }

    /** A device as lists show it; {@code drifted} counts managed nodes that were changed outside Rilvan and that nobody has decided about. */
    public record DeviceView(String name, String family, String role, String site, String address, boolean trusted,
            OffsetDateTime readAt, Long heldBy, long drifted, Set<String> services, List<Integer> at, List<Device.Port> ports) {}

    /** A device with what is managed on it: each line says who put it there and why. */
    public record DeviceDetail(DeviceView device, String hostKey, List<Managed> managed, List<DriftView> drift) {}

    /** A managed node. */
    public record Managed(String path, String value, String prior, Set<Owner> owners) {}

    @GetMapping("/network")
    @Requires(Role.LOOK)
    Map<String, Object> network() {
        Network network = source.network();
        Map<String, Object> view = new LinkedHashMap<>();
        view.put("name", network.name());
        view.put("links", network.links());
        return view;
    }

    @PutMapping("/network")
    @Requires(Role.ADMINISTER)
    @Recorded("load network")
    Map<String, Object> load(HttpServletRequest request, Act act) throws IOException {
        Network before = source.network();
        Network network = devices.load(Body.read(request));
        act.about("network", network.name()).before(NetworkChange.Extent.of(before)).after(NetworkChange.between(before, network));
        devices.endOutdatedSessions();
        monitor.compareAll();
        return Map.of("name", network.name(), "devices", network.devices().size(), "links", network.links().size());
    }

    @PutMapping("/host-keys")
    @Requires(Role.ADMINISTER)
    @Recorded("trust host keys")
    Map<String, Object> trust(@RequestBody Map<String, String> hostKeys, Act act) {
        act.before(inventory.hostKeys(hostKeys.keySet()).stream().collect(Collectors.toMap(HostKey::device, HostKey::fingerprints))).after(hostKeys);
        hostKeys.keySet().forEach(device -> act.about("device", device));
        devices.trust(hostKeys);
        devices.endOutdatedSessions();
        return Map.of("trusted", hostKeys.size());
    }

    /** What to sign in to devices with. */
    public record CredentialBody(String user, String password) {
        @Override
        public String toString() {
            return "credential of " + user;
        }
    }

    @PutMapping("/credentials/{name}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "put credential", about = "credential")
    Map<String, String> credential(@PathVariable String name, @RequestBody CredentialBody body, Act act) {
        if (body.user() == null || body.password() == null) {
            throw new ValidationFailure("", "a credential has a user and a password");
        }
        act.after(Map.of("user", body.user()));
        devices.putCredential(name, body.user(), body.password());
        devices.endOutdatedSessions();
        return Map.of("credential", name);
    }

    /** A page of devices as the network document lists them, or of those whose name, role, site, family or address contains a text. */
    @GetMapping("/devices")
    @Requires(Role.LOOK)
    ResponseEntity<List<DeviceView>> devices(@RequestParam Optional<String> search, @RequestParam Optional<String> after, @RequestParam Optional<Integer> limit,
            HttpServletRequest request) {
        ListPage page = ListPage.of(limit);
        List<Device> all = List.copyOf(source.network().devices().values());
        int from = after.map(name -> 1 + all.indexOf(known(name))).orElse(0);
        String text = search.orElse("").toLowerCase(Locale.ROOT);
        List<Device> found = all.subList(from, all.size()).stream().filter(device -> Stream.of(device.name(), device.role(), device.site(), device.family(), device.address())
                .anyMatch(each -> each.toLowerCase(Locale.ROOT).contains(text))).limit(page.toFind()).toList();
        if (found.isEmpty()) {
            return ResponseEntity.ok(List.of());
        }
        List<String> names = page.shown(found).stream().map(Device::name).toList();
        Map<String, DeviceSummary> summaries = inventory.summaries(names).stream().collect(Collectors.toMap(DeviceSummary::name, Function.identity()));
        Map<String, Set<String>> services = new HashMap<>();
        this.services.footprints(names).forEach(each -> services.computeIfAbsent(each.device(), device -> new TreeSet<>()).add(each.service()));
        return page.answer(found, request, "after", Device::name, device ->
                view(device, summaries.get(device.name()), services.getOrDefault(device.name(), Set.of())));
    }

    @GetMapping("/devices/{name}")
    @Requires(Role.LOOK)
    DeviceDetail device(@PathVariable String name) {
        Device device = known(name);
        List<Managed> managed = new ArrayList<>();
        Ledger ledger = source.ledger(name);
        ledger.entries().forEach((path, entry) ->
                managed.add(new Managed(path.toString(), Secret.masked(entry.value()), entry.prior().map(Secret::masked).orElse(null), entry.owners())));
        Set<String> services = new TreeSet<>();
        ledger.entries().values().forEach(entry -> entry.owners().forEach(owner -> services.add(owner.service())));
        DeviceSummary summary = inventory.summary(name).orElse(null);
        return new DeviceDetail(view(device, summary, services), inventory.device(name).map(Inventory.DeviceRow::hostKey).orElse(null), managed,
                DriftView.of(drifts.on(name)));
    }

    /** Reads the device now and remembers what it holds. */
    @PostMapping("/devices/{name}/readings")
    @Requires(Role.RUN)
    @Recorded(value = "read device", about = "device")
    Map<String, Object> read(@PathVariable String name) {
        known(name);
        return Map.of("device", name, "changes", devices.read(name));
    }

    /** The device's configuration: as Rilvan knows it, or, with {@code live}, as it is now. */
    @GetMapping(value = "/devices/{name}/configuration", produces = MediaType.TEXT_PLAIN_VALUE)
    @Requires(Role.LOOK)
    String configuration(@PathVariable String name, @RequestParam Optional<Boolean> live) {
        known(name);
        return Secret.masked(live.orElse(false) ? devices.live(name) : source.configuration(name)
                .orElseThrow(() -> new Problems.NotFound(name + " has never been read")));
    }

    /** Who put a node there, and why. The node is asked for by its path, or by a line of the device's configuration. */
    @GetMapping("/devices/{name}/explanation")
    @Requires(Role.LOOK)
    List<Explainer.Explained> explanation(@PathVariable String name, @RequestParam String of) {
        return explainer.explain(known(name), of);
    }

    /** The settings that apply to a device, each with what it is set for. */
    @GetMapping("/devices/{name}/settings")
    @Requires(Role.LOOK)
    List<Explainer.Used> settings(@PathVariable String name) {
        return explainer.settings(known(name));
    }

    /** Whether all that goes over the wire with a device is written to the log. */
    public record WireTrace(boolean enabled) {}

    /** Switches the wire trace of a device on or off, on the instance that is asked. Secrets are masked in it. */
    @PutMapping("/devices/{name}/wire-trace")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "trace wire", about = "device")
    WireTrace trace(@PathVariable String name, @RequestBody WireTrace trace, Act act) {
        act.after(trace);
        telemetry.trace(known(name).name(), trace.enabled());
        return trace;
    }

    private Device known(String name) {
        return source.network().device(name).orElseThrow(() -> new Problems.NotFound("there is no device named '" + name + "'"));
    }

    private static DeviceView view(Device device, DeviceSummary summary, Set<String> services) {
        return new DeviceView(device.name(), device.family(), device.role(), device.site(), device.address(), summary != null && summary.trusted(),
                summary == null ? null : summary.readAt(), summary == null ? null : summary.heldBy(), summary == null ? 0 : summary.drifted(), services, device.at(), device.ports());
    }
}
