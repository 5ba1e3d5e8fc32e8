package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "network", mixinStandardHelpOptions = true, description = "Loads the network document, compares links, sets credentials.")
final class NetworkCommands {

    @Command(name = "load", mixinStandardHelpOptions = true, description = "Loads a network document; it replaces the present one.",
            footer = {"", "Examples:", "  rilvan network load network.yaml"})
    int load(@Parameters(paramLabel = "FILE") String file, @Mixin Output output) throws IOException {
        JsonObject loaded = Server.signedIn().object("PUT", "/api/v1/network", Documents.read(file), Documents.YAML);
        output.done(loaded, loaded.getString("name") + ": " + loaded.getInt("devices") + " devices, " + loaded.getInt("links") + " links");
        return 0;
    }

    @Command(name = "links", mixinStandardHelpOptions = true,
            description = "Compares both ends of every link, as the devices report them now. Exits with 1 where the ends differ.",
            footer = {"", "Examples:", "  rilvan network links"})
    int links(@Mixin Output output) throws IOException {
        JsonArray links = Server.signedIn().look("/api/v1/network/checks");
        boolean good = links.stream().allMatch(each -> ((JsonObject) each).getArray("differences").isEmpty());
        if (output.asJson(links)) {
            return good ? 0 : 1;
        }
        for (Object each : links) {
            JsonObject link = (JsonObject) each;
            if (!link.getArray("differences").isEmpty()) {
                Terminal.say(Terminal.in(Terminal.Tone.BAD, link.getBoolean("up") ? "ends differ" : "down") + "  " + link.getString("a") + " to " + link.getString("b"));
                link.getArray("differences").forEach(difference -> Terminal.say("  " + difference));
            }
        }
        long differing = links.stream().filter(each -> !((JsonObject) each).getArray("differences").isEmpty()).count();
        Terminal.say(differing == 0 ? "all " + links.size() + " links are up and agree" : differing + " of " + links.size() + " links are down or differ");
        return good ? 0 : 1;
    }

    @Command(name = "credential", mixinStandardHelpOptions = true, description = "Sets a credential for signing in to devices; it is stored encrypted.",
            footer = {"", "Examples:", "  rilvan network credential devices --user rilvan --password-file -"})
    int credential(@Parameters(paramLabel = "NAME") String name,
            @Option(names = "--user", required = true, paramLabel = "USER", description = "User on the devices") String user,
            @Option(names = "--password-file", required = true, paramLabel = "FILE", description = "Password on the devices") String file, @Mixin Output output)
            throws IOException {
        String body = JsonWriter.string().object().value("user", user).value("password", Documents.read(file).strip()).end().done();
        JsonObject stored = Server.signedIn().object("PUT", "/api/v1/credentials/" + Texts.escape(name), body, Documents.JSON);
        output.done(stored, "credential '" + name + "' set");
        return 0;
    }
}
