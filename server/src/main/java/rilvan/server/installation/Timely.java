package rilvan.server.installation;

import java.time.Duration;
import java.util.Optional;

/** What is done again and again, and whether it is done in time. */
final class Timely {

    /** How much later than its interval something may be done before it counts as behind. */
    private static final int BEHIND_TIMES = 3;

    private Timely() {}

    /**
     * @param longest seconds since that was done which was done longest ago; absent where nothing was yet
     * @param beside what else there is to say
     */
    static Part part(String part, Optional<Long> longest, Duration interval, String beside, String command) {
        String found = longest.map(seconds -> "none was longer ago than " + Amount.time(seconds) + ", each is due every " + Amount.time(interval.toSeconds())).orElse("none yet") + "; " + beside;
        return longest.filter(seconds -> seconds > BEHIND_TIMES * interval.toSeconds()).isEmpty() ? Part.well(part, found)
                : Part.toBeLookedAt(part, found, "a device may be out of reach, or there is more to do than this machine can: " + command);
    }
}
