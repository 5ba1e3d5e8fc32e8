package rilvan.core.check;

import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.document.PlainText;

/**
 * The result of a check.
 *
 * @param observer the device that was asked
 * @param target what the check is about, in words
 * @param covers how much of the service the check covers: to the handoff, or end to end
 * @param passed whether the check passed
 * @param value what was observed, in words
 * @param reported what else the observer reported, by name
 * @param path the devices that a packet passed, there and back, in words; empty where that was not asked
 */
public record Observed(Check check, String observer, String target, Coverage covers, boolean passed, String value, Map<String, String> reported, String path) {

    private static final int MOST_TOLD = 3;
    private static final int LONGEST_VALUE = 1_000;

    public Observed {
        value = PlainText.cleaned(value, LONGEST_VALUE);
        path = PlainText.cleaned(path, LONGEST_VALUE);
        Map<String, String> cleaned = new LinkedHashMap<>();
        reported.forEach((name, each) -> cleaned.put(name, PlainText.cleaned(each, LONGEST_VALUE)));
        reported = Collections.unmodifiableMap(cleaned);
    }

    /** The same result, with the path that a packet took. */
    public Observed along(String taken) {
        return new Observed(check, observer, target, covers, passed, value, reported, taken);
    }

    private String inWords() {
        return "from " + observer + " to " + target + ": " + value;
    }

    /** The failed checks among some results, in words: the first few, and how many more there are. Empty where all passed. */
    public static String failures(List<Observed> results) {
        List<Observed> failing = results.stream().filter(each -> !each.passed()).toList();
        return failing.stream().limit(MOST_TOLD).map(Observed::inWords).collect(Collectors.joining("; "))
                + (failing.size() > MOST_TOLD ? "; and " + (failing.size() - MOST_TOLD) + " more" : "");
    }

    /** How many checks passed, and how many say nothing of their service, in words; of results none of which has failed. */
    public static String passes(List<Observed> results) {
        long counting = results.stream().filter(each -> each.covers.counts()).count();
        return counting + (counting == 1 ? " check passed" : " checks passed")
                + Stream.of(Coverage.values()).filter(coverage -> !coverage.counts()).map(coverage -> Map.entry(coverage, results.stream().filter(each -> each.covers == coverage).count()))
                        .filter(each -> each.getValue() > 0).map(each -> ", " + each.getValue() + " " + each.getKey().words()).collect(Collectors.joining());
    }

    /** How much of a service a check covers. A check that needs a customer router which is not known yet, or still to be changed, covers nothing. */
    public enum Coverage {
        NOT_TESTABLE_YET, CUSTOMER_TO_FOLLOW, TO_THE_HANDOFF, END_TO_END;

        /** Whether the result says anything of the service. */
        public boolean counts() {
            return this == TO_THE_HANDOFF || this == END_TO_END;
        }

        public String words() {
            return name().toLowerCase(Locale.ROOT).replace('_', ' ');
        }
    }
}
