package rilvan.core.plan;

import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.address.Tags;
import rilvan.core.check.Check;
import rilvan.core.check.CheckSelection;
import rilvan.core.model.Clause;
import rilvan.core.model.Expansion;

/**
 * What the checks of an order show, and what they do not.
 *
 * @param checks those that are run
 * @param left how many of the services' checks are not run
 * @param places the circuits and attachments of the services: where a customer's frames or packets enter
 * @param uncovered the places that no check of their service begins or ends at, in words
 */
public record PlaceCoverage(List<Check> checks, int left, int places, List<String> uncovered) {

    private static final int MOST_NAMED = 5;

    /** A part of a port, by its number. */
    private record Place(String device, String port, String number) {

        String inWords() {
            return device + " " + port + " " + Tags.write(Long.parseLong(number));
        }
    }

    static PlaceCoverage of(List<Expansion> expansions, Set<String> devices) {
        CheckSelection selection = CheckSelection.of(expansions.stream().flatMap(each -> each.checks().stream()).toList(), devices);
        Set<String> uncovered = new TreeSet<>();
        int places = 0;
        for (Expansion expansion : expansions) {
            List<Place> all = places(expansion.clauses());
            places += all.size();
            uncovered(all, expansion.checks()).forEach(place -> uncovered.add(place.inWords()));
        }
        return new PlaceCoverage(selection.checks(), selection.left(), places, List.copyOf(uncovered));
    }

    private static List<Place> places(List<Clause> clauses) {
        Set<Place> places = new HashSet<>();
        for (Clause clause : clauses) {
            if (clause.says().get("match") instanceof Map<?, ?> match && match.get("number") instanceof String number && clause.says().get("port") instanceof String port) {
                places.add(new Place(clause.device(), port, number));
            }
        }
        return List.copyOf(places);
    }

    private static List<Place> uncovered(List<Place> places, List<Check> checks) {
        Set<Place> seen = new HashSet<>();
        Set<String> ports = new HashSet<>();
        for (Check check : checks) {
            if (check.wanted()) {
                Stream.of(check.from(), check.to()).forEach(end -> end(end).ifPresent(place -> {
                    if (place.number().isEmpty()) {
                        ports.add(place.device() + " " + place.port());
                    } else {
                        seen.add(place);
                    }
                }));
            }
        }
        return places.stream().filter(place -> !seen.contains(place) && !ports.contains(place.device() + " " + place.port())).toList();
    }

    private static Optional<Place> end(Map<String, Object> end) {
        Object port = end.containsKey("port") ? end.get("port") : end.get("behind");
        return end.get("device") instanceof String device && port instanceof String name
                ? Optional.of(new Place(device, name, end.get("number") instanceof String number ? number : "")) : Optional.empty();
    }

    /** How many checks there are, how many of them are run, and which places have none. */
    public String inWords() {
        int all = size();
        if (all == 0) {
            return "No check covers these services.";
        }
        return (left == 0 ? (all == 1 ? "1 check is run" : all + " checks are run")
                : "Of " + all + " checks, " + checks.size() + " are run: all that begin or end on devices that change, and some of the others")
                + (places == 0 ? "." : uncovered.isEmpty() ? "; every place has at least one." : "; no check covers " + Plan.named(uncovered, MOST_NAMED) + ".");
    }

    /** How many checks there are. */
    public int size() {
        return checks.size() + left;
    }

    /** What the checks that are run do not show: checks that are not run, and places without any; empty where there is neither. */
    public String gaps() {
        return Stream.of(left == 0 ? "" : left + " not run", uncovered.isEmpty() ? "" : "no check covers " + Plan.named(uncovered, MOST_NAMED)).filter(each -> !each.isEmpty())
                .collect(Collectors.joining("; "));
    }
}
