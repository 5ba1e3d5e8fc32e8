package rilvan.core.pool;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;

/** All that the services of one order take from pools, gathered while it is worked out. Not safe for several threads. */
public final class PendingAllocations {

    private record NumberSpace(String pool, String within) {}

    private final Set<Allocation> all = new LinkedHashSet<>();
    private final Map<NumberSpace, Map<Long, Allocation>> byPlace = new HashMap<>();
    private final Map<String, TreeMap<String, List<Allocation>>> byPool = new HashMap<>();
    private final Map<String, List<Allocation>> byService = new HashMap<>();

    void add(Allocation allocation) {
        all.add(allocation);
        byPlace.computeIfAbsent(new NumberSpace(allocation.pool(), allocation.within()), place -> new HashMap<>())
                .put(allocation.number(), allocation);
        byPool.computeIfAbsent(allocation.pool(), pool -> new TreeMap<>()).computeIfAbsent(allocation.within(), place -> new ArrayList<>()).add(allocation);
        byService.computeIfAbsent(allocation.service(), service -> new ArrayList<>()).add(allocation);
    }

    /** What one service takes. */
    public List<Allocation> of(String service) {
        return List.copyOf(byService.getOrDefault(service, List.of()));
    }

    /** What is taken within a place, such as a port. */
    public List<Allocation> within(String pool, String place) {
        return List.copyOf(byPool.getOrDefault(pool, new TreeMap<>()).getOrDefault(place, List.of()));
    }

    /** What is taken in all places whose names begin so. */
    public List<Allocation> below(String pool, String beginning) {
        return byPool.getOrDefault(pool, new TreeMap<>()).subMap(beginning, beginning + Character.MAX_VALUE).values().stream().flatMap(List::stream).toList();
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
