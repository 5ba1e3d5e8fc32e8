package rilvan.server.inventory;

import io.micrometer.core.instrument.MeterRegistry;
import java.time.Duration;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.dao.DataAccessException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import rilvan.core.document.Secret;
import rilvan.core.network.Device;
import rilvan.protocol.SessionObserver;
import rilvan.server.Settings;
import rilvan.server.library.Library;
import rilvan.server.ops.LogContext;

/**
 * What sessions with devices do: counted and timed by family, logged where a session is lost or a device is slow, and, for a device that
 * somebody asks for, all that goes over the wire.
 */
@Component
public class DeviceTelemetry implements SessionObserver {

    private static final Logger LOG = LoggerFactory.getLogger(DeviceTelemetry.class);
    private static final Logger WIRE = LoggerFactory.getLogger("rilvan.wire");

    private final MeterRegistry registry;
    private final StoredPlanningSource source;
    private final Library library;
    private final Duration slow;
    private final Set<String> traced = ConcurrentHashMap.newKeySet();

    public DeviceTelemetry(MeterRegistry registry, StoredPlanningSource source, Library library, Settings settings) {
        this.registry = registry;
        this.library = library;
        this.source = source;
        this.slow = settings.slowAnswer();
    }

    /** Switches the trace of one device on or off, on this instance, until it stops. */
    public void trace(String device, boolean on) {
        if (on ? traced.add(device) : traced.remove(device)) {
            LogContext.about(device, () -> LOG.info("the wire trace of {} is {}", device, on ? "on" : "off"));
        }
    }

    /** Whoever tells of a session is not to fail for it. */
    private String family(String device) {
        try {
            return source.recentNetwork().device(device).map(Device::family).orElse("unknown");
        } catch (DataAccessException | TransactionException e) {
            return "unknown";
        }
    }

    @Override
    public void opened(String device, long nanos) {
        registry.timer("rilvan.sessions.opened", "family", family(device)).record(Duration.ofNanos(nanos));
    }

    @Override
    public void failed(String device, String reason) {
        registry.counter("rilvan.sessions.failed", "family", family(device)).increment();
        LogContext.about(device, () -> LOG.warn("no session with {}: {}", device, reason));
    }

    @Override
    public void answered(String device, int requests, long nanos, boolean lost) {
        Duration duration = Duration.ofNanos(nanos);
        registry.timer("rilvan.devices.answer", "family", family(device), "result", lost ? "lost" : "answered").record(duration);
        if (lost) {
            LogContext.about(device, () -> LOG.warn("the session with {} was lost after {} ms", device, duration.toMillis()));
        } else if (duration.compareTo(slow) > 0) {
            LogContext.about(device, () -> LOG.warn("{} took {} ms to answer {} requests", device, duration.toMillis(), requests));
        }
    }

    private String masked(String device, String text) {
        return Secret.masked(source.recentNetwork().device(device).flatMap(each -> library.catalog().dialects().get(each.family()).secrets())
                .map(places -> places.replacedAnywhere(text, secret -> Secret.MASK)).orElse(text));
    }

    @Override
    public boolean traces(String device) {
        return traced.contains(device);
    }

    @Override
    public void sent(String device, String text) {
        LogContext.about(device, () -> WIRE.info("> {}", masked(device, text)));
    }

    @Override
    public void received(String device, String text) {
        LogContext.about(device, () -> WIRE.info("< {}", masked(device, text)));
    }
}
