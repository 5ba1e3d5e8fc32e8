package rilvan.cli;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** Whether an order is carried out in stages, or device by device, and how. */
final class StageOptions {

    private static final Pattern PAUSE = Pattern.compile("(\\d{1,7})([smh])");
    private static final Map<String, Long> SECONDS = Map.of("s", 1L, "m", 60L, "h", 3600L);

    @Mixin
    private StageParts parts = new StageParts();

    @Option(names = "--pause", paramLabel = "TIME", description = "How long after a stage the next begins: 30s, 10m, 2h")
    private String pause;

    @Option(names = "--after-failure", paramLabel = "keep|undo", description = "What becomes of earlier stages where one fails; they are kept unless this says undo")
    private String afterFailure;

    @Option(names = "--one-by-one", description = "One device changes after another, instead of side by side")
    private boolean oneByOne;

    /** Which stages there are. */
    StageParts parts() {
        return parts;
    }

    /** The fields that say so; none where it is all at once. */
    Map<String, Object> said() {
        Map<String, Object> said = new LinkedHashMap<>(parts.said());
        if (pause != null) {
            said.put("pause", seconds(pause));
        }
        if (afterFailure != null) {
            said.put("afterFailure", afterFailure);
        }
        if (oneByOne) {
            said.put("oneByOne", true);
        }
        return said;
    }

    /** The same as parameters of a query. */
    Map<String, Object> query() {
        Map<String, Object> query = new LinkedHashMap<>(said());
        query.putAll(parts.query());
        return query;
    }

    private static long seconds(String text) {
        Matcher pause = PAUSE.matcher(text);
        if (!pause.matches()) {
            throw new Failure(Failure.REFUSED, "--pause: '" + text + "' is no time; expected one such as 30s, 10m or 2h");
        }
        return Long.parseLong(pause.group(1)) * SECONDS.get(pause.group(2));
    }
}
