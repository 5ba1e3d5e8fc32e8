package rilvan.cli;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.Locale;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "lab", mixinStandardHelpOptions = true,
        description = "The simulated network itself, past the service: what devices really hold and do, and faults to arm.")
final class LabCommands {

    private static Server lab() {
        String address = System.getenv("RILVAN_LAB");
        return Server.anonymous(address != null ? address : "http://127.0.0.1:8831");
    }

    /** What a device can be made to refuse. */
    enum Step {
        LOCK, EDIT, VALIDATE, COMMIT, CONFIRM, SAVE
    }

    @Command(name = "ping", mixinStandardHelpOptions = true, description = "Pings an address from a device. Exits with 1 where no answer comes.")
    int ping(@Parameters(paramLabel = "DEVICE") String from, @Parameters(paramLabel = "ADDRESS") String to,
            @Option(names = "--vrf", paramLabel = "NAME", defaultValue = "", description = "Send in this VRF") String vrf) throws IOException {
        String body = JsonWriter.string().object().value("from", from).value("to", to).value("vrf", vrf).end().done();
        JsonObject answer = lab().object("POST", "/ping", body, Documents.JSON);
        Terminal.say(from + " to " + to + ": " + (answer.getBoolean("answered") ? "answered" : "no answer (" + answer.getString("reason") + ")"));
        return answer.getBoolean("answered") ? 0 : 1;
    }

    @Command(name = "running", mixinStandardHelpOptions = true, description = "What a device holds, byte for byte.")
    int running(@Parameters(paramLabel = "DEVICE") String device) throws IOException {
        Terminal.OUT.print(lab().text("GET", "/devices/" + Texts.escape(device) + "/running", null, null));
        return 0;
    }

    @Command(name = "host-keys", mixinStandardHelpOptions = true, description = "Fingerprints of the devices' host keys.")
    int hostKeys() throws IOException {
        Terminal.OUT.print(lab().text("GET", "/host-keys", null, null));
        return 0;
    }

    @Command(name = "refuse", mixinStandardHelpOptions = true, description = "Makes a device refuse its next step of a kind, once.")
    int refuse(@Parameters(paramLabel = "DEVICE") String device,
            @Parameters(paramLabel = "STEP", description = "lock, edit, validate, commit, confirm or save") Step step,
            @Option(names = "--message", paramLabel = "TEXT", defaultValue = "refused by the lab", description = "What the device says") String message,
            @Option(names = "--path", paramLabel = "NODE", defaultValue = "", description = "The node it complains of") String path) throws IOException {
        arm(device, JsonWriter.string().object().value("step", step.name()).value("message", message).value("path", path).end().done());
        Terminal.say(device + " will refuse its next " + step.name().toLowerCase(Locale.ROOT));
        return 0;
    }

    @Command(name = "lose", mixinStandardHelpOptions = true, description = "Makes a device go out of reach at its next step of a kind, without a word.")
    int lose(@Parameters(paramLabel = "DEVICE") String device,
            @Parameters(paramLabel = "STEP", description = "lock, edit, validate, commit, confirm or save") Step step,
            @Option(names = "--seconds", paramLabel = "N", defaultValue = "5", description = "for so long (${DEFAULT-VALUE})") int seconds) throws IOException {
        arm(device, JsonWriter.string().object().value("step", step.name()).value("away", seconds).end().done());
        Terminal.say(device + " will be lost at its next " + step.name().toLowerCase(Locale.ROOT) + ", for " + seconds + " seconds");
        return 0;
    }

    @Command(name = "type", mixinStandardHelpOptions = true,
            description = "Somebody types on a device itself, past the service: configuration in the device's own syntax.")
    int type(@Parameters(paramLabel = "DEVICE") String device,
            @Parameters(paramLabel = "FILE", description = "What is typed; - reads standard input") String file) throws IOException {
        lab().text("POST", "/devices/" + Texts.escape(device) + "/typed", Documents.read(file), Documents.YAML);
        Terminal.say("typed on " + device);
        return 0;
    }

    @Command(name = "mend", mixinStandardHelpOptions = true, description = "Ends all faults of a device, armed or under way.")
    int mend(@Parameters(paramLabel = "DEVICE") String device) throws IOException {
        lab().text("DELETE", "/devices/" + Texts.escape(device) + "/faults", null, null);
        Terminal.say(device + " has no faults any more");
        return 0;
    }

    private static void arm(String device, String fault) throws IOException {
        lab().text("POST", "/devices/" + Texts.escape(device) + "/faults", fault, Documents.JSON);
    }
}
