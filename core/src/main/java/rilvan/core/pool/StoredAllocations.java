package rilvan.core.pool;

import java.util.List;
import java.util.Optional;
import java.util.Set;

/** What is taken from pools, as the allocation of a service sees it: a question to the store, changing nothing. */
public interface StoredAllocations {

    /** What the service holds already. */
    List<Allocation> heldBy(String service);

    /** Who holds a number, if anybody. */
    Optional<Allocation> holder(String pool, String within, long number);

    /** The draft that keeps a number for a service that does not have it yet; absent where the service itself holds it. */
    default Optional<String> keptBy(Allocation held) {
        return Optional.empty();
    }

    /** What is taken within a place, such as a port. */
    List<Allocation> takenWithin(String pool, String within);

    /** What is taken in all places whose names begin so. */
    List<Allocation> takenBelow(String pool, String beginning);

    /**
     * The lowest free number of a pool that is not among the given ones.
     *
     * @param excluded numbers promised to others already but not stored yet
     */
    Optional<Long> lowestFree(Pool pool, String within, Set<Long> excluded);
}
