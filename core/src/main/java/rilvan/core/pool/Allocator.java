package rilvan.core.pool;

import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Works out what one service takes from pools. What it holds already stays with it; what is new is the lowest free number,
 * or the one chosen, if nobody has it. A number that another service of the same order holds may be chosen: whether that one still wants
 * it shows when its own turn comes. Nothing is stored here: the store's unique constraint has the last word.
 */
public final class Allocator {

    private final String service;
    private final StoredAllocations numbers;
    private final Map<String, Allocation> held = new HashMap<>();
    private final PendingAllocations wanted;
    private final Set<String> leaving;

    /** A pool that has nothing left to give, or a chosen number that is not free; the message says what would do. */
    public static final class NotAvailable extends RuntimeException {
        NotAvailable(String message) {
            super(message);
        }
    }

    /**
     * @param formerly the name under which the service holds its numbers; another one where the order renames it
     * @param wanted where all that the order's services take is gathered, theirs and what this allocator adds
     * @param leaving the services whose numbers are free unless they take them again: those of the order
     */
    public Allocator(String service, String formerly, StoredAllocations numbers, PendingAllocations wanted, Set<String> leaving) {
        this.service = service;
        this.numbers = numbers;
        this.wanted = wanted;
        this.leaving = leaving;
        numbers.heldBy(formerly).forEach(allocation -> held.put(allocation.key(), allocation));
    }

    /** For a service by itself. */
    public Allocator(String service, StoredAllocations numbers, PendingAllocations wanted) {
        this(service, service, numbers, wanted, Set.of(service));
    }

    /**
     * The lowest number that is free in all of some places, or the one that this service has there for this key already.
     *
     * @param places at least one
     */
    public long take(Pool pool, List<String> places, String key) {
        if (places.size() == 1) {
            return take(pool, places.get(0), key);
        }
        Optional<Long> before = places.stream().map(place -> held.get(keyIn(key, place, places))).filter(each -> each != null && each.pool().equals(pool.name())).map(Allocation::number)
                .filter(number -> places.stream().allMatch(place -> isFree(pool, place, keyIn(key, place, places), number))).findFirst();
        Set<Long> excluded = new HashSet<>(wanted.numbers(pool.name(), places.get(0)));
        long number = before.orElseGet(() -> {
            while (true) {
                long lowest = numbers.lowestFree(pool, places.get(0), excluded).orElseThrow(() ->
                        new NotAvailable("no number of the pool " + pool.name() + " is free in all of " + String.join(", ", places)));
                if (places.stream().allMatch(place -> isFree(pool, place, keyIn(key, place, places), lowest))) {
                    return lowest;
                }
                excluded.add(lowest);
            }
        });
        places.forEach(place -> wanted.add(new Allocation(pool.name(), place, service, keyIn(key, place, places), number)));
        return number;
    }

    /** What a number of several places is called in each. */
    private static String keyIn(String key, String place, List<String> places) {
        return place.equals(places.get(0)) ? key : key + " in " + place;
    }

    private boolean isFree(Pool pool, String place, String key, long number) {
        return wanted.holder(pool.name(), place, number).isEmpty() && (isKept(pool, place, key, number) || numbers.holder(pool.name(), place, number).isEmpty());
    }

    /** Whether this service has had just this number for the key. What it has held already is known; asking again for each of thousands of places would be most of the work. */
    private boolean isKept(Pool pool, String within, String key, long number) {
        Allocation before = held.get(key);
        return before != null && before.isIn(pool.name(), within) && before.number() == number;
    }

    /** The chosen number, in all of some places. */
    public long choose(Pool pool, List<String> places, String key, long number) {
        places.forEach(place -> choose(pool, place, keyIn(key, place, places), number));
        return number;
    }

    /** The lowest free number, or the one this service has for this key already. */
    public long take(Pool pool, String within, String key) {
        Allocation before = held.get(key);
        if (before != null && before.isIn(pool.name(), within)) {
            Optional<Allocation> chosen = wanted.holder(pool.name(), within, before.number());
            if (chosen.isPresent()) {
                throw new NotAvailable(pool.write(before.number()) + (within.isEmpty() ? "" : " on " + within) + " is held by " + service + " (" + key
                        + ") and chosen by " + whose(chosen.get()) + " in the same order; choose another number there");
            }
            wanted.add(new Allocation(pool.name(), within, service, key, before.number()));
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
        Optional<Allocation> holder = wanted.holder(pool.name(), within, number)
                .or(() -> isKept(pool, within, key, number) ? Optional.empty() : numbers.holder(pool.name(), within, number).filter(other -> !leaving.contains(other.service())));
        if (holder.isPresent()) {
            throw new NotAvailable(pool.write(number) + (within.isEmpty() ? "" : " on " + within) + numbers.keptBy(holder.get()).map(draft -> " is kept by the draft " + draft + " for " + whose(holder.get()))
                    .orElseGet(() -> " is already in use by " + whose(holder.get())));
        }
        wanted.add(new Allocation(pool.name(), within, service, key, number));
        return number;
    }

    private String whose(Allocation allocation) {
        return allocation.service().equals(service) ? "another part of this service (" + allocation.key() + ")" : allocation.service();
    }

    /**
     * The chosen value, as the pool writes it, if it is in the pool and free.
     */
    public long choose(Pool pool, List<String> places, String key, String value) {
        return choose(pool, places, key, pool.form().read(value).orElseThrow(() ->
                new NotAvailable(value + " is not in the pool " + pool.name() + "; available: " + pool.extent())));
    }
}
