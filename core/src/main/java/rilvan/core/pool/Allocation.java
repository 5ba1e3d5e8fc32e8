package rilvan.core.pool;

/**
 * One number taken from a pool.
 *
 * @param pool the pool's name
 * @param within what the number is unique in, such as a port; empty for the whole network
 * @param service the service that holds it
 * @param key the place in the service it is for, such as {@code rd/haven-pe1}
 */
public record Allocation(String pool, String within, String service, String key, long number) {

    /** Whether it is taken in this place of this pool. */
    boolean isIn(String itsPool, String itsPlace) {
        return pool.equals(itsPool) && within.equals(itsPlace);
    }
}
