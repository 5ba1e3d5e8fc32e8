package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "network", mixinStandardHelpOptions = true, description = "The network: devices, links and pools, and what to sign in with.")
final class NetworkCommands {

    @Command(name = "load", mixinStandardHelpOptions = true, description = "Loads a network document in place of the one before.")
    int load(@Parameters(paramLabel = "FILE") String file) throws IOException {
        JsonObject loaded = Server.signedIn().object("PUT", "/api/v1/network", Documents.read(file), Documents.YAML);
        Terminal.say(loaded.getString("name") + ": " + loaded.getInt("devices") + " devices, " + loaded.getInt("links") + " links");
        return 0;
    }

    @Command(name = "links", mixinStandardHelpOptions = true,
            description = "Compares the two ends of every link, as the devices tell now. Exits with 1 where something is not as it should be.")
    int links(@Mixin Output output) throws IOException {
        JsonArray links = Server.signedIn().look("/api/v1/network/checks");
        boolean good = links.stream().allMatch(each -> ((JsonObject) each).getArray("wrong").isEmpty());
        if (output.asJson(links)) {
            return good ? 0 : 1;
        }
        for (Object each : links) {
            JsonObject link = (JsonObject) each;
            if (!link.getArray("wrong").isEmpty()) {
                Terminal.say(Terminal.in(Terminal.Tone.BAD, link.getBoolean("up") ? "does not agree" : "down") + "  " + link.getString("a") + " to " + link.getString("b"));
                link.getArray("wrong").forEach(wrong -> Terminal.say("  " + wrong));
            }
        }
        long wrong = links.stream().filter(each -> !((JsonObject) each).getArray("wrong").isEmpty()).count();
        Terminal.say(wrong == 0 ? "all " + links.size() + " links are up, and their ends agree" : wrong + " of " + links.size() + " links are not as they should be");
        return good ? 0 : 1;
    }

    @Command(name = "credential", mixinStandardHelpOptions = true, description = "Sets what the service signs in to devices with; kept encrypted.")
    int credential(@Parameters(paramLabel = "NAME") String name,
            @Option(names = "--user", required = true, paramLabel = "USER", description = "User on the devices") String user,
            @Option(names = "--password-file", required = true, paramLabel = "FILE", description = "Password on the devices") String file)
            throws IOException {
        String body = JsonWriter.string().object().value("user", user).value("password", Documents.read(file).strip()).end().done();
        Server.signedIn().object("PUT", "/api/v1/credentials/" + Texts.escape(name), body, Documents.JSON);
        Terminal.say("the credential '" + name + "' is set");
        return 0;
    }
}
