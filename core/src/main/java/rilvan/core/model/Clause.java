package rilvan.core.model;

import java.util.Map;

/**
 * A vendor-neutral statement about one device.
 *
 * @param device the device it is said on
 * @param name the kind of statement, as the vocabulary has it
 * @param origin the place in the model it comes from, such as {@code expand/2}
 * @param says its values
 */
public record Clause(String device, String name, String origin, Map<String, Object> says) {}
