package rilvan.server.monitoring;

import jakarta.annotation.PostConstruct;
import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.document.ValidationFailure;
import rilvan.core.plan.Explainer;
import rilvan.core.plan.Plan;
import rilvan.server.Settings;
import rilvan.server.ops.Repeating;
import rilvan.server.store.ServiceHealth;
import rilvan.server.store.Services;

/**
 * Runs the checks of every service at intervals (the setting {@code health-interval}), one service after the other, the one checked longest ago
 * first. Instances on one database share the work. A service that an order holds is left out.
 */
@Component
public class HealthMonitor {

    private static final Logger LOG = LoggerFactory.getLogger(HealthMonitor.class);
    private static final Duration PAUSE = Duration.ofSeconds(1);
    private static final int MOST_NAMED = 8;

    private final ServiceHealth health;
    private final Services services;
    private final Explainer explainer;
    private final CheckRunner checkRunner;
    private final CustomersToFollow customers;
    private final long everySeconds;
    /** Another number for each look, so that samples change; it begins anywhere, since instances take turns. */
    private final AtomicLong turns = new AtomicLong(System.currentTimeMillis());
    private final Repeating timer = new Repeating("health monitor");

    public HealthMonitor(ServiceHealth health, Services services, Explainer explainer, CheckRunner checkRunner, CustomersToFollow customers, Settings settings) {
        this.health = health;
        this.services = services;
        this.explainer = explainer;
        this.checkRunner = checkRunner;
        this.customers = customers;
        this.everySeconds = settings.healthInterval().toSeconds();
    }

    @PostConstruct
    void begin() {
        timer.begin(PAUSE, PAUSE, this::round);
    }

    @PreDestroy
    void close() {
        timer.close();
    }

    /** Looks at all that is due. */
    void round() {
        Optional<String> due = health.due(everySeconds);
        while (due.isPresent() && !timer.isOver()) {
            if (health.take(due.get(), everySeconds) == 1) {
                look(due.get()).join();
            }
            due = health.due(everySeconds);
        }
    }

    /** Makes all checks of a service once, as the network is now, and keeps what they came to. */
    public CompletableFuture<List<Observed>> look(String service) {
        List<Check> checks;
        try {
            checks = explainer.checks(service, turns.incrementAndGet());
        } catch (ValidationFailure e) {
            keep(service, "", outOfDate(service));
            return CompletableFuture.completedFuture(List.of());
        }
        return checkRunner.look(checks).thenApply(seen -> {
            keep(service, Observed.failures(seen), outOfDate(service));
            customers.checked(service, seen);
            return seen;
        });
    }

    /** The same for a service and all that it contains. */
    public CompletableFuture<List<Observed>> lookAtWhole(String service) {
        CompletableFuture<List<Observed>> whole = CompletableFuture.completedFuture(List.of());
        for (String each : services.whole(service)) {
            whole = whole.thenCombine(look(each), (seen, further) -> Stream.concat(seen.stream(), further.stream()).toList());
        }
        return whole;
    }

    /** Finds out which services are out of date, since the network or its settings have changed; in the background, one after the other. */
    public void compareAll() {
        timer.once(() -> services.names().forEach(service -> {
            if (!timer.isOver()) {
                health.compared(service, outOfDate(service));
            }
        }));
    }

    /** What a service would say that it does not say now, in words; empty where it is up to date. */
    private String outOfDate(String service) {
        try {
            List<String> devices = explainer.outOfDate(service);
            return devices.isEmpty() ? "" : "would change on " + Plan.named(devices, MOST_NAMED);
        } catch (ValidationFailure e) {
            return "cannot be worked out any more: " + e.getMessage();
        }
    }

    private void keep(String service, String wrong, String outOfDate) {
        health.checked(service, wrong, outOfDate);
        if (!outOfDate.isEmpty()) {
            LOG.warn("service {} is out of date: it {}", service, outOfDate);
        }
        if (!wrong.isEmpty()) {
            LOG.warn("service {} fails: {}", service, wrong);
        }
    }
}
