package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.util.List;
import java.util.function.Function;
import picocli.CommandLine.Option;

/** How an answer is shown: a table for people, or what the server said for programs. */
final class Output {

    @Option(names = "--json", description = "What the server answers, for programs")
    private boolean json;

    /** Shows a value as JSON if that was asked for. */
    boolean asJson(Object value) {
        if (json) {
            Terminal.say(JsonWriter.indent("  ").string().value(value).done());
        }
        return json;
    }

    /** Says something more to people. */
    void note(String text) {
        if (!json) {
            Terminal.say(text);
        }
    }

    /** Shows a list, one row an item. */
    void list(JsonArray items, List<String> heading, Function<JsonObject, List<String>> row) {
        if (!asJson(items)) {
            Terminal.table(heading, items, row);
        }
    }
}
