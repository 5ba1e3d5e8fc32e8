package rilvan.server.monitoring;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.CompletionException;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import rilvan.core.environment.ConfigurationNotice;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Sessions;
import rilvan.server.Settings;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.inventory.Devices;
import rilvan.server.ops.LogContext;
import rilvan.server.ops.Repeating;
import rilvan.server.store.Inventory;
import rilvan.server.store.Orders;

/**
 * Listens to devices that say when they are changed (RFC 5277, RFC 6470), where the settings want it: a device that somebody has changed is read at once. Each device is listened to by one
 * instance, in a session of its own. What an order changes is no news.
 */
@Component
public class ChangeNotices {

    private static final Logger LOG = LoggerFactory.getLogger(ChangeNotices.class);
    private static final Duration BETWEEN_LOOKS = Duration.ofSeconds(5);
    /** Somebody who changes a device changes more than one line. */
    private static final long QUIET_MILLIS = 1_000;
    private static final int OPENED_AT_ONCE = 20;
    /** Looks after which a device that could not be listened to is asked again. */
    private static final int LATER = 120;

    private final Inventory inventory;
    private final Orders orders;
    private final Devices devices;
    private final ClusterMember member;
    private final boolean wanted;
    private final Repeating looks = new Repeating("notices of changes");
    private final ScheduledExecutorService readings = Executors.newSingleThreadScheduledExecutor(task -> {
        Thread thread = new Thread(task, "changed-devices");
        thread.setDaemon(true);
        return thread;
    });
    private final Map<String, DeviceSession> listening = new HashMap<>();
    private final Map<String, Integer> later = new HashMap<>();
    private final Set<String> changed = ConcurrentHashMap.newKeySet();

    ChangeNotices(Inventory inventory, Orders orders, Devices devices, ClusterMember member, Settings settings) {
        this.inventory = inventory;
        this.orders = orders;
        this.devices = devices;
        this.member = member;
        this.wanted = settings.changeNotices();
    }

    @EventListener(ApplicationReadyEvent.class)
    public void begin() {
        if (wanted) {
            looks.begin(Duration.ZERO, BETWEEN_LOOKS, this::look);
        }
    }

    @PreDestroy
    void close() {
        looks.close();
        readings.shutdownNow();
        listening.values().forEach(DeviceSession::close);
    }

    /** Listens to the devices that are this instance's, and lets go of others. */
    void look() {
        List<String> instances = inventory.aliveInstances();
        int place = instances.indexOf(member.id());
        Set<String> own = new HashSet<>();
        if (place >= 0) {
            inventory.devicesThatWereRead().stream().filter(device -> Math.floorMod(device.hashCode(), instances.size()) == place).forEach(own::add);
        }
        new ArrayList<>(listening.keySet()).stream().filter(device -> !own.contains(device) || !listening.get(device).isOpen()).forEach(device -> listening.remove(device).close());
        later.replaceAll((device, looksLeft) -> looksLeft - 1);
        later.values().removeIf(looksLeft -> looksLeft <= 0);
        own.stream().filter(device -> !listening.containsKey(device) && !later.containsKey(device)).sorted().limit(OPENED_AT_ONCE).forEach(device -> LogContext.about(device, () -> listen(device)));
    }

    private void listen(String device) {
        try {
            DeviceSession session = devices.session(device);
            if (session.listen(notice -> told(device, notice)).toCompletableFuture().join()) {
                listening.put(device, session);
                LOG.info("{} tells of its changes", device);
                return;
            }
            session.close();
            LOG.debug("{} does not tell of its changes", device);
        } catch (Sessions.CannotOpen | CompletionException e) {
            LOG.warn("{} cannot be listened to: {}", device, e.getMessage());
        }
        later.put(device, LATER);
    }

    private void told(String device, ConfigurationNotice notice) {
        if (changed.add(device)) {
            readings.schedule(() -> LogContext.about(device, () -> read(device, notice)), QUIET_MILLIS, TimeUnit.MILLISECONDS);
        }
    }

    private void read(String device, ConfigurationNotice notice) {
        changed.remove(device);
        try {
            if (orders.holder("device", device).isEmpty()) {
                devices.read(device, notice.user());
            }
        } catch (RuntimeException e) {
            LOG.warn("{} says that it was changed, and cannot be read: {}", device, e.getMessage());
        }
    }
}
