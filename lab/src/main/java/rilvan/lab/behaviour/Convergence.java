package rilvan.lab.behaviour;

import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import rilvan.lab.device.Device;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.lines.LineDevice;

/** The network as it behaves now: a device's configuration takes effect some time after it was committed. */
public final class Convergence {

    private final Wiring wiring;
    private final ScheduledExecutorService timer;
    private final long delayMillis;
    private final Map<String, Router> routers = new ConcurrentHashMap<>();

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
        read(device, family).ifPresent(router -> routers.put(device.name(), router));
    }

    /** A device's configuration has changed; what it holds by then takes effect after the delay. */
    public void changed(Device device, String family) {
        timer.schedule(() -> start(device, family), delayMillis, TimeUnit.MILLISECONDS);
    }

    /** What a device's configuration means; nothing where the lab does not know what devices of its family do. */
    private static Optional<Router> read(Device device, String family) {
        if (device instanceof NetconfDevice netconf && family.equals("quern")) {
            return Optional.of(Reading.quern(device.name(), netconf.read(NetconfDevice.Store.RUNNING)));
        } else if (device instanceof NetconfDevice netconf && family.equals("tarn")) {
            return Optional.of(Reading.tarn(device.name(), netconf.read(NetconfDevice.Store.RUNNING)));
        } else if (device instanceof LineDevice lines && family.equals("brae")) {
            return Optional.of(lines.reading(held -> Reading.brae(device.name(), held)));
        }
        return Optional.empty();
    }

    public Forwarding forwarding() {
        return new Forwarding(Map.copyOf(routers), wiring);
    }
}
