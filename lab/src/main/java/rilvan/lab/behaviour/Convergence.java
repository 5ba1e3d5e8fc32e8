package rilvan.lab.behaviour;

import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import rilvan.lab.config.Item;

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
    public void start(String device, Item config) {
        routers.put(device, Router.read(device, config));
    }

    /** A device's configuration has changed; what it holds by then takes effect after the delay. */
    public void changed(String device, Supplier<Item> config) {
        timer.schedule(() -> routers.put(device, Router.read(device, config.get())), delayMillis, TimeUnit.MILLISECONDS);
    }

    public Forwarding forwarding() {
        return new Forwarding(Map.copyOf(routers), wiring);
    }
}
