package rilvan.server.installation;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import java.util.List;
import java.util.stream.Collectors;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.store.WebhookRecords;
import rilvan.server.store.WebhookRecords.WebhookRow;

/** Whether webhooks take what they are sent. */
@Component
@Order(9)
final class WebhooksPart implements InstallationPart {

    private final WebhookRecords webhooks;

    WebhooksPart(WebhookRecords webhooks, MeterRegistry registry) {
        this.webhooks = webhooks;
        Gauge.builder("rilvan.webhooks.failing", () -> webhooks.all().stream().filter(each -> each.failingFrom() != null).count()).description("Webhooks that do not take what they are sent").register(registry);
    }

    @Override
    public Part look() {
        List<WebhookRow> all = webhooks.all();
        List<WebhookRow> failing = all.stream().filter(each -> each.failingFrom() != null).toList();
        return failing.isEmpty() ? Part.well("webhooks", all.isEmpty() ? "there are none" : "all " + all.size() + " take what they are sent")
                : Part.toBeLookedAt("webhooks", failing.stream().map(each -> each.name() + (each.givenUpAt() == null ? " fails" : " is given up") + ": " + each.failure()).collect(Collectors.joining(", ")),
                "rilvan webhook list");
    }
}
