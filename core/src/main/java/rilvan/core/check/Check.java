package rilvan.core.check;

import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;

/**
 * Something observable that must be so, or must not be so, when a service works.
 *
 * @param service whose it is
 * @param observation how to look, as the vocabulary has it, such as {@code reach}
 * @param wanted whether it must be so; otherwise it must not
 * @param from where to look from
 * @param to what to look for
 */
public record Check(String service, String observation, boolean wanted, Map<String, Object> from, Map<String, Object> to) {

    /** Whether it begins or ends on one of these devices. */
    public boolean touches(Set<String> devices) {
        return Stream.of(from, to).map(place -> place.get("device")).anyMatch(device -> device instanceof String name && devices.contains(name));
    }

    /** The place it looks from, in words. */
    public String start() {
        return words(from);
    }

    /** What it looks for, in words. */
    public String end() {
        return words(to);
    }

    private static String words(Map<String, Object> place) {
        return Stream.of("device", "port", "behind", "prefix").map(place::get).filter(Objects::nonNull).map(String::valueOf).collect(Collectors.joining(" ")) + service(place);
    }

    /** What is asked for at a place, beside the place itself, in words. */
    static String service(Map<String, Object> place) {
        return place.containsKey("tcp") ? " tcp " + place.get("tcp") : "";
    }
}
