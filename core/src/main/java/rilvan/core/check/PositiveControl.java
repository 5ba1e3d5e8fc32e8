package rilvan.core.check;

import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.check.Observed.Coverage;

/**
 * That nothing gets through from a place proves something only where something else was seen to get through from there: a place that
 * is dead altogether keeps everything apart.
 */
public final class PositiveControl {

    /** What only a check that sends something has, the one or the other. */
    private static final List<String> SENDS = List.of("size", "beyond");

    private PositiveControl() {}

    /** What was seen, with what must not get through awaited where nothing else was seen to get out of there. */
    public static List<Observed> of(List<Observed> seen) {
        Set<String> alive = seen.stream().filter(each -> each.passed() && each.check().wanted() && sends(each.check()))
                .flatMap(each -> Stream.of(place(each.check().from()), place(each.check().to()))).collect(Collectors.toSet());
        return seen.stream().map(each -> each.check().wanted() || !each.passed() || !sends(each.check()) || alive.contains(place(each.check().from()))
                ? each : new Observed(each.check(), each.observer(), each.target(), Coverage.NOT_TESTABLE_YET, true,
                        each.value() + "; but nothing else gets through from there yet", each.reported(), each.path())).toList();
    }

    private static boolean sends(Check check) {
        return SENDS.stream().anyMatch(check.from()::containsKey);
    }

    private static String place(Map<String, Object> end) {
        return Stream.of("device", "port", "number", "vrf").map(end::get).filter(Objects::nonNull).map(String::valueOf).collect(Collectors.joining(" "));
    }
}
