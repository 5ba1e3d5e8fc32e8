package rilvan.cli;

import java.time.DateTimeException;
import java.time.LocalDateTime;
import java.time.OffsetDateTime;
import java.time.ZoneId;
import java.util.LinkedHashMap;
import java.util.Map;
import picocli.CommandLine.Option;

/** When an order is to begin. */
final class TimingOptions {

    @Option(names = "--at", paramLabel = "TIME", description = "Not before this time: 2026-12-01T02:00 here, or with an offset")
    private String at;

    @Option(names = "--in-window", description = "Within maintenance windows of all sites that it changes")
    private boolean inWindow;

    @Option(names = "--until", paramLabel = "TIME", description = "Not after this time; an hour after --at where it is left out")
    private String until;

    @Option(names = "--urgent", description = "Ahead of freezes and of an emergency stop, once another person has agreed to it")
    private boolean urgent;

    /** The fields that say so; none where it begins at once. */
    Map<String, Object> said() {
        if (at != null && inWindow) {
            throw new Failure(Failure.REFUSED, "--at and --in-window are two ways to say when it begins; leave one out");
        }
        Map<String, Object> said = new LinkedHashMap<>();
        if (at != null) {
            said.put("start", time("--at", at));
        }
        if (inWindow) {
            said.put("start", "window");
        }
        if (until != null) {
            said.put("startBy", time("--until", until));
        }
        if (urgent) {
            said.put("urgent", true);
        }
        return said;
    }

    /** A time without an offset is one of this terminal's time zone. */
    static String time(String option, String text) {
        try {
            return OffsetDateTime.parse(text).toString();
        } catch (DateTimeException e) {
            try {
                return LocalDateTime.parse(text).atZone(ZoneId.systemDefault()).toOffsetDateTime().toString();
            } catch (DateTimeException none) {
                throw new Failure(Failure.REFUSED, option + ": '" + text + "' is no time; expected one such as 2026-12-01T02:00, or with its offset, such as 2026-12-01T02:00+01:00");
            }
        }
    }
}
