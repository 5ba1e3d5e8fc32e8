package rilvan.lab.ssh;

import java.io.IOException;
import java.net.InetSocketAddress;
import java.nio.file.Path;
import java.security.KeyPair;
import java.time.temporal.ChronoUnit;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
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
import org.apache.sshd.server.session.ServerSession;
import org.apache.sshd.server.subsystem.SubsystemFactory;
import rilvan.lab.behaviour.Convergence;
import rilvan.lab.behaviour.Forwarding;
import rilvan.lab.device.Device;
import rilvan.lab.device.Faults;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.device.Question;
import rilvan.lab.lines.LineDevice;
import rilvan.lab.lines.Shell;
import rilvan.lab.netconf.Peer;

/** The SSH server of the lab: one for all devices, each on its own address with its own host key. */
public final class DeviceListener implements AutoCloseable {

    private final Map<String, Device> byAddress = new HashMap<>();
    private final Map<String, KeyPair> keys = new ConcurrentHashMap<>();
    private final SshServer server = SshServer.setUpDefaultServer();

    /**
     * @param delayMillis how long each device takes to answer a request
     */
    public DeviceListener(int port, String user, String password, Convergence network, ScheduledExecutorService timer, long delayMillis) {
        server.setPort(port);
        server.setPasswordAuthenticator((given, secret, session) -> given.equals(user) && secret.equals(password) && lets(session));
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
                    return new Peer(device, network, channel.getServerSession().getUsername(), timer, delayMillis);
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

    private static Shell.Network around(Convergence network) {
        return new Shell.Network() {
            @Override
            public Optional<String> not(Question question, String device, List<String> says) {
                return network.not(question, device, says);
            }

            @Override
            public boolean settled() {
                return network.settled();
            }

            @Override
            public List<String> trace(String device, String address, String source, String table) {
                Forwarding.Trace trace = network.forwarding().trace(device, table, Optional.of(source).filter(each -> !each.isEmpty()), address);
                return Stream.of(trace.there().stream().map("there "::concat), trace.back().stream().map("back  "::concat),
                        Stream.of("lost: " + trace.lost()).filter(line -> !trace.answered())).flatMap(lines -> lines).toList();
            }

            @Override
            public List<String> port(String device, String port) {
                Forwarding.PortState state = network.forwarding().port(device, port);
                return Stream.of(state.up() ? "the port is up" : "the port is down", state.neighbour().isEmpty() ? "" : "heard " + state.neighbour(),
                        state.network().isEmpty() ? "" : "in " + state.network(), state.area().isEmpty() ? "" : "area " + state.area(),
                        state.mtu().isEmpty() ? "" : "payload " + state.mtu(), state.hello().isEmpty() ? "" : "hello " + state.hello() + " dead " + state.dead(),
                        state.stub().equals("yes") ? "stub area" : "", state.bundled() ? "in a bundle" : "").filter(line -> !line.isEmpty()).toList();
            }
        };
    }

    /** Whether the device lets somebody in who is known there; where it takes long over it, it lets them in and greets them late. */
    private boolean lets(ServerSession session) {
        try {
            return byAddress.get(local(session)).faults().trip(Faults.FaultPoint.SIGN_IN).isEmpty();
        } catch (Faults.NotYet e) {
            session.setAttribute(StreamedCommand.LATE, e.pause());
        } catch (Faults.Never e) {
            session.setAttribute(StreamedCommand.LATE, ChronoUnit.FOREVER.getDuration());
        }
        return true;
    }

    private static String local(SessionContext session) {
        return ((InetSocketAddress) session.getLocalAddress()).getAddress().getHostAddress();
    }

    /** The device behind the address that was called. */
    private Device called(ChannelSession channel) {
        return byAddress.get(local(channel.getSession()));
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
        return List.of(keys.get(local(session)));
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
