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
 * @param stages those that it is carried out in; none where it is all at once
 * @param others services that stand on the same devices and are not changed, as far as the caller sees them
 * @param keptBack why an order could not begin now, such as a freeze; null where it could
 * @param whole the whole configuration of each device after the order, in its own language; none unless asked for
 */
public record PreviewView(boolean changesNothing, String guarantee, List<OutcomeView> services, Map<String, List<NativeLine>> devices, String digest, List<DriftedNode> drift,
        @Nullable OffsetDateTime readAt, @Nullable Long expectedSeconds, List<StagePartView> stages, Collection<String> others, Map<String, String> whole, @Nullable String keptBack) {

    /**
     * One stage of an order.
     *
     * @param places the sites and devices that it was given; none of the one that has all others
     * @param goes whether it is the one in which what goes does so
     * @param services of which something becomes in it, as far as the caller sees them
     * @param devices on which something changes in it
     */
    public record StagePartView(Collection<String> places, boolean goes, Collection<String> services, Collection<String> devices) {}

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
    PreviewView with(List<DriftedNode> nodes) {
        return new PreviewView(changesNothing, guarantee, services, devices, digest, nodes, readAt, expectedSeconds, stages, others, whole, keptBack);
    }

    /** The same with only some of the lines. */
    PreviewView withLines(Map<String, List<NativeLine>> some) {
        return new PreviewView(changesNothing, guarantee, services, some, digest, drift, readAt, expectedSeconds, stages, others, whole, keptBack);
    }

    /** The same beside other services. */
    PreviewView beside(Collection<String> standing) {
        return new PreviewView(changesNothing, guarantee, services, devices, digest, drift, readAt, expectedSeconds, stages, standing, whole, keptBack);
    }

    /** The same with whole configurations. */
    PreviewView whole(Map<String, String> configurations) {
        return new PreviewView(changesNothing, guarantee, services, devices, digest, drift, readAt, expectedSeconds, stages, others, configurations, keptBack);
    }

    /** The same where something keeps an order back. */
    PreviewView keptBack(String why) {
        return new PreviewView(changesNothing, guarantee, services, devices, digest, drift, readAt, expectedSeconds, stages, others, whole, why);
    }

    /** The same in stages. */
    PreviewView inStages(List<StagePartView> parts) {
        return new PreviewView(changesNothing, guarantee, services, devices, digest, drift, readAt, expectedSeconds, parts, others, whole, keptBack);
    }

    static PreviewView of(Preview preview, Orders orders) {
        Plan plan = preview.plan();
        int devices = plan.devices().size();
        return new PreviewView(plan.changesNothing(), plan.guarantee(), plan.outcomes().stream()
                .map(outcome -> new OutcomeView(outcome.service(), outcome.kind().name(), "", outcome.componentOf().orElse(null))).toList(), preview.lines(), preview.digest(),
                plan.drift().entrySet().stream().flatMap(device -> device.getValue().stream().map(each -> new DriftedNode(device.getKey(), each.at().toString(),
                        each.ordered().map(Secret::masked).orElse(null), each.found().map(Secret::masked).orElse(null), each.services()))).toList(), preview.readAt().orElse(null),
                plan.changesNothing() ? null : ExpectedTime.seconds(orders.took(devices, ExpectedTime.ALIKE), devices).orElse(null), List.of(), List.of(), Map.of(), null);
    }
}
