package rilvan.core.pool;

/**
 * A number, whoever holds it.
 *
 * @param within what the number is unique in, as {@link Allocation#within}
 */
public record Slot(String pool, String within, long number) {

    public static Slot of(Allocation allocation) {
        return new Slot(allocation.pool(), allocation.within(), allocation.number());
    }
}
