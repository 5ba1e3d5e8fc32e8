package rilvan.cli;

import com.grack.nanojson.JsonObject;
import java.io.IOException;
import java.util.Map;
import java.util.Optional;
import picocli.CommandLine.Option;

/** On a terminal, whoever places an order sees what it comes to and is asked first; what they have seen is what it does, or it is refused. */
final class Consent {

    @Option(names = "--yes", description = "Without asking on the terminal first")
    private boolean yes;

    /**
     * Asks, where there is somebody to ask.
     *
     * @param preview where the order's preview is asked for
     * @return headers for placing it; absent where the answer was no, or nothing is to be done
     */
    Optional<Map<String, String>> given(String preview, String document, String type, Output output) throws IOException {
        if (yes || !Terminal.THERE || output.isForPrograms()) {
            return Optional.of(Map.of());
        }
        JsonObject shown = Server.signedIn().object("POST", preview, document, type);
        if (shown.getBoolean("changesNothing")) {
            PreviewText.noChange(shown);
            return Optional.empty();
        }
        PreviewText.head(shown);
        PreviewText.foot(shown);
        if (!Terminal.confirmed("Run it?")) {
            Terminal.say("nothing was ordered");
            return Optional.empty();
        }
        return Optional.of(Map.of("If-Match", '"' + shown.getString("digest") + '"'));
    }
}
