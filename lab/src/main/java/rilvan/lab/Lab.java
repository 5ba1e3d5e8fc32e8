package rilvan.lab;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentSkipListMap;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.stream.Collectors;
import org.opendaylight.yangtools.yang.parser.api.YangParserException;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.constructor.SafeConstructor;
import rilvan.lab.behaviour.Convergence;
import rilvan.lab.behaviour.Forwarding;
import rilvan.lab.behaviour.Wiring;
import rilvan.lab.behaviour.Wiring.End;
import rilvan.lab.behaviour.Wiring.Wire;
import rilvan.lab.config.EditConfig;
import rilvan.lab.config.Item;
import rilvan.lab.config.Xml;
import rilvan.lab.config.YangModel;
import rilvan.lab.device.Device;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.device.Profile;
import rilvan.lab.lines.Grammar;
import rilvan.lab.lines.LineDevice;
import rilvan.lab.ssh.DeviceListener;

/** The simulated network: its devices, what is between them, and the door they are reached through. */
public final class Lab implements AutoCloseable {

    private final ScheduledExecutorService timer = Executors.newScheduledThreadPool(2);
    private final Map<String, Family> families = new LinkedHashMap<>();
    private final Map<String, Device> devices = new LinkedHashMap<>();
    private final Map<String, String> addresses = new HashMap<>();
    private final Map<String, String> hostKeys = new ConcurrentSkipListMap<>();
    private final Path state;
    private final Convergence network;
    private final DeviceListener door;

    /**
     * How a lab is set up.
     *
     * @param network the network document: devices with their addresses, links
     * @param starts folder with what each device holds when it is first switched on, {@code NAME.xml} or {@code NAME.txt}; a device
     *     without holds nothing
     * @param families folder with a folder for each family: {@code lab.yaml}, and {@code yang/} or {@code lab.grammar}
     * @param state folder where host keys and what devices have saved are kept
     * @param answerMillis how long a device takes to answer a request
     * @param convergeMillis how long a committed change takes to show in what the network does
     */
    public record Setup(Path network, Path starts, Path families, Path state, String user, String password, long answerMillis,
            long convergeMillis) {}

    /** Switches the network on. */
    @SuppressWarnings("unchecked")
    public Lab(Setup setup) throws IOException, YangParserException {
        Map<String, Object> document = new Yaml(new SafeConstructor(new LoaderOptions())).load(Files.readString(setup.network()));
        // What is not simulated is somewhere in the world.
        List<Map<String, Object>> entries = ((List<Map<String, Object>>) document.get("devices")).stream().filter(entry -> !Boolean.FALSE.equals(entry.get("simulated"))).toList();
        Set<Object> played = entries.stream().map(entry -> entry.get("name")).collect(Collectors.toSet());
        List<Wire> wires = new ArrayList<>();
        for (Map<String, String> link : (List<Map<String, String>>) document.getOrDefault("links", List.of())) {
            Wire wire = new Wire(end(link.get("a")), end(link.get("b")));
            if (played.contains(wire.a().device()) && played.contains(wire.b().device())) {
                wires.add(wire);
            }
        }
        network = new Convergence(new Wiring(wires), timer, setup.convergeMillis());
        int port = (Integer) entries.get(0).get("port");
        door = new DeviceListener(port, setup.user(), setup.password(), network, timer, setup.answerMillis());
        state = setup.state();
        Files.createDirectories(state);
        for (Map<String, Object> entry : entries) {
            if ((Integer) entry.get("port") != port) {
                throw new IllegalArgumentException("all devices of a lab listen on the same port");
            }
            String name = (String) entry.get("name");
            Device device = device(name, family((String) entry.get("family"), setup.families()), setup);
            devices.put(name, device);
            addresses.put(name, (String) entry.get("address"));
            hostKeys.put(name, door.add(device, addresses.get(name), state.resolve(name + ".key")));
        }
        door.open();
    }

    private static End end(String text) {
        String[] words = text.split(" ");
        return new End(words[0], words[1]);
    }

    /** A family of devices: what they can do, and what they take. */
    private record Family(String name, Profile profile, Optional<YangModel> model, Optional<Grammar> grammar) {}

    private Family family(String name, Path folder) throws IOException, YangParserException {
        if (!families.containsKey(name)) {
            Profile profile = Profile.read(folder.resolve(name));
            families.put(name, new Family(name, profile,
                    profile.commandLine() ? Optional.empty() : Optional.of(YangModel.read(folder.resolve(name).resolve("yang"))),
                    profile.commandLine() ? Optional.of(Grammar.parse(Files.readString(folder.resolve(name).resolve("lab.grammar")))) : Optional.empty()));
        }
        return families.get(name);
    }

    private Device device(String name, Family family, Setup setup) throws IOException {
        String suffix = family.profile().commandLine() ? ".txt" : ".xml";
        Path saved = setup.state().resolve(name + suffix);
        Path first = setup.starts().resolve(name + suffix);
        String text = Files.exists(saved) ? Files.readString(saved) : Files.exists(first) ? Files.readString(first) : "";
        Runnable changed = () -> network.changed(devices.get(name), family.name());
        Device device;
        if (family.profile().commandLine()) {
            device = new LineDevice(name, family.grammar().orElseThrow(), text, changed, config -> save(saved, config));
        } else {
            YangModel model = family.model().orElseThrow();
            Item start = EditConfig.whole(model, Xml.parse("<config>" + text + "</config>"));
            model.validate(start);
            device = new NetconfDevice(name, family.profile(), model, start, timer, changed, config -> save(saved, config.xml()));
        }
        network.start(device, family.name());
        return device;
    }

    private static void save(Path file, String config) {
        try {
            Path fresh = file.resolveSibling(file.getFileName() + ".new");
            Files.writeString(fresh, config);
            Files.move(fresh, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    /** The devices by name. */
    public Map<String, Device> devices() {
        return Map.copyOf(devices);
    }

    /** The fingerprint of each device's host key. */
    public Map<String, String> hostKeys() {
        return new LinkedHashMap<>(hostKeys);
    }

    /** Gives a device another host key, as one has that was exchanged for another; tells its fingerprint. */
    public String newHostKey(String name) throws IOException {
        Files.delete(state.resolve(name + ".key"));
        hostKeys.put(name, door.add(devices.get(name), addresses.get(name), state.resolve(name + ".key")));
        return hostKeys.get(name);
    }

    /** What the network does with packets now. */
    public Forwarding forwarding() {
        return network.forwarding();
    }

    @Override
    public void close() throws IOException {
        door.close();
        timer.shutdownNow();
    }
}
