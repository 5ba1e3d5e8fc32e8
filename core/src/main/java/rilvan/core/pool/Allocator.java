package rilvan.core.pool;

import java.util.HashMap;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Works out what one service takes from pools. What it holds already stays with it; what is new is the lowest free number,
 * or the one chosen, if nobody has it. Nothing is stored here: the store's unique constraint has the last word.
 */
public final class Allocator {

    private final String service;
    private final StoredAllocations numbers;
    private final Map<String, Allocation> held = new HashMap<>();
    private final PendingAllocations wanted;

    /** A pool that has nothing left to give, or a chosen number that is not free; the message says what would do. */
    public static final class NotAvailable extends RuntimeException {
        NotAvailable(String message) {
            super(message);
        }
    }

    /**
     * @param wanted where all that the order's services take is gathered, theirs and what this allocator adds
     */
    public Allocator(String service, StoredAllocations numbers, PendingAllocations wanted) {
        this.service = service;
        this.numbers = numbers;
        this.wanted = wanted;
        numbers.heldBy(service).forEach(allocation -> held.put(allocation.key(), allocation));
    }

    /** The lowest free number, or the one this service has for this key already. */
    public long take(Pool pool, String within, String key) {
        Allocation before = held.get(key);
        if (before != null && before.isIn(pool.name(), within) && !wanted.contains(before)) {
            wanted.add(before);
            return before.number();
        }
        Set<Long> excluded = wanted.numbers(pool.name(), within);
        long number = numbers.lowestFree(pool, within, excluded).orElseThrow(() -> new NotAvailable(
                "the pool " + pool.name() + (within.isEmpty() ? "" : " of " + within) + " is exhausted: all of its "
                        + pool.size() + " (" + pool.extent() + ") are in use"));
        wanted.add(new Allocation(pool.name(), within, service, key, number));
        return number;
    }

    /** The chosen number, if it is in the pool and free. */
    public long choose(Pool pool, String within, String key, long number) {
        if (!pool.has(number)) {
            throw new NotAvailable(pool.write(number) + (pool.isReserved(number) ? " is reserved" : " is not in the pool " + pool.name())
                    + "; available: " + pool.extent());
        }
        // What this service has held already is known; asking again for each of thousands of places would be most of the work.
        Optional<Allocation> holder = wanted.holder(pool.name(), within, number)
                .or(() -> Optional.ofNullable(held.get(key)).filter(before -> before.isIn(pool.name(), within) && before.number() == number))
                .or(() -> numbers.holder(pool.name(), within, number));
        if (holder.isPresent() && !(holder.get().service().equals(service) && !wanted.contains(holder.get()))) {
            boolean ours = holder.get().service().equals(service);
            throw new NotAvailable(pool.write(number) + (within.isEmpty() ? "" : " on " + within) + " is already in use by "
                    + (ours ? "another part of this service (" + holder.get().key() + ")" : holder.get().service()));
        }
        wanted.add(new Allocation(pool.name(), within, service, key, number));
        return number;
    }

    /**
     * The chosen value, as the pool writes it, if it is in the pool and free.
     */
    public long choose(Pool pool, String within, String key, String value) {
        return choose(pool, within, key, pool.form().read(value).orElseThrow(() ->
                new NotAvailable(value + " is not in the pool " + pool.name() + "; available: " + pool.extent())));
    }
}
