package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonStringWriter;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.Locale;
import java.util.Optional;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "lab", mixinStandardHelpOptions = true,
        description = "The simulated network itself, without the service: what devices really hold and do, and faults.")
final class LabCommands {

    private static Server lab() {
        String address = System.getenv("RILVAN_LAB");
        return Server.anonymous(address != null ? address : "http://127.0.0.1:8831", Optional.empty());
    }

    private static final String STEPS = "sign-in, lock, edit, validate, commit, confirm, cancel or save";

    /** The steps at which a fault can strike. */
    enum FaultPoint {
        SIGN_IN, LOCK, EDIT, VALIDATE, COMMIT, CONFIRM, CANCEL, SAVE;

        @Override
        public String toString() {
            return name().toLowerCase(Locale.ROOT).replace('_', '-');
        }
    }

    @Command(name = "ping", mixinStandardHelpOptions = true, description = "Pings an address from a device. Exits with 1 where no answer comes.",
            footer = {"", "Examples:", "  rilvan lab ping tidewater-skerry tidewater-haven"})
    int ping(@Parameters(paramLabel = "DEVICE") String from, @Parameters(paramLabel = "ADDRESS") String to,
            @Option(names = "--vrf", paramLabel = "NAME", defaultValue = "", description = "Send in this VRF") String vrf) throws IOException {
        String body = JsonWriter.string().object().value("from", from).value("to", to).value("vrf", vrf).end().done();
        JsonObject answer = lab().object("POST", "/ping", body, Documents.JSON);
        Terminal.say(from + " to " + to + ": " + (answer.getBoolean("answered") ? "answered" : "no answer (" + answer.getString("reason") + ")"));
        return answer.getBoolean("answered") ? 0 : 1;
    }

    @Command(name = "trace", mixinStandardHelpOptions = true,
            description = "Follows a packet from a device to an address, and the answer back. Exits with 1 where it does not come back.",
            footer = {"", "Examples:", "  rilvan lab trace tidewater-skerry tidewater-haven"})
    int trace(@Parameters(paramLabel = "DEVICE") String from, @Parameters(paramLabel = "ADDRESS") String to,
            @Option(names = "--vrf", paramLabel = "NAME", defaultValue = "", description = "Send in this VRF") String vrf) throws IOException {
        String body = JsonWriter.string().object().value("from", from).value("to", to).value("vrf", vrf).end().done();
        JsonObject answer = lab().object("POST", "/trace", body, Documents.JSON);
        way("there", answer.getArray("there"));
        way("back", answer.getArray("back"));
        String lost = answer.getString("lost");
        if (!lost.isEmpty()) {
            Terminal.say("lost   " + lost);
        }
        return lost.isEmpty() ? 0 : 1;
    }

    private static void way(String word, JsonArray hops) {
        if (!hops.isEmpty()) {
            Terminal.say(String.format("%-7s", word) + String.join(", ", hops.stream().map(String::valueOf).toList()));
        }
    }

    @Command(name = "running", mixinStandardHelpOptions = true, description = "Prints what a device holds, byte for byte.",
            footer = {"", "Examples:", "  rilvan lab running haven-pe1"})
    int running(@Parameters(paramLabel = "DEVICE") String device) throws IOException {
        Terminal.copy(lab().text("GET", "/devices/" + Texts.escape(device) + "/running", null, null));
        return 0;
    }

    @Command(name = "host-keys", mixinStandardHelpOptions = true, description = "Prints the fingerprints of the devices' host keys.",
            footer = {"", "Examples:", "  rilvan lab host-keys"})
    int hostKeys() throws IOException {
        Terminal.copy(lab().text("GET", "/host-keys", null, null));
        return 0;
    }

    @Command(name = "refuse", mixinStandardHelpOptions = true, description = "Makes a device refuse its next step of a kind, once or for a while.",
            footer = {"", "Examples:", "  rilvan lab refuse haven-pe1 commit"})
    int refuse(@Parameters(paramLabel = "DEVICE") String device,
            @Parameters(paramLabel = "STEP", description = STEPS) FaultPoint step,
            @Option(names = "--message", paramLabel = "TEXT", defaultValue = "refused by the lab", description = "What the device says") String message,
            @Option(names = "--path", paramLabel = "NODE", defaultValue = "", description = "The node that the error names") String path,
            @Option(names = "--during", paramLabel = "N", defaultValue = "0", description = "Every time, for N seconds") int during) throws IOException {
        arm(device, fault("refuse", step).value("message", message).value("path", path).value("during", during));
        Terminal.say(device + " will refuse " + next(step, during));
        return 0;
    }

    @Command(name = "slow", mixinStandardHelpOptions = true, description = "Makes a device take long over its next step of a kind, once or for a while.",
            footer = {"", "Examples:", "  rilvan lab slow haven-pe1 commit --seconds 30"})
    int slow(@Parameters(paramLabel = "DEVICE") String device, @Parameters(paramLabel = "STEP", description = STEPS) FaultPoint step,
            @Option(names = "--seconds", paramLabel = "N", defaultValue = "5", description = "for N seconds (${DEFAULT-VALUE})") int seconds,
            @Option(names = "--during", paramLabel = "N", defaultValue = "0", description = "Every time, for N seconds") int during) throws IOException {
        arm(device, fault("slow", step).value("seconds", seconds).value("during", during));
        Terminal.say(device + " will take " + seconds + " seconds over " + next(step, during));
        return 0;
    }

