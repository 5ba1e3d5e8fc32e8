package rilvan.core.check;

import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.network.Network.End;

/**
 * Something observable that must be so, or must not be so, when a service works.
 *
 * @param service whose it is
 * @param observation how to look, as the vocabulary has it, such as {@code reach}
 * @param wanted whether it must be so; otherwise it must not
 * @param from where to look from
 * @param to what to look for
 * @param customerFollows whether it begins or ends where the customer's router is still to be changed: until it passes it says nothing
 */
public record Check(String service, String observation, boolean wanted, Map<String, Object> from, Map<String, Object> to, boolean customerFollows) {

    public Check(String service, String observation, boolean wanted, Map<String, Object> from, Map<String, Object> to) {
        this(service, observation, wanted, from, to, false);
    }

    /** The ports that it begins and ends at, as far as it names any. */
    public Set<End> ends() {
        return Stream.of(from, to).flatMap(place -> Stream.of("port", "behind").map(place::get).filter(String.class::isInstance)
                .map(port -> new End((String) place.get("device"), (String) port))).collect(Collectors.toSet());
    }

    /**
     * The same check where customers are still to follow at some ports.
     *
     * @param through the ports of customers' routers that it passes on its way
     */
    public Check following(Set<End> customersToFollow, Set<End> through) {
        return Stream.concat(ends().stream(), through.stream()).anyMatch(customersToFollow::contains) ? new Check(service, observation, wanted, from, to, true) : this;
    }

    /** What is looked at, whoever is still to follow: two checks that differ in nothing else look at the same. */
    public Check subject() {
        return customerFollows ? new Check(service, observation, wanted, from, to) : this;
    }

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
        return Stream.concat(Stream.of(words(to)), table().stream()).collect(Collectors.joining(" "));
    }

    /** The VRF, wire, bridge or segment that it is about as a whole; absent where it looks for something in it or beyond. */
    Optional<String> table() {
        return Stream.of("address", "port", "prefix", "behind").anyMatch(to::containsKey) ? Optional.empty()
                : Stream.of("vrf", "name").map(from::get).filter(String.class::isInstance).map(String.class::cast).findFirst();
    }

    private static String words(Map<String, Object> place) {
        return Stream.of("device", "port", "behind", "prefix").map(place::get).filter(Objects::nonNull).map(String::valueOf).collect(Collectors.joining(" ")) + service(place);
    }

    /** What is asked for at a place, beside the place itself, in words. */
    static String service(Map<String, Object> place) {
        return place.containsKey("tcp") ? " tcp " + place.get("tcp") : "";
    }
}
