package rilvan.server.api;

import java.time.OffsetDateTime;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;
import rilvan.core.dialect.NativeLine;
import rilvan.core.document.Secret;
import rilvan.core.plan.Plan;
import rilvan.server.orders.history.ExpectedTime;
import rilvan.server.orders.intake.Planning.Preview;
import rilvan.server.store.Orders;

/**
 * What an order would change: native lines by device.
 *
 * @param drift what was changed on its devices outside Rilvan and is not changed by this order
 * @param readAt when the device among those of its services that was read longest ago was read; null where there is none
 * @param expectedSeconds how long it will take once its turn has come, as far as earlier orders tell; null where none does
 */
public record PreviewView(boolean changesNothing, String guarantee, List<OutcomeView> services, Map<String, List<NativeLine>> devices, String digest, List<DriftedNode> drift,
        @Nullable OffsetDateTime readAt, @Nullable Long expectedSeconds) {

    /**
     * What becomes of a service.
     *
     * @param leftOut of one that the order went on without, why; empty for others
     * @param componentOf the service that contains it; null where it stands for itself
     */
    public record OutcomeView(String service, String kind, String leftOut, @Nullable String componentOf) {}

    /**
     * A managed node that a device has otherwise than it was ordered.
     *
     * @param found the value on the device; null where the node is gone
     */
    public record DriftedNode(String device, String path, @Nullable String ordered, @Nullable String found, Collection<String> services) {}

    /** The same with other nodes that have drifted. */
    PreviewView with(List<DriftedNode> others) {
        return new PreviewView(changesNothing, guarantee, services, devices, digest, others, readAt, expectedSeconds);
    }

    static PreviewView of(Preview preview, Orders orders) {
        Plan plan = preview.plan();
        int devices = plan.devices().size();
        return new PreviewView(plan.changesNothing(), plan.guarantee(), plan.outcomes().stream()
                .map(outcome -> new OutcomeView(outcome.service(), outcome.kind().name(), "", outcome.componentOf().orElse(null))).toList(), preview.lines(), preview.digest(),
                plan.drift().entrySet().stream().flatMap(device -> device.getValue().stream().map(each -> new DriftedNode(device.getKey(), each.at().toString(),
                        each.ordered().map(Secret::masked).orElse(null), each.found().map(Secret::masked).orElse(null), each.services()))).toList(), preview.readAt().orElse(null),
                plan.changesNothing() ? null : ExpectedTime.seconds(orders.took(devices, ExpectedTime.ALIKE), devices).orElse(null));
    }
}
