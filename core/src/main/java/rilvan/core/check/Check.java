package rilvan.core.check;

import java.util.Map;

/**
 * Something observable that must be true when a service works.
 *
 * @param service whose it is
 * @param observation how to look, as the vocabulary has it, such as {@code reach}
 * @param from where to look from
 * @param to what to look for
 */
public record Check(String service, String observation, Map<String, Object> from, Map<String, Object> to) {}
