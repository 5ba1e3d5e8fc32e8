package rilvan.lab.behaviour;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.Collectors;
import rilvan.lab.config.Item;
import rilvan.lab.device.Device;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.device.Question;
import rilvan.lab.lines.LineDevice;

/** The network as it behaves now: a device's configuration takes effect some time after it was committed. */
public final class Convergence {

    private final Wiring wiring;
    private final ScheduledExecutorService timer;
    private final long delayMillis;
    private final Map<String, Behaviour> behaviours = new ConcurrentHashMap<>();

    private final AtomicLong changes = new AtomicLong();
    private final AtomicLong underWay = new AtomicLong();
    private volatile Snapshot snapshot = new Snapshot(-1, null, null);

    /** What the network does after a number of changes. */
    private record Snapshot(long changes, Forwarding forwarding, Answers answers) {}

    /** What one device's configuration comes to. */
    private record Behaviour(Router router, Switch frames) {}

    /**
     * @param delayMillis how long a change takes to show in what the network does
     */
    public Convergence(Wiring wiring, ScheduledExecutorService timer, long delayMillis) {
        this.wiring = wiring;
        this.timer = timer;
        this.delayMillis = delayMillis;
    }

    /** A device is there from the start, with what it holds. */
    public void start(Device device, String family) {
        read(device, family).ifPresent(behaviour -> behaviours.put(device.name(), behaviour));
        changes.incrementAndGet();
    }

    /** A device's configuration has changed; what it holds by then takes effect after the delay. */
    public void changed(Device device, String family) {
        underWay.incrementAndGet();
        timer.schedule(() -> {
            try {
                start(device, family);
            } finally {
                underWay.decrementAndGet();
            }
        }, delayMillis, TimeUnit.MILLISECONDS);
    }

    /** Whether every change has taken effect, so that what is not so now stays so until somebody changes something. */
    public boolean settled() {
        return underWay.get() == 0;
    }

    /** What a device's configuration means; nothing where the lab does not know what devices of its family do. */
    private static Optional<Behaviour> read(Device device, String family) {
        if (device instanceof NetconfDevice netconf && family.equals("quern")) {
            Item config = netconf.read(NetconfDevice.Store.RUNNING);
            return Optional.of(new Behaviour(RouterReader.quern(device.name(), config), SwitchReader.quern(device.name(), config)));
        } else if (device instanceof NetconfDevice netconf && family.equals("tarn")) {
            Item config = netconf.read(NetconfDevice.Store.RUNNING);
            return Optional.of(new Behaviour(RouterReader.tarn(device.name(), config), SwitchReader.tarn(device.name(), config)));
        } else if (device instanceof LineDevice lines && family.equals("brae")) {
            return Optional.of(lines.reading(held ->
                    new Behaviour(RouterReader.brae(device.name(), held), SwitchReader.brae(device.name(), held))));
        }
        return Optional.empty();
    }

    /** Where packets go now. */
    public Forwarding forwarding() {
        return snapshot().forwarding();
    }

    /**
     * Why what a device is asked is not so now; absent where it is.
     *
     * @throws IllegalArgumentException where something of the question has no form that it should have
     */
    public Optional<String> not(Question question, String device, List<String> says) {
        return snapshot().answers().not(question, device, says);
    }

    /** Worked out when somebody asks, and again only after something has changed: by one of those who ask, for all who asked meanwhile. */
    private Snapshot snapshot() {
        long asked = changes.get();
        Snapshot now = snapshot;
        if (now.changes() >= asked) {
            return now;
        }
        synchronized (behaviours) {
            if (snapshot.changes() < asked) {
                long done = changes.get();
                Map<String, Behaviour> all = Map.copyOf(behaviours);
                Map<String, Router> routers = all.values().stream().map(Behaviour::router).collect(Collectors.toMap(Router::name, each -> each));
                Forwarding before = snapshot.forwarding();
                Forwarding forwarding = new Forwarding(routers, wiring, before != null && before.backbone().isOf(routers) ? before.backbone() : new Backbone(routers, wiring));
                Map<String, Switch> switches = all.entrySet().stream().collect(Collectors.toMap(Map.Entry::getKey, each -> each.getValue().frames()));
                FrameForwarding frames = new FrameForwarding(switches, forwarding);
                snapshot = new Snapshot(done, forwarding, new Answers(forwarding, frames, new ForwardingState(switches, forwarding, frames)));
            }
            return snapshot;
        }
    }
}
