package rilvan.core.draft;

import java.util.Optional;

/**
 * One value that is another one afterwards.
 *
 * @param at the names of the fields that lead to it, with {@code /} between; an item of a list is named by its own name: {@code parameters/sites/haven/rate}
 * @param before absent where it was not there
 * @param after absent where it is there no more
 */
public record ValueChange(String at, Optional<Object> before, Optional<Object> after) {

    /** Whether two changes are about the same value, or one about a part of what the other is about. */
    boolean meets(ValueChange other) {
        return (at + "/").startsWith(other.at + "/") || (other.at + "/").startsWith(at + "/");
    }
}
