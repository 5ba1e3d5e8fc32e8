package rilvan.core.pool;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Works out what one service takes from pools. What it holds already stays with it; what is new is the lowest free number,
 * or the one chosen, if nobody has it. Nothing is stored here: the store's unique constraint has the last word.
 */
public final class Allocator {

    private final String service;
    private final Numbers numbers;
    private final Map<String, Allocation> held = new HashMap<>();
    private final List<Allocation> wanted;

    /** A pool that has nothing left to give, or a chosen number that is not free; the message says what would do. */
    public static final class NotAvailable extends RuntimeException {
        NotAvailable(String message) {
            super(message);
        }
    }

    /**
     * @param wanted where all that the order's services take is gathered, theirs and what this allocator adds
     */
    public Allocator(String service, Numbers numbers, List<Allocation> wanted) {
        this.service = service;
        this.numbers = numbers;
        this.wanted = wanted;
        numbers.heldBy(service).forEach(allocation -> held.put(allocation.key(), allocation));
    }

    /** The lowest free number, or the one this service has for this key already. */
    public long take(Pool pool, String within, String key) {
        Allocation before = held.get(key);
        if (before != null && before.pool().equals(pool.name()) && before.within().equals(within)) {
            wanted.add(before);
            return before.number();
        }
        Set<Long> promised = new HashSet<>();
        promised(pool.name(), within).forEach(allocation -> promised.add(allocation.number()));
        long number = numbers.lowestFree(pool, within, promised).orElseThrow(() -> new NotAvailable(
                "the pool " + pool.name() + (within.isEmpty() ? "" : " of " + within) + " has none of its "
                        + pool.size() + " numbers left"));
        wanted.add(new Allocation(pool.name(), within, service, key, number));
        return number;
    }

    /** The chosen number, if it is in the pool and free. */
    public long choose(Pool pool, String within, String key, long number) {
        if (number < pool.from() || number > pool.to()) {
            throw new NotAvailable(number + " is not in the pool " + pool.name() + ", which goes from " + pool.from() + " to "
                    + pool.to());
        }
        Optional<Allocation> holder = promised(pool.name(), within).stream()
                .filter(allocation -> allocation.number() == number).findFirst()
                .or(() -> numbers.holder(pool.name(), within, number));
        if (holder.isPresent() && !(holder.get().service().equals(service) && !wanted.contains(holder.get()))) {
            boolean ours = holder.get().service().equals(service);
            throw new NotAvailable(number + (within.isEmpty() ? "" : " on " + within) + " is already in use by "
                    + (ours ? "another part of this service" : holder.get().service()));
        }
        wanted.add(new Allocation(pool.name(), within, service, key, number));
        return number;
    }

    private List<Allocation> promised(String pool, String within) {
        List<Allocation> same = new ArrayList<>();
        for (Allocation allocation : wanted) {
            if (allocation.pool().equals(pool) && allocation.within().equals(within)) {
                same.add(allocation);
            }
        }
        return same;
    }
}
