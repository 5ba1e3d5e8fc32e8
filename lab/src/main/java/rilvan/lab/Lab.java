package rilvan.lab;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
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
import rilvan.lab.netconf.Door;

/** The simulated network: its devices, what is between them, and the door they are reached through. */
public final class Lab implements AutoCloseable {

    private final ScheduledExecutorService timer = Executors.newScheduledThreadPool(2);
    private final Map<String, Device> devices = new LinkedHashMap<>();
    private final Map<String, String> hostKeys = new LinkedHashMap<>();
    private final Convergence network;
    private final Door door;

    /**
     * How a lab is set up.
     *
     * @param network the network document: devices with their addresses, links
     * @param starts folder with what each device holds when it is first switched on, {@code NAME.xml}
     * @param yang folder with the family's modules
     * @param state folder where host keys and what devices have saved are kept
     * @param answerMillis how long a device takes to answer a request
     * @param convergeMillis how long a committed change takes to show in what the network does
     */
    public record Setup(Path network, Path starts, Path yang, Path state, String user, String password, long answerMillis,
            long convergeMillis) {}

    /** Switches the network on. */
    @SuppressWarnings("unchecked")
    public Lab(Setup setup) throws IOException, YangParserException {
        Map<String, Object> document = new Yaml(new SafeConstructor(new LoaderOptions())).load(Files.readString(setup.network()));
        List<Map<String, Object>> entries = (List<Map<String, Object>>) document.get("devices");
        List<Wire> wires = new ArrayList<>();
        for (Map<String, String> link : (List<Map<String, String>>) document.getOrDefault("links", List.of())) {
            wires.add(new Wire(end(link.get("a")), end(link.get("b"))));
        }
        YangModel model = YangModel.read(setup.yang());
        network = new Convergence(new Wiring(wires), timer, setup.convergeMillis());
        int port = (Integer) entries.get(0).get("port");
        door = new Door(port, setup.user(), setup.password(), network, timer, setup.answerMillis());
        Files.createDirectories(setup.state());
        for (Map<String, Object> entry : entries) {
            if ((Integer) entry.get("port") != port) {
                throw new IllegalArgumentException("all devices of a lab listen on the same port");
            }
            String name = (String) entry.get("name");
            Device device = device(name, model, setup);
            devices.put(name, device);
            hostKeys.put(name, door.add(device, (String) entry.get("address"), setup.state().resolve(name + ".key")));
        }
        door.open();
    }

    private static End end(String text) {
        String[] words = text.split(" ");
        return new End(words[0], words[1]);
    }

    private Device device(String name, YangModel model, Setup setup) throws IOException {
        Path saved = setup.state().resolve(name + ".xml");
        String text = Files.readString(Files.exists(saved) ? saved : setup.starts().resolve(name + ".xml"));
        Item start = new EditConfig(model).apply(Item.EMPTY, Xml.parse("<config>" + text + "</config>"), "merge");
        model.validate(start);
        Device device = new Device(name, model, start, timer,
                () -> network.changed(name, () -> devices.get(name).read(Device.Store.RUNNING)), config -> save(saved, config));
        network.start(name, start);
        return device;
    }

    private static void save(Path file, Item config) {
        try {
            Path fresh = file.resolveSibling(file.getFileName() + ".new");
            Files.writeString(fresh, config.xml());
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
