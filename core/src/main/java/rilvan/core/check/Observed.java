package rilvan.core.check;

import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;

/**
 * What was seen when a check was made.
 *
 * @param check what was looked for
 * @param observer the device it was looked from
 * @param target what was looked for, in words
 * @param proves how far it proves: to the handoff, or end to end
 * @param holds whether it was so
 * @param seen what was seen, in words
 * @param tells what else the observer told, by name
 * @param way the devices that a packet came through, there and back, in words; empty where that was not looked at
 */
public record Observed(Check check, String observer, String target, Proof proves, boolean holds, String seen, Map<String, String> tells, String way) {

    private static final int MOST_TOLD = 3;

    /** The same, with the way that a packet took. */
    public Observed along(String taken) {
        return new Observed(check, observer, target, proves, holds, seen, tells, taken);
    }

    private String inWords() {
        return "from " + observer + " to " + target + ": " + seen;
    }

    /** What is not as it must be among what was seen, in words; empty where all is. A few say enough. */
    public static String wrong(List<Observed> seen) {
        List<Observed> failing = seen.stream().filter(each -> !each.holds()).toList();
        return failing.stream().limit(MOST_TOLD).map(Observed::inWords).collect(Collectors.joining("; "))
                + (failing.size() > MOST_TOLD ? "; and " + (failing.size() - MOST_TOLD) + " more" : "");
    }

    /** How far an observation proves that a service works. What needs somebody at the other end who is not there yet proves nothing. */
    public enum Proof {
        AWAITED, TO_THE_HANDOFF, END_TO_END
    }
}
