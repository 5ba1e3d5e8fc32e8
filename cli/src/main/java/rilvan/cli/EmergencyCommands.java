package rilvan.cli;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.Map;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import rilvan.cli.Terminal.Tone;

@Command(name = "emergency", mixinStandardHelpOptions = true, description = {"The emergency stop: no order begins, anywhere, until it is released.",
    "What is under way ends as it would, or rolls back, as chosen; what is decided is completed."},
        footer = {"", "Examples:", "  rilvan emergency stop --reason 'smoke in the data hall' --roll-back", "  rilvan emergency release"})
final class EmergencyCommands {

    private static final String STOP = "/api/v1/emergency-stop";

    @Command(name = "show", mixinStandardHelpOptions = true, description = "Says whether everything is stopped.",
            footer = {"", "Examples:", "  rilvan emergency show"})
    int show(@Mixin Output output) throws IOException {
        JsonObject stop = Server.signedIn().get(STOP);
        if (!output.asJson(stop)) {
            Terminal.say(inWords(stop));
        }
        return 0;
    }

    private static String inWords(JsonObject stop) {
        return !stop.getBoolean("stopped") ? "nothing is stopped" : Terminal.in(Tone.BAD, "everything is stopped") + " by " + stop.getString("by") + " since " + Texts.time(stop.getString("at")) + ": " + stop.getString("reason")
                + (stop.getBoolean("rollsBack") ? "; what was under way was told to roll back" : "; what was under way ends as it would");
    }

    @Command(name = "stop", mixinStandardHelpOptions = true, description = "Stops everything.",
            footer = {"", "Examples:", "  rilvan emergency stop --reason 'smoke in the data hall'", "  rilvan emergency stop --reason 'wrong customer' --roll-back"})
    int stop(@Option(names = "--reason", required = true, paramLabel = "TEXT", description = "Why; whoever is kept back is told") String reason,
            @Option(names = "--roll-back", description = "Orders under way roll back, those that are not decided; otherwise they end as they would") boolean rollsBack, @Mixin Output output) throws IOException {
        JsonObject stop = Server.signedIn().put(STOP, JsonWriter.string(Map.of("reason", reason, "rollsBack", rollsBack)), Map.of());
        output.done(stop, inWords(stop));
        return 0;
    }

    @Command(name = "release", mixinStandardHelpOptions = true, description = "Lets orders begin again: those that wait do, those in time.",
            footer = {"", "Examples:", "  rilvan emergency release"})
    int release(@Mixin Output output) throws IOException {
        Server.signedIn().text("DELETE", STOP, null, null);
        output.done(Map.of("released", true), "orders begin again");
        return 0;
    }
}
