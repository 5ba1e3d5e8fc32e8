package rilvan.core.check;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import rilvan.core.network.Network.End;
import rilvan.core.network.Network.Link;

/**
 * A link as its two ends see it.
 *
 * @param wrong what does not agree, or is not as the network document says, in words; empty where all is well
 */
public record LinkState(Link link, boolean up, List<String> wrong) {

    /** What {@code port} tells of the other end; everything else it tells is the same at both ends of a link that works. */
    private static final String NEIGHBOUR = "neighbour";

    /** The check to make at one end. */
    public static Check check(End end, End far) {
        return check("port", end, far);
    }

    private static Check check(String observation, End end, End far) {
        return new Check("", observation, true, Map.of("device", end.device(), "port", end.port()), Map.of("device", far.device(), "port", far.port()));
    }

    /**
     * Compares what was seen at both ends.
     *
     * @param handoff whether one end is a customer's: then only the ports count, since what is on them is up to services
     */
    public static LinkState of(Link link, Observed a, Observed b, boolean handoff) {
        List<String> wrong = new ArrayList<>();
        Map<End, Observed> ends = new LinkedHashMap<>();
        ends.put(link.a(), a);
        ends.put(link.b(), b);
        ends.forEach((end, seen) -> {
            String expected = name(end.equals(link.a()) ? link.b() : link.a());
            String heard = seen.reported().getOrDefault(NEIGHBOUR, "");
            if (!seen.passed()) {
                wrong.add(name(end) + " is " + seen.value());
            } else if (!heard.equals(expected)) {
                wrong.add(name(end) + " hears " + (heard.isEmpty() ? "nobody" : heard) + " and not " + expected);
            }
        });
        boolean up = wrong.isEmpty();
        a.reported().forEach((what, here) -> {
            String there = b.reported().getOrDefault(what, "");
            if (!handoff && !what.equals(NEIGHBOUR) && !here.equals(there)) {
                wrong.add(what + " is " + said(here) + " at " + name(link.a()) + " and " + said(there) + " at " + name(link.b()));
            }
        });
        return new LinkState(link, up, wrong);
    }

    /** The link as a check of nobody's that was made, seen from its first end. */
    public Observed asObserved() {
        return new Observed(check("link", link.a(), link.b()), link.a().device(), link.b().device(), Observed.Coverage.TO_THE_HANDOFF, wrong.isEmpty(),
                String.join(", ", wrong), Map.of(), "");
    }

    private static String name(End end) {
        return end.device() + " " + end.port();
    }

    private static String said(String value) {
        return value.isEmpty() ? "none" : value;
    }
}
