package rilvan.core.address;

import java.util.List;
import java.util.TreeSet;

/** Numbers written as ranges, such as {@code 100-103,110}. */
public final class Ranges {

    private static final long WIDEST = 4_096;

    private Ranges() {}

    /**
     * The numbers that a text comes to, in order and without repetitions; none for an empty text.
     *
     * @throws IllegalArgumentException where a range is turned round or too wide
     */
    public static List<Long> numbers(String text) {
        TreeSet<Long> numbers = new TreeSet<>();
        for (String part : text.isEmpty() ? new String[0] : text.split(",")) {
            String[] ends = part.split("-");
            long from = Long.parseLong(ends[0]);
            long to = Long.parseLong(ends[ends.length - 1]);
            if (to < from || to - from > WIDEST) {
                throw new IllegalArgumentException("'" + part + "' is not a range; write the lower number first");
            }
            for (long number = from; number <= to; number++) {
                numbers.add(number);
            }
        }
        return List.copyOf(numbers);
    }
}
