package rilvan.cli;

import com.grack.nanojson.JsonObject;
import java.io.IOException;
import java.util.List;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

@Command(name = "model", mixinStandardHelpOptions = true, description = "Service models: what can be ordered.")
final class ModelCommands {

    @Command(name = "list", mixinStandardHelpOptions = true, description = "All models.")
    int list(@Mixin Output output) throws IOException {
        output.list(Server.signedIn().list("/api/v1/models"), List.of("MODEL", "VERSION", "TITLE"), model ->
                List.of(model.getString("name"), Integer.toString(model.getInt("version")), model.getString("title")));
        return 0;
    }

    @Command(name = "show", mixinStandardHelpOptions = true, description = "A model as its author wrote it.")
    int show(@Parameters(paramLabel = "MODEL") String name, @Mixin Output output) throws IOException {
        JsonObject model = Server.signedIn().get("/api/v1/models/" + Texts.escape(name));
        if (!output.asJson(model)) {
            Terminal.copy(model.getString("source"));
        }
        return 0;
    }
}
