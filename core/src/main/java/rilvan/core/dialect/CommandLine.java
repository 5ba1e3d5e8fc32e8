package rilvan.core.dialect;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;

/**
 * How a family is spoken with over its command line.
 *
 * @param prompt matches the end of what has come when the device waits for a line, in any mode
 * @param more what the device writes when it waits for a key before it goes on; absent lines are then pulled with a blank
 * @param error matches a line that says what was typed is refused
 * @param warning matches such a line that only warns; absent where the device has none
 * @param asks by what the device asks back before its next prompt, what is answered
 * @param begin lines that are typed first in every session
 * @param read shows the running configuration
 * @param readSaved shows the saved one; absent where the device shows none
 * @param enter begins configuration
 * @param leave ends it
 * @param save makes the running configuration outlast a restart
 * @param sessions how sessions are told apart and ended; absent where the device does not number them
 */
public record CommandLine(Pattern prompt, String more, Pattern error, Optional<Pattern> warning, Map<String, String> asks, List<String> begin, String read, Optional<String> readSaved, String enter,
        String leave, String save, Optional<Sessions> sessions) {

    /**
     * Sessions that have numbers.
     *
     * @param number finds the session's own number in what the device writes at sign-in, as its first group
     * @param end ends another session; {@code {}} stands for its number
     * @param unknown matches the refusal that says there is no such session
     */
    public record Sessions(Pattern number, String end, Pattern unknown) {}

    /** Whether a text, shown by the device among other lines, would be taken for its prompt, its pager, a question or an error. */
    public boolean isDisturbedBy(String text) {
        return !more.isEmpty() && text.contains(more.strip()) || asks.keySet().stream().anyMatch(question -> text.contains(question.strip()))
                || text.lines().anyMatch(line -> error.matcher(line.strip()).find() || prompt.matcher(line.strip()).matches() || prompt.matcher(line.strip() + " ").matches());
    }

    /** What devices of the family cannot do that others can, and what follows from it: sentences without their end, behind the names of devices. */
    public List<String> limits() {
        List<String> limits = new ArrayList<>();
        if (sessions.isEmpty()) {
            limits.add("sessions have no numbers, so that a lost one cannot be ended; whoever takes over the order waits until it must have ended, then reads");
        }
        if (readSaved.isEmpty()) {
            limits.add("what is saved is not shown, so that saving is not verified");
        }
        return limits;
    }
}
