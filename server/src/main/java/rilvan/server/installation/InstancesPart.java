package rilvan.server.installation;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import java.util.List;
import java.util.stream.Collectors;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.store.InstallationFigures;
import rilvan.server.store.InstallationFigures.InstanceRow;

/** Whether the instances are alive, and who drives the orders of those that are not. */
@Component
@Order(1)
final class InstancesPart implements InstallationPart {

    private final InstallationFigures figures;
    private final ClusterMember member;

    InstancesPart(InstallationFigures figures, ClusterMember member, MeterRegistry registry) {
        this.figures = figures;
        this.member = member;
        Gauge.builder("rilvan.lease.lapses", member, ClusterMember::lapses).description("How often this instance's lease has run out").register(registry);
    }

    @Override
    public Part look() {
        List<InstanceRow> all = figures.instances();
        List<InstanceRow> gone = all.stream().filter(each -> !each.alive()).toList();
        long alive = all.size() - gone.size();
        String found = (alive == 1 ? "this one is alive, and no other" : alive + " are alive, this one among them") + (member.lapses() == 0 ? "" : "; its lease ran out " + member.lapses() + " times since it started")
                + gone.stream().map(each -> "; " + each.id() + " was alive until " + Amount.moment(each.aliveUntil())).collect(Collectors.joining());
        // What one that is gone was driving is taken over within seconds.
        return gone.stream().allMatch(each -> each.drives() == 0) ? Part.well("instances", found)
                : Part.bad("instances", found + "; nobody has taken over its orders yet", "look again in a minute; then at the logs of those that are alive");
    }
}
