package rilvan.server.ops;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import java.time.Duration;
import java.util.List;
import org.springframework.stereotype.Component;
import rilvan.core.check.Observed;
import rilvan.core.transaction.Phase;
import rilvan.core.transaction.State;
import rilvan.server.store.Orders;

/** Figures of orders: how many ended how, how long each phase took on a device, how many wait, what checks came to. */
@Component
public class OrderMetrics {

    private final MeterRegistry registry;

    public OrderMetrics(MeterRegistry registry, Orders orders) {
        this.registry = registry;
        Gauge.builder("rilvan.orders.waiting", orders, Orders::countWaiting).description("Orders that wait for others").register(registry);
        Gauge.builder("rilvan.orders.running", orders, Orders::countRunning).description("Orders that have started and not ended").register(registry);
    }

    public void ended(State state) {
        registry.counter("rilvan.orders.ended", "result", state.words().replace(' ', '-')).increment();
    }

    public void phase(Phase phase, boolean ok, Duration duration) {
        registry.timer("rilvan.orders.phase", "phase", phase.words().replace(' ', '-'), "result", ok ? "ok" : "failed").record(duration);
    }

    public void checked(List<Observed> results) {
        results.forEach(each -> registry.counter("rilvan.checks", "observation", each.check().observation(), "result",
                !each.covers().counts() ? each.covers().words().replace(' ', '-') : each.passed() ? "pass" : "fail").increment());
    }
}
