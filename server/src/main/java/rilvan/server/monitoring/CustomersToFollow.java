package rilvan.server.monitoring;

import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import rilvan.core.check.Observed;
import rilvan.core.network.Network.End;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.store.Json;
import rilvan.server.store.Services;

/** Ports where a customer was still to change the router: once the checks there pass, the customer has, and they count again. */
@Component
public class CustomersToFollow {

    private static final Logger LOG = LoggerFactory.getLogger(CustomersToFollow.class);

    private final StoredPlanningSource source;
    private final Services services;
    private final Json json;

    public CustomersToFollow(StoredPlanningSource source, Services services, Json json) {
        this.source = source;
        this.services = services;
        this.json = json;
    }

    /** Whether checks pass at a port: all of them, but for those to another port where the customer is to follow. */
    private static boolean hasFollowed(End end, Set<End> customersToFollow, List<Observed> results) {
        List<Observed> there = results.stream().filter(each -> each.check().ends().contains(end)).toList();
        return there.stream().anyMatch(CustomersToFollow::passed) && there.stream().filter(each -> !passed(each))
                .allMatch(each -> each.check().ends().stream().anyMatch(other -> !other.equals(end) && customersToFollow.contains(other)));
    }

    private static boolean passed(Observed result) {
        return result.passed() && result.covers().counts();
    }

    /** Takes the results of a service's checks; without effect, and without a question to the store, where no customer is to follow. */
    void checked(String service, List<Observed> results) {
        if (results.stream().noneMatch(each -> each.check().customerFollows())) {
            return;
        }
        source.service(service).ifPresent(stands -> {
            Set<End> ends = stands.customersToFollow();
            Map<Boolean, Set<End>> followed = ends.stream().collect(Collectors.partitioningBy(end -> hasFollowed(end, ends, results), Collectors.toSet()));
            if (!followed.get(true).isEmpty() && services.followed(service, stands.version(), json.write(followed.get(false))) == 1) {
                LOG.info("the customer of {} has followed at {}", service, followed.get(true).stream().map(End::inWords).sorted().collect(Collectors.joining(", ")));
            }
        });
    }
}