    @Command(name = "silent", mixinStandardHelpOptions = true,
            description = "Makes a device stop answering at its next step of a kind: it does nothing more in that session.",
            footer = {"", "Examples:", "  rilvan lab silent haven-pe1 commit"})
    int silent(@Parameters(paramLabel = "DEVICE") String device, @Parameters(paramLabel = "STEP", description = STEPS) FaultPoint step) throws IOException {
        arm(device, fault("silent", step));
        Terminal.say(device + " will stop answering at " + next(step, 0));
        return 0;
    }

    @Command(name = "pretend", mixinStandardHelpOptions = true,
            description = "Makes a device answer ok to its next step of a kind, and do nothing.",
            footer = {"", "Examples:", "  rilvan lab pretend haven-pe1 commit"})
    int pretend(@Parameters(paramLabel = "DEVICE") String device, @Parameters(paramLabel = "STEP", description = STEPS) FaultPoint step) throws IOException {
        arm(device, fault("pretend", step));
        Terminal.say(device + " will answer ok without doing " + next(step, 0));
        return 0;
    }

    @Command(name = "lose", mixinStandardHelpOptions = true, description = "Makes a device unreachable without closing its sessions: at its next step of a kind, or now.",
            footer = {"", "Examples:", "  rilvan lab lose haven-pe1"})
    int lose(@Parameters(paramLabel = "DEVICE") String device,
            @Parameters(paramLabel = "STEP", arity = "0..1", description = STEPS + "; now where none is named") FaultPoint step,
            @Option(names = "--seconds", paramLabel = "N", defaultValue = "5", description = "for N seconds (${DEFAULT-VALUE})") int seconds) throws IOException {
        arm(device, fault("lose", step).value("seconds", seconds));
        Terminal.say(device + (step == null ? " is unreachable" : " will be unreachable from " + next(step, 0)) + ", for " + seconds + " seconds");
        return 0;
    }

    @Command(name = "restart", mixinStandardHelpOptions = true,
            description = "Restarts a device with what it has saved: at its next step of a kind, or now.",
            footer = {"", "Examples:", "  rilvan lab restart haven-pe1"})
    int restart(@Parameters(paramLabel = "DEVICE") String device,
            @Parameters(paramLabel = "STEP", arity = "0..1", description = STEPS + "; now where none is named") FaultPoint step,
            @Option(names = "--seconds", paramLabel = "N", defaultValue = "5", description = "the restart takes N seconds (${DEFAULT-VALUE})") int seconds) throws IOException {
        arm(device, fault("restart", step).value("seconds", seconds));
        Terminal.say(device + (step == null ? " restarts" : " will restart at " + next(step, 0)) + "; it takes " + seconds + " seconds");
        return 0;
    }

    @Command(name = "lock", mixinStandardHelpOptions = true, description = "Holds the locks of a device in another session for a while.",
            footer = {"", "Examples:", "  rilvan lab lock haven-pe1"})
    int lock(@Parameters(paramLabel = "DEVICE") String device,
            @Option(names = "--seconds", paramLabel = "N", defaultValue = "5", description = "for N seconds (${DEFAULT-VALUE})") int seconds) throws IOException {
        lab().text("POST", "/devices/" + Texts.escape(device) + "/locked", JsonWriter.string().object().value("seconds", seconds).end().done(), Documents.JSON);
        Terminal.say("another session holds the locks of " + device + " for " + seconds + " seconds");
        return 0;
    }

    @Command(name = "new-host-key", mixinStandardHelpOptions = true, description = "Gives a device another host key, as if the device had been replaced.",
            footer = {"", "Examples:", "  rilvan lab new-host-key haven-pe1"})
    int newHostKey(@Parameters(paramLabel = "DEVICE") String device) throws IOException {
        Terminal.say(device + " has the host key " + lab().text("POST", "/devices/" + Texts.escape(device) + "/host-key", "", Documents.JSON).strip());
        return 0;
    }

    @Command(name = "type", mixinStandardHelpOptions = true,
            description = "Changes the configuration of a device directly, as a person would at its console, in its own syntax.",
            footer = {"", "Examples:", "  rilvan lab type skarn-pe1 lines.txt"})
    int type(@Parameters(paramLabel = "DEVICE") String device,
            @Parameters(paramLabel = "FILE", description = "What is typed; - reads standard input") String file) throws IOException {
        lab().text("POST", "/devices/" + Texts.escape(device) + "/typed", Documents.read(file), Documents.YAML);
        Terminal.say("lines entered on " + device);
        return 0;
    }

    @Command(name = "clear", mixinStandardHelpOptions = true, description = "Removes all faults of a device.",
            footer = {"", "Examples:", "  rilvan lab clear haven-pe1"})
    int clear(@Parameters(paramLabel = "DEVICE") String device) throws IOException {
        lab().text("DELETE", "/devices/" + Texts.escape(device) + "/faults", null, null);
        Terminal.say("faults of " + device + " cleared");
        return 0;
    }

    private static JsonStringWriter fault(String trouble, FaultPoint step) {
        return JsonWriter.string().object().value("trouble", trouble).value("step", step == null ? "" : step.toString());
    }

    private static void arm(String device, JsonStringWriter fault) throws IOException {
        lab().text("POST", "/devices/" + Texts.escape(device) + "/faults", fault.end().done(), Documents.JSON);
    }

    private static String next(FaultPoint step, int during) {
        return during == 0 ? "its next " + step : "every " + step + " for " + during + " seconds";
    }
}
