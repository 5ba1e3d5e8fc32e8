package rilvan.core.schema;

import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Optional;
import rilvan.core.schema.SchemaTable.MalformedTable;

/**
 * A line of a table: its text, and its depth.
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

    /**
     * What this line stands in, of the lines above it that are still open, the innermost first; those that end here are taken off.
     *
     * @throws MalformedTable where it is too deep
     */
    <T> Optional<T> parent(Deque<T> open) {
        if (depth > open.size()) {
            throw new MalformedTable(number, "indented deeper than one level below the line above");
        }
        while (open.size() > depth) {
            open.pop();
        }
        return Optional.ofNullable(open.peek());
    }
}
