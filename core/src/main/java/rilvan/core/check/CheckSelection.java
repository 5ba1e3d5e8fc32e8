package rilvan.core.check;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;

/**
 * The checks that are made where there are many: what begins or ends on devices that change, and of the rest as many as make up
 * enough. So what a change of one place of a service costs does not grow with its other places.
 *
 * @param checks those that are made, in the order they were given
 * @param left how many are not made
 */
public record CheckSelection(List<Check> checks, int left) {

    /** As many as are made whatever changes. */
    public static final int ENOUGH = 200;

    public CheckSelection {
        checks = List.copyOf(checks);
    }

    public static CheckSelection of(List<Check> all, Set<String> devices) {
        long beside = Math.max(0, ENOUGH - all.stream().filter(check -> check.touches(devices)).count());
        List<Check> checks = new ArrayList<>();
        for (Check check : all) {
            if (check.touches(devices) || beside-- > 0) {
                checks.add(check);
            }
        }
        return new CheckSelection(checks, all.size() - checks.size());
    }
}
