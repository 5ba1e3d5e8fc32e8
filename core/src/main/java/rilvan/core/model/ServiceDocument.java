package rilvan.core.model;

import java.util.Map;
import java.util.Optional;
import java.util.Set;
import rilvan.core.environment.PlanningSource;
import rilvan.core.network.Network.End;

/**
 * One service as its engineer describes it.
 *
 * @param name unique among all services
 * @param tenant whom it is for
 * @param model name of its service model
 * @param version of the model; absent where it stays as it is, or, for a new one, is made from the latest
 * @param parameters as written, not validated yet
 * @param customersToFollow ports where the customer's router is still to be changed
 * @param placed whether the service is in the network already
 * @param componentOf the service that contains this one; absent where it stands for itself
 */
public record ServiceDocument(String name, String tenant, String model, Optional<Integer> version, Map<String, Object> parameters, Set<End> customersToFollow,
        boolean placed, Optional<String> componentOf) {

    /** A service as it is in the network. */
    public static ServiceDocument of(PlanningSource.Service service) {
        return new ServiceDocument(service.name(), service.tenant(), service.model(), Optional.of(service.modelVersion()), service.parameters(), service.customersToFollow(), true, service.componentOf());
    }

    /** The same with other parameters. */
    public ServiceDocument with(Map<String, Object> others) {
        return new ServiceDocument(name, tenant, model, version, others, customersToFollow, placed, componentOf);
    }
}
