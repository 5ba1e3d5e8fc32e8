package rilvan.cli;

import com.grack.nanojson.JsonObject;
import java.io.IOException;
import java.util.List;
import java.util.Map;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

@Command(name = "key", mixinStandardHelpOptions = true, description = {"The keys that open the store: one, or two while the key files of the instances are changed.",
    "A key is told by its name, twelve hexadecimal digits; the key itself never leaves its file."},
        footer = {"", "Examples:", "  rilvan key list", "  rilvan key add", "  rilvan key remove 3f0c9a71be24"})
final class KeyCommands {

    private static final String KEYS = "/api/v1/keys";
    private static final List<String> HEADING = List.of("KEY", "SINCE", "IN THE KEY FILE OF");

    @Command(name = "list", mixinStandardHelpOptions = true, description = "The keys that open the store, and which instances have each in their key file.",
            footer = {"", "Examples:", "  rilvan key list"})
    int list(@Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().firstPage(KEYS), HEADING, key -> List.of(key.getString("name"), Texts.time(key.getString("since")),
                key.getArray("instances").isEmpty() ? "none" : Texts.join(key.getArray("instances"))));
        return 0;
    }

    @Command(name = "add", mixinStandardHelpOptions = true, description = {"Lets another key open the store as well: that in the file beside the key file of the instance",
        "that is asked, under the same name with .next."},
            footer = {"", "Examples:", "  rilvan key add"})
    int add(@Mixin Output output) throws IOException {
        JsonObject key = Server.signedIn().object("POST", KEYS, "", Documents.JSON);
        if (!output.asJson(key)) {
            Terminal.say("the key " + key.getString("name") + " opens the store as well; put it in the place of the key file at each instance, and then remove the former one");
        }
        return 0;
    }

    @Command(name = "remove", mixinStandardHelpOptions = true, description = "Lets a key open the store no more, when each instance has the other one in its key file.",
            footer = {"", "Examples:", "  rilvan key remove 3f0c9a71be24"})
    int remove(@Parameters(paramLabel = "KEY", description = "Its name, as key list shows it") String name, @Mixin Output output) throws IOException {
        Server.signedIn().text("DELETE", KEYS + "/" + Texts.escape(name), null, null);
        output.done(Map.of("removed", name), "the key " + name + " opens the store no more; backups from before need it still");
        return 0;
    }
}
