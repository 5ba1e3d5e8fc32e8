package rilvan.server.api;

import java.lang.reflect.RecordComponent;
import java.util.Arrays;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.UnaryOperator;
import java.util.regex.MatchResult;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.server.orders.history.StepView;

/** Takes the names of others out of the texts of one answer, or of one stream; remembers which names are hidden. Not safe for several threads. */
final class NameMask {

    /** Words of streams of events, which are no names where they stand. */
    private static final Set<String> OURS = Stream.concat(Stream.of("event", "data", "step", "state"), Arrays.stream(StepView.class.getRecordComponents()).map(RecordComponent::getName))
            .collect(Collectors.toSet());

    /** What refusals repeat of what was asked for. It is the same whether there is none of that name or one that is hidden, and has to stay so. */
    private static final Pattern ECHO = Pattern.compile("there is no (?:service|tenant) named '[^']*'|the name '[^']*' cannot be used here");

    /** Whatever may be the name of a service. */
    private static final Pattern NAME = Pattern.compile("[a-z0-9](?:[a-z0-9-]*[a-z0-9])?");

    private final UnaryOperator<Set<String>> unknown;
    private final Map<String, Boolean> hidden = new HashMap<>();
    private final Set<String> unmet;
    /** Hidden tenants that texts have named, longer names first. */
    private final Map<String, Pattern> met = new TreeMap<>(Comparator.comparing(String::length).reversed().thenComparing(Comparator.naturalOrder()));

    /**
     * @param tenants those that are hidden
     * @param common names that everybody knows; who gives one of these to a service hides nothing with it
     * @param unknown finds among words the names of services that are hidden
     */
    NameMask(Collection<String> tenants, Collection<String> common, UnaryOperator<Set<String>> unknown) {
        this.unknown = unknown;
        this.unmet = new HashSet<>(tenants);
        OURS.forEach(word -> hidden.put(word, false));
        common.forEach(word -> hidden.put(word, false));
    }

    /** Finds out about all names in some texts at once. */
    void learn(Collection<String> texts) {
        Set<String> words = texts.stream().flatMap(text -> NAME.matcher(text).results()).map(MatchResult::group).filter(word -> !hidden.containsKey(word)).collect(Collectors.toSet());
        if (!words.isEmpty()) {
            Set<String> found = unknown.apply(words);
            words.forEach(word -> hidden.put(word, found.contains(word)));
        }
        String all = String.join("\n", texts);
        unmet.removeIf(name -> {
            String inJson = name.replace("\\", "\\\\").replace("\"", "\\\"");
            if (!all.contains(name) && !all.contains(inJson)) {
                return false;
            }
            met.put(name, Pattern.compile("(?<![\\p{L}\\p{N}])(?:" + Pattern.quote(name) + "|" + Pattern.quote(inJson) + ")(?![\\p{L}\\p{N}])"));
            return true;
        });
    }

    /** A text that was not learnt before. */
    String learnt(String text) {
        learn(Set.of(text));
        return masked(text);
    }

    /** A text whose names are known by {@link #learn}. */
    String masked(String text) {
        StringBuilder told = new StringBuilder();
        int from = 0;
        for (Matcher echo = ECHO.matcher(text); echo.find(); from = echo.end()) {
            told.append(names(text.substring(from, echo.start()))).append(echo.group());
        }
        return told.append(names(text.substring(from))).toString();
    }

    private String names(String text) {
        String masked = text;
        for (Pattern tenant : met.values()) {
            masked = tenant.matcher(masked).replaceAll(Sight.ANOTHER);
        }
        return NAME.matcher(masked).replaceAll(word -> hidden.getOrDefault(word.group(), false) ? Sight.ANOTHER : word.group());
    }
}
