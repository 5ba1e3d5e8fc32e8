package rilvan.core.schema;

import java.util.ArrayList;
import java.util.List;

/**
 * A line of a table: what it says, and how deep it stands.
 *
 * @param number counted from 1, for messages
 * @param depth levels of indentation, two blanks each
 */
record TableLine(int number, int depth, String content) {

    /** The lines of a table that say something; blank ones and those that start with {@code #} do not. */
    static List<TableLine> of(String text) {
        List<TableLine> lines = new ArrayList<>();
        int number = 0;
        for (String line : text.split("\n")) {
            number++;
            String content = line.strip();
            if (!content.isEmpty() && !content.startsWith("#")) {
                lines.add(new TableLine(number, (line.length() - line.stripLeading().length()) / 2, content));
            }
        }
        return lines;
    }
}
