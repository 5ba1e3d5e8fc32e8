package rilvan.server.monitoring;

import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import rilvan.core.check.Observed;
import rilvan.core.environment.PlanningSource;
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

    /** Takes the results of a service's checks. */
    void checked(String service, List<Observed> results) {
        PlanningSource.Service stands = source.service(service).orElse(null);
        if (stands == null || stands.customersToFollow().isEmpty() || results.isEmpty()) {
            return;
        }
        Set<End> left = stands.customersToFollow().stream().filter(end -> !hasFollowed(end, stands.customersToFollow(), results)).collect(Collectors.toSet());
        if (left.size() < stands.customersToFollow().size() && services.followed(service, stands.version(), json.write(left)) == 1) {
            Set<String> followed = stands.customersToFollow().stream().filter(end -> !left.contains(end)).map(end -> end.device() + " " + end.port())
                    .collect(Collectors.toCollection(TreeSet::new));
            LOG.info("the customer of {} has followed at {}", service, String.join(", ", followed));
        }
    }
}
