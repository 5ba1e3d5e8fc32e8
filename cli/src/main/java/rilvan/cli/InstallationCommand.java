package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.io.IOException;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

@Command(name = "installation", mixinStandardHelpOptions = true, description = {"Whether the installation itself is well: instances, store, orders that take long, what is behind its time,",
    "what ends soon. Exits with 1 where a part is bad."}, footer = {"", "Examples:", "  rilvan installation", "  rilvan installation --columns part,state"})
final class InstallationCommand implements Callable<Integer> {

    private static final List<String> HEADING = List.of("PART", "STATE", "FOUND", "TO DO");

    @Mixin
    private ListOutput output;

    @Override
    public Integer call() throws IOException {
        JsonArray parts = Server.signedIn().firstPage("/api/v1/installation");
        output.list(parts, HEADING, InstallationCommand::row);
        return parts.stream().anyMatch(part -> ((JsonObject) part).getString("condition").equals("BAD")) ? Failure.FAILED : 0;
    }

    private static List<String> row(JsonObject part) {
        String condition = part.getString("condition");
        return List.of(part.getString("part"), condition.equals("WELL") ? "well" : Terminal.in(Terminal.Tone.BAD, Texts.words(condition)), part.getString("found"), part.getString("advice"));
    }
}
