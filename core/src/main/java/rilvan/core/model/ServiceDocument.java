package rilvan.core.model;

import java.util.Map;

/**
 * One service as its engineer describes it.
 *
 * @param name unique among all services
 * @param tenant whom it is for
 * @param model name of its service model
 * @param parameters as written, not validated yet
 */
public record ServiceDocument(String name, String tenant, String model, Map<String, Object> parameters) {}
