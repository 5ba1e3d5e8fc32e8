package rilvan.lab.door;

import java.io.IOException;
import java.net.InetSocketAddress;
import java.nio.file.Path;
import java.security.KeyPair;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ScheduledExecutorService;
import java.util.stream.Stream;
import org.apache.sshd.common.config.keys.KeyUtils;
import org.apache.sshd.common.digest.BuiltinDigests;
import org.apache.sshd.common.session.SessionContext;
import org.apache.sshd.core.CoreModuleProperties;
import org.apache.sshd.server.SshServer;
import org.apache.sshd.server.channel.ChannelSession;
import org.apache.sshd.server.command.Command;
import org.apache.sshd.server.keyprovider.SimpleGeneratorHostKeyProvider;
import org.apache.sshd.server.subsystem.SubsystemFactory;
import rilvan.lab.behaviour.Convergence;
import rilvan.lab.behaviour.Forwarding;
import rilvan.lab.behaviour.Frames;
import rilvan.lab.device.Device;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.lines.LineDevice;
import rilvan.lab.lines.Shell;
import rilvan.lab.netconf.Peer;

/** The SSH server of the lab: one for all devices, each on its own address with its own host key. */
public final class Door implements AutoCloseable {

    private final Map<String, Device> byAddress = new HashMap<>();
    private final Map<String, KeyPair> keys = new HashMap<>();
    private final SshServer server = SshServer.setUpDefaultServer();

    /**
     * @param delayMillis how long each device takes to answer a request
     */
    public Door(int port, String user, String password, Convergence network, ScheduledExecutorService timer, long delayMillis) {
        server.setPort(port);
        server.setPasswordAuthenticator((given, secret, session) -> given.equals(user) && secret.equals(password));
        server.setKeyPairProvider(this::keysFor);
        CoreModuleProperties.TCP_NODELAY.set(server, true);
        CoreModuleProperties.IDLE_TIMEOUT.set(server, java.time.Duration.ZERO);
        server.setSubsystemFactories(List.of(new SubsystemFactory() {
            @Override
            public String getName() {
                return "netconf";
            }

            @Override
            public Command createSubsystem(ChannelSession channel) {
                if (called(channel) instanceof NetconfDevice device) {
                    return new Peer(device, network, timer, delayMillis);
                }
                throw new IllegalArgumentException("this device does not speak NETCONF");
            }
        }));
        server.setShellFactory(channel -> {
            if (called(channel) instanceof LineDevice device) {
                return new Shell(device, around(network), timer, delayMillis);
            }
            throw new IOException("this device has no command line; it speaks NETCONF");
        });
    }

    private static Shell.Surroundings around(Convergence network) {
        return new Shell.Surroundings() {
            @Override
            public Optional<String> unanswered(String from, String table, Optional<String> source, String to, int bytes) {
                Forwarding.Ping ping = network.forwarding().ping(from, table, source, to, bytes);
                return ping.answered() ? Optional.empty() : Optional.of(ping.reason());
            }

            @Override
            public Optional<String> down(String device, String name, String address) {
                return network.frames().down(device, name, address);
            }

            @Override
            public List<String> port(String device, String port) {
                Forwarding.PortState state = network.forwarding().port(device, port);
                return Stream.of(state.up() ? "the port is up" : "the port is down", state.neighbour().isEmpty() ? "" : "heard " + state.neighbour(),
                        state.network().isEmpty() ? "" : "in " + state.network(), state.area().isEmpty() ? "" : "area " + state.area(),
                        state.mtu().isEmpty() ? "" : "payload " + state.mtu()).filter(line -> !line.isEmpty()).toList();
            }

            @Override
            public Optional<String> missing(String device, String table, String prefix) {
                return network.forwarding().missing(device, table, prefix);
            }

            @Override
            public Optional<String> lost(List<String> from, List<String> to, int bytes) {
                return network.frames().unanswered(place(from), place(to), bytes);
            }

            private Frames.Place place(List<String> words) {
                return new Frames.Place(words.get(0), words.get(1), words.get(2), words.get(3));
            }
        };
    }

    /** The device behind the address that was called. */
    private Device called(ChannelSession channel) {
        InetSocketAddress local = (InetSocketAddress) channel.getSession().getIoSession().getLocalAddress();
        return byAddress.get(local.getAddress().getHostAddress());
    }

    /**
     * Puts a device behind an address.
     *
     * @param keyFile where its host key is kept; made where it does not exist
     * @return the fingerprint of its host key
     */
    public String add(Device device, String address, Path keyFile) {
        SimpleGeneratorHostKeyProvider provider = new SimpleGeneratorHostKeyProvider(keyFile);
        provider.setAlgorithm(KeyUtils.EC_ALGORITHM);
        provider.setKeySize(256);
        KeyPair key = provider.loadKeys(null).get(0);
        byAddress.put(address, device);
        keys.put(address, key);
        return KeyUtils.getFingerPrint(BuiltinDigests.sha256, key.getPublic());
    }

    private Iterable<KeyPair> keysFor(SessionContext session) {
        if (session == null) {
            return keys.values();
        }
        return List.of(keys.get(((InetSocketAddress) session.getLocalAddress()).getAddress().getHostAddress()));
    }

    /** Opens the door, once all devices are behind it. */
    public void open() throws IOException {
        server.setHost(String.join(",", byAddress.keySet()));
        server.start();
    }

    @Override
    public void close() throws IOException {
        server.stop(true);
    }
}
