package rilvan.lab.behaviour;

import java.util.Collections;
import java.util.HashSet;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.Predicate;
import java.util.stream.Stream;

/**
 * Prefixes among which the longest is looked for that an address is in.
 *
 * @param byLength each length that there is, the longest first
 */
record Prefixes(Map<Integer, Set<Net>> byLength) {

    static Prefixes of(Stream<Net> prefixes) {
        Map<Integer, Set<Net>> byLength = new TreeMap<>(Collections.reverseOrder());
        prefixes.forEach(prefix -> byLength.computeIfAbsent(prefix.length(), length -> new HashSet<>()).add(prefix));
        return new Prefixes(byLength);
    }

    /** The length of the longest prefix that holds the address; absent where none does. */
    Optional<Integer> longest(Address address) {
        return longest(address, prefix -> true);
    }

    /** The same among some of the prefixes. */
    Optional<Integer> longest(Address address, Predicate<Net> some) {
        return byLength.entrySet().stream().filter(each -> each.getKey() <= address.width() && each.getValue().contains(Net.of(address, each.getKey()))
                && some.test(Net.of(address, each.getKey()))).map(Map.Entry::getKey).findFirst();
    }

    Stream<Net> all() {
        return byLength.values().stream().flatMap(Set::stream);
    }
}
