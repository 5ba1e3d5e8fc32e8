package rilvan.core.pool;

import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/** All that the services of one order take from pools, gathered while it is worked out. Not safe for several threads. */
public final class PendingAllocations {

    private record NumberSpace(String pool, String within) {}

    private final Set<Allocation> all = new LinkedHashSet<>();
    private final Map<NumberSpace, Map<Long, Allocation>> byPlace = new HashMap<>();

    void add(Allocation allocation) {
        all.add(allocation);
        byPlace.computeIfAbsent(new NumberSpace(allocation.pool(), allocation.within()), place -> new HashMap<>())
                .put(allocation.number(), allocation);
    }

    boolean contains(Allocation allocation) {
        return all.contains(allocation);
    }

    Optional<Allocation> holder(String pool, String within, long number) {
        return Optional.ofNullable(byPlace.getOrDefault(new NumberSpace(pool, within), Map.of()).get(number));
    }

    Set<Long> numbers(String pool, String within) {
        return byPlace.getOrDefault(new NumberSpace(pool, within), Map.of()).keySet();
    }

    public List<Allocation> all() {
        return List.copyOf(all);
    }
}
