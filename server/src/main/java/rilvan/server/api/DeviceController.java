package rilvan.server.api;

import io.swagger.v3.oas.annotations.media.Content;
import io.swagger.v3.oas.annotations.media.Schema;
import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Function;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.Secret;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.network.Network.Link;
import rilvan.core.plan.Explainer;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.api.DriftController.DriftView;
import rilvan.server.inventory.DeviceTelemetry;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.monitoring.HealthMonitor;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Drifts;
import rilvan.server.store.Drifts.DriftRow;
import rilvan.server.store.Inventory;
import rilvan.server.store.Inventory.DeviceSummary;
import rilvan.server.store.Inventory.HostKey;
import rilvan.server.store.Services;
import rilvan.server.store.Services.Footprint;

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
    private final Sight sight;

    public DeviceController(StoredPlanningSource source, Inventory inventory, Services services, Devices devices, DeviceTelemetry telemetry, Explainer explainer,
            Drifts drifts, HealthMonitor monitor, Sight sight) {
        this.sight = sight;
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
            @Nullable OffsetDateTime readAt, @Nullable Long heldBy, long drifted, Set<String> services, List<Integer> at, List<Device.Port> ports) {}

    /** A device with what is managed on it: each line says who put it there and why. */
    public record DeviceDetail(DeviceView device, @Nullable String hostKey, List<Managed> managed, List<DriftView> drift) {}

    /** A managed node. */
    public record Managed(String path, String value, @Nullable String prior, Set<Owner> owners) {}

    /** The network, and its links between devices that one sees. */
    public record NetworkView(String name, List<Link> links) {}

    /** A network that was loaded, and how many devices and links it has. */
    public record LoadedNetwork(String name, int devices, int links) {}

    /** The name of the network, and the links between devices that one sees. */
    @GetMapping("/network")
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<NetworkView> network(Caller caller) {
        Network network = source.network();
        return tagged(ResponseEntity.ok()).body(new NetworkView(network.name(), sight.links(caller, network.links())));
    }

    private ResponseEntity.BodyBuilder tagged(ResponseEntity.BodyBuilder answer) {
        inventory.networkVersion().map(EntityTag::of).ifPresent(answer::eTag);
        return answer;
    }

    /** Loads a network document; it replaces the present one. {@code If-Match} with the entity tag of the network makes sure that it is still the one that was seen. */
    @PutMapping("/network")
    @io.swagger.v3.oas.annotations.parameters.RequestBody(required = true, content = {@Content(mediaType = "application/json", schema = @Schema(ref = "#/components/schemas/NetworkDocument")), @Content(mediaType = "application/yaml")})
    @Requires(Role.ADMINISTER)
    @Recorded("load network")
    ResponseEntity<LoadedNetwork> load(HttpServletRequest request, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Act act) throws IOException {
        Network before = source.network();
        Network network = devices.load(Body.read(request), Precondition.of(match, Optional.empty()));
        act.about("network", network.name()).before(NetworkChange.Extent.of(before)).after(NetworkChange.between(before, network));
        devices.endOutdatedSessions();
        monitor.compareAll();
        return tagged(ResponseEntity.ok()).body(new LoadedNetwork(network.name(), network.devices().size(), network.links().size()));
    }

    /** How many devices have fingerprints that are trusted now. */
    public record TrustedKeys(int trusted) {}

    /** Trusts fingerprints of host keys, by device. */
    @PutMapping("/host-keys")
    @Requires(Role.ADMINISTER)
    @Recorded("trust host keys")
    TrustedKeys trust(@RequestBody Map<String, String> hostKeys, Act act) {
        act.before(inventory.hostKeys(hostKeys.keySet()).stream().collect(Collectors.toMap(HostKey::device, HostKey::fingerprints))).after(hostKeys);
        hostKeys.keySet().forEach(device -> act.about("device", device));
        devices.trust(hostKeys);
        devices.endOutdatedSessions();
        return new TrustedKeys(hostKeys.size());
    }

    /** What to sign in to devices with. */
    public record CredentialBody(String user, String password) {
        @Override
        public String toString() {
            return "credential of " + user;
        }
    }

    /** The name of a credential that was stored. */
    public record StoredCredential(String credential) {}

    /** Sets what to sign in to devices with; it is stored encrypted. */
    @PutMapping("/credentials/{name}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "put credential", about = "credential")
    StoredCredential credential(@PathVariable String name, @RequestBody CredentialBody body, Act act) {
        act.after(Map.of("user", body.user()));
        devices.putCredential(name, body.user(), body.password());
        devices.endOutdatedSessions();
        return new StoredCredential(name);
    }

    /** A page of devices as the network document lists them, or of those whose name, role, site, family or address contains a text. */
    @GetMapping("/devices")
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<List<DeviceView>> devices(@RequestParam Optional<String> search, @RequestParam Optional<String> after, @RequestParam Optional<Integer> limit,
            Caller caller, HttpServletRequest request) {
        ListPage page = ListPage.of(limit);
        List<Device> all = source.network().devices().values().stream().filter(device -> caller.seesSite(device.site())).toList();
        int from = after.map(name -> 1 + all.indexOf(known(caller, name))).orElse(0);
        String text = search.orElse("").toLowerCase(Locale.ROOT);
        List<Device> found = all.subList(from, all.size()).stream().filter(device -> Stream.of(device.name(), device.role(), device.site(), device.family(), device.address())
                .anyMatch(each -> each.toLowerCase(Locale.ROOT).contains(text))).limit(page.toFind()).toList();
        if (found.isEmpty()) {
            return ResponseEntity.ok(List.of());
        }
        List<String> names = page.shown(found).stream().map(Device::name).toList();
        Map<String, DeviceSummary> summaries = inventory.summaries(names).stream().collect(Collectors.toMap(DeviceSummary::name, Function.identity()));
        List<Footprint> footprints = this.services.footprints(names);
        Set<String> seen = sight.seen(caller, footprints.stream().map(Footprint::service).collect(Collectors.toSet()));
        Map<String, Set<String>> services = new HashMap<>();
        footprints.stream().filter(each -> seen.contains(each.service())).forEach(each -> services.computeIfAbsent(each.device(), device -> new TreeSet<>()).add(each.service()));
        Map<String, Long> drifted = caller.seesAll() ? Map.of() : sight.seenDrift(caller, drifts.all()).stream().filter(row -> row.leftBy() == null)
                .collect(Collectors.groupingBy(DriftRow::device, Collectors.counting()));
        return page.answer(found, request, "after", Device::name, device -> view(device, summaries.get(device.name()), services.getOrDefault(device.name(), Set.of()),
                caller.seesAll() ? drifted(summaries.get(device.name())) : drifted.getOrDefault(device.name(), 0L)));
    }

    /** A device, with what is managed on it and what has drifted. */
    @GetMapping("/devices/{name}")
    @Requires(value = Role.LOOK, scoped = true)
    DeviceDetail device(@PathVariable String name, Caller caller) {
        Device device = known(caller, name);
        List<Managed> managed = new ArrayList<>();
        Ledger ledger = source.ledger(name);
        Set<String> seen = sight.seen(caller, ledger.entries().values().stream().flatMap(entry -> entry.owners().stream()).map(Owner::service).collect(Collectors.toSet()));
        ledger.entries().forEach((path, entry) -> {
            if (caller.seesAll() || entry.owners().stream().anyMatch(owner -> seen.contains(owner.service()))) {
                managed.add(new Managed(path.toString(), Secret.masked(entry.value()), entry.prior().map(Secret::masked).orElse(null),
                        entry.owners().stream().map(owner -> seen.contains(owner.service()) ? owner : Sight.ANOTHERS).collect(Collectors.toCollection(TreeSet::new))));
            }
        });
        DeviceSummary summary = inventory.summary(name).orElse(null);
        List<DriftRow> drift = sight.seenDrift(caller, drifts.on(name));
        return new DeviceDetail(view(device, summary, new TreeSet<>(seen), drift.stream().filter(row -> row.leftBy() == null).count()),
                inventory.device(name).map(Inventory.DeviceRow::hostKey).orElse(null), managed, DriftView.of(drift));
    }

    /**
     * A device that was read.
     *
     * @param changes the paths that it has otherwise than at the reading before, each with what became of it
     */
    public record Reading(String device, Map<String, String> changes) {}

    /** Reads the device now and remembers what it holds. */
    @PostMapping("/devices/{name}/readings")
    @Requires(Role.RUN)
    @Recorded(value = "read device", about = "device")
    Reading read(@PathVariable String name, Caller caller) {
        known(caller, name);
        return new Reading(name, devices.read(name));
    }

    /** The device's configuration: as Rilvan knows it, or, with {@code live}, as it is now. To whom not all is shown, what their own services have put there. */
    @GetMapping(value = "/devices/{name}/configuration", produces = MediaType.TEXT_PLAIN_VALUE)
    @Requires(value = Role.LOOK, scoped = true)
    String configuration(@PathVariable String name, @RequestParam Optional<Boolean> live, Caller caller) {
        known(caller, name);
        if (!caller.seesAll()) {
            return sight.configuration(caller, name, devices.dialect(name).codec());
        }
        return Secret.masked(live.orElse(false) ? devices.live(name) : source.configuration(name)
                .orElseThrow(() -> new Problems.NotFound(name + " has never been read")));
    }

    /** Who put a node there, and why. The node is asked for by its path, or by a line of the device's configuration. */
    @GetMapping("/devices/{name}/explanation")
    @Requires(value = Role.LOOK, scoped = true)
    List<Explainer.Explained> explanation(@PathVariable String name, @RequestParam String of, Caller caller) {
        List<Explainer.Explained> explained = explainer.explain(known(caller, name), of);
        return caller.seesAll() ? explained : sight.seen(caller, explained);
    }

    /** The settings that apply to a device, each with what it is set for. */
    @GetMapping("/devices/{name}/settings")
    @Requires(value = Role.LOOK, scoped = true)
    List<Explainer.Used> settings(@PathVariable String name, Caller caller) {
        return explainer.settings(known(caller, name));
    }

    /** Whether all that goes over the wire with a device is written to the log. */
    public record WireTrace(Boolean enabled) {}

    /** Switches the wire trace of a device on or off, on the instance that is asked. Secrets are masked in it. */
    @PutMapping("/devices/{name}/wire-trace")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "trace wire", about = "device")
    WireTrace trace(@PathVariable String name, @RequestBody WireTrace trace, Caller caller, Act act) {
        act.after(trace);
        telemetry.trace(known(caller, name).name(), trace.enabled());
        return trace;
    }

    private Device known(Caller caller, String name) {
        return source.network().device(name).filter(device -> caller.seesSite(device.site())).orElseThrow(() -> new Problems.NotFound("there is no device named '" + name + "'"));
    }

    private static long drifted(DeviceSummary summary) {
        return summary == null ? 0 : summary.drifted();
    }

    private static DeviceView view(Device device, DeviceSummary summary, Set<String> services, long drifted) {
        return new DeviceView(device.name(), device.family(), device.role(), device.site(), device.address(), summary != null && summary.trusted(),
                summary == null ? null : summary.readAt(), summary == null ? null : summary.heldBy(), drifted, services, device.at(), device.ports());
    }
}
