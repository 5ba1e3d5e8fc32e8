package rilvan.core.check;

import java.util.Map;

/**
 * Something observable that must be so, or must not be so, when a service works.
 *
 * @param service whose it is
 * @param observation how to look, as the vocabulary has it, such as {@code reach}
 * @param wanted whether it must be so; otherwise it must not
 * @param from where to look from
 * @param to what to look for
 */
public record Check(String service, String observation, boolean wanted, Map<String, Object> from, Map<String, Object> to) {}
