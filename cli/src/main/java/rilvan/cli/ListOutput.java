package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.util.List;
import java.util.Locale;
import java.util.function.Function;
import java.util.stream.Collectors;
import picocli.CommandLine.Option;

/** How a list is shown: a table with all columns or some, or what the server said for programs. */
final class ListOutput extends Output {

    @Option(names = "--columns", split = ",", paramLabel = "COLUMN", description = "Only these columns, in this order, by their headings")
    private List<String> columns;

    @Option(names = "--csv", description = "As comma-separated values (RFC 4180)")
    private boolean csv;

    @Override
    void note(String text) {
        if (!csv) {
            super.note(text);
        }
    }

    /** Shows a list, one row an item; where there is none, what this means. */
    void list(JsonArray items, String none, List<String> heading, Function<JsonObject, List<String>> row) {
        if (items.isEmpty() && !isForPrograms() && !csv) {
            Terminal.say(none);
        } else {
            list(items, heading, row);
        }
    }

    /** Shows a list, one row an item. */
    void list(JsonArray items, List<String> heading, Function<JsonObject, List<String>> row) {
        List<Integer> places = (columns == null ? heading : columns).stream().map(column -> place(column, heading)).toList();
        Function<JsonObject, List<String>> shown = item -> {
            List<String> cells = row.apply(item);
            return places.stream().map(cells::get).toList();
        };
        List<String> headings = places.stream().map(heading::get).toList();
        if (asJson(items)) {
            return;
        }
        if (csv) {
            Terminal.say(separated(headings));
            items.forEach(item -> Terminal.say(separated(shown.apply((JsonObject) item))));
        } else {
            Terminal.table(headings, items, shown);
        }
    }

    /** A record (RFC 4180 §2): what could be taken for the end of a cell is within quotation marks. */
    private static String separated(List<String> cells) {
        return cells.stream().map(cell -> cell.matches("[^\",\\r\\n]*") ? cell : '"' + cell.replace("\"", "\"\"") + '"').collect(Collectors.joining(","));
    }

    private static int place(String column, List<String> heading) {
        int place = heading.indexOf(column.strip().toUpperCase(Locale.ROOT).replace('-', ' '));
        if (place < 0) {
            throw new Failure(Failure.USAGE, "there is no column '" + column + "'; available: " + String.join(", ", heading));
        }
        return place;
    }
}
