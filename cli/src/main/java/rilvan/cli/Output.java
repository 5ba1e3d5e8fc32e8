package rilvan.cli;

import com.grack.nanojson.JsonWriter;
import java.util.Map;
import picocli.CommandLine.Option;

/** How an answer is shown: as text for people, or what the server said for programs. */
class Output {

    @Option(names = "--json", description = "What the server answers, for programs")
    private boolean json;

    boolean isForPrograms() {
        return json;
    }

    /** Shows a value as JSON if that was asked for. */
    boolean asJson(Object value) {
        if (json) {
            Terminal.say(JsonWriter.indent("  ").string().value(value).done());
        }
        return json;
    }

    /** Shows one of many values as a line of JSON if that was asked for. */
    boolean asLine(Object value) {
        if (json) {
            Terminal.say(JsonWriter.string(value));
        }
        return json;
    }

    /** Says to people what was done; to programs the same as an object, where the server answers nothing. */
    void done(Map<String, ?> what, String text) {
        if (!asJson(what)) {
            Terminal.say(text);
        }
    }

    /** Says something more to people. */
    void note(String text) {
        if (!json) {
            Terminal.say(text);
        }
    }
}
