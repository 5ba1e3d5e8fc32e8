package rilvan.core.dialect;

import java.util.List;
import java.util.regex.Pattern;

/**
 * How a family is spoken with over its command line.
 *
 * @param prompt matches the end of what has come when the device waits for a line, in any mode
 * @param more what the device writes when it waits for a key before it goes on; absent lines are then pulled with a blank
 * @param error matches a line that says what was typed is refused
 * @param begin lines that are typed first in every session
 * @param read shows the running configuration
 * @param readSaved shows the saved one
 * @param enter begins configuration
 * @param leave ends it
 * @param save makes the running configuration outlast a restart
 * @param session finds the session's id in what the device writes at sign-in, as its first group
 * @param end ends another session; {@code {}} stands for its id
 * @param unknown matches the refusal that says there is no such session
 */
public record CommandLine(Pattern prompt, String more, Pattern error, List<String> begin, String read, String readSaved, String enter,
        String leave, String save, Pattern session, String end, Pattern unknown) {

    /** Whether a text, shown by the device among other lines, would be taken for its prompt, its pager or an error. */
    public boolean isDisturbedBy(String text) {
        return !more.isEmpty() && text.contains(more.strip())
                || text.lines().anyMatch(line -> error.matcher(line.strip()).find() || prompt.matcher(line.strip()).matches() || prompt.matcher(line.strip() + " ").matches());
    }
}
