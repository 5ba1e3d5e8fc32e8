package rilvan.cli;

import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.LinkedHashMap;
import java.util.Map;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** What commands have in common that place an order which they write themselves. */
final class OrderOptions extends Output {

    @Option(names = "--reason", paramLabel = "TEXT", defaultValue = "-", description = "Why, for the history")
    private String reason;

    @Option(names = "--preview", description = "Only show what would change")
    private boolean preview;

    @Mixin
    private Consent consent;

    /** Previews the order, or places and follows it; the exit code. */
    int carryOut(Map<String, Object> order) throws IOException {
        Map<String, Object> document = new LinkedHashMap<>(Map.of("reason", reason));
        document.putAll(order);
        String json = JsonWriter.string(document);
        return preview ? OrderCommands.preview(json, Documents.JSON, this) : OrderCommands.run(json, Documents.JSON, consent, this);
    }
}
