package rilvan.core.model;

import java.util.Map;
import java.util.Set;
import rilvan.core.network.Network.End;

/**
 * One service as its engineer describes it.
 *
 * @param name unique among all services
 * @param tenant whom it is for
 * @param model name of its service model
 * @param parameters as written, not validated yet
 * @param customersToFollow ports where the customer's router is still to be changed
 */
public record ServiceDocument(String name, String tenant, String model, Map<String, Object> parameters, Set<End> customersToFollow) {}
