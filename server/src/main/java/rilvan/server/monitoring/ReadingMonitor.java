package rilvan.server.monitoring;

import jakarta.annotation.PostConstruct;
import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.HashMap;
import java.util.Map;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.Sessions;
import rilvan.server.Settings;
import rilvan.server.inventory.Devices;
import rilvan.server.ops.LogContext;
import rilvan.server.ops.Repeating;
import rilvan.server.store.Inventory;

/**
 * Reads every device again at intervals (the setting {@code reading-interval}), so that drift is found without anybody asking. One device
 * after the other, the one read longest ago first; a device that an order holds, or that was never read, is left out.
 */
@Component
public class ReadingMonitor {

    private static final Logger LOG = LoggerFactory.getLogger(ReadingMonitor.class);
    private static final Duration PAUSE = Duration.ofSeconds(1);

    private final Inventory inventory;
    private final Devices devices;
    private final Duration every;
    private final Repeating timer = new Repeating("reading monitor");
    /** When a device that could not be read is tried again, by {@link System#nanoTime}. */
    private final Map<String, Long> later = new HashMap<>();

    public ReadingMonitor(Inventory inventory, Devices devices, Settings settings) {
        this.inventory = inventory;
        this.devices = devices;
        this.every = settings.readingInterval();
    }

    @PostConstruct
    void begin() {
        timer.begin(PAUSE, PAUSE, this::round);
    }

    @PreDestroy
    void close() {
        timer.close();
    }

    /** Reads all devices that are due. */
    void round() {
        for (String device : inventory.dueForReading(every.toSeconds())) {
            if (timer.isOver()) {
                return;
            }
            if (later.getOrDefault(device, Long.MIN_VALUE) <= System.nanoTime()) {
                LogContext.about(device, () -> read(device));
            }
        }
    }

    private void read(String device) {
        try {
            devices.read(device);
            later.remove(device);
        } catch (ValidationFailure e) {
            LOG.debug("not read: {}", e.getMessage());
        } catch (Sessions.CannotOpen e) {
            LOG.warn("cannot be read: {}", e.getMessage());
            later.put(device, System.nanoTime() + every.toNanos());
        } catch (RuntimeException e) {
            LOG.warn("cannot be read", e);
            later.put(device, System.nanoTime() + every.toNanos());
        }
    }
}
