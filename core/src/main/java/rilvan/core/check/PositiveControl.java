package rilvan.core.check;

import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.check.Observed.Coverage;

/**
 * A check that nothing gets through from a port counts only if another check shows that something does: a port that is down blocks
 * everything.
 */
public final class PositiveControl {

    /** Fields that only a check which sends packets or frames has; one of them is enough. */
    private static final List<String> SENDS = List.of("size", "beyond");

    private PositiveControl() {}

    /** What was seen, in which a check that must not get through is not testable yet where nothing else gets through from its place. */
    public static List<Observed> of(List<Observed> seen) {
        Set<String> alive = seen.stream().filter(each -> each.passed() && each.check().wanted() && sends(each.check()))
                .flatMap(each -> Stream.of(place(each.check().from()), place(each.check().to()))).collect(Collectors.toSet());
        return seen.stream().map(each -> each.check().wanted() || !each.passed() || !sends(each.check()) || alive.contains(place(each.check().from()))
                ? each : new Observed(each.check(), each.observer(), each.target(), Coverage.NOT_TESTABLE_YET, true,
                        each.value() + "; but nothing else is forwarded from there yet", each.reported(), each.path())).toList();
    }

    private static boolean sends(Check check) {
        return SENDS.stream().anyMatch(check.from()::containsKey);
    }

    private static String place(Map<String, Object> end) {
        return Stream.of("device", "port", "number", "vrf").map(end::get).filter(Objects::nonNull).map(String::valueOf).collect(Collectors.joining(" "));
    }
}
