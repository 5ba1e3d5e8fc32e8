package rilvan.cli;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import picocli.CommandLine.Option;

/** What commands have in common that put a change of a service into a draft. */
final class DraftOptions extends Output {

    @Option(names = "--draft", required = true, paramLabel = "DRAFT", description = "The draft; it is made where there is none")
    private String draft;

    @Option(names = "--replace", description = "Also where the draft has somebody else's entry for the service")
    private boolean replace;

    int set(String service, Map<String, String> values) throws IOException {
        String body = JsonWriter.string(Map.of("service", service, "values", new LinkedHashMap<>(values)));
        return DraftCommands.added(DraftCommands.post(draft, "values", body, Documents.JSON, replace), List.of(service), this);
    }

    /** Wants of a service what a device has. */
    int accept(String device, String path) throws IOException {
        return DraftCommands.put(draft, "acceptances", Map.of("device", device, "path", path), replace, this);
    }

    /** Makes a service again what an order had made of it. */
    int back(String service, long order) throws IOException {
        return DraftCommands.added(DraftCommands.post(draft, "returns", JsonWriter.string(Map.of("service", service, "order", order)), Documents.JSON, replace), List.of(service), this);
    }

    /** Makes each service of an order again what it was before. */
    int undo(long order, String later) throws IOException {
        Map<String, Object> undoing = new LinkedHashMap<>(Map.of("order", order));
        if (later != null) {
            undoing.put("later", later);
        }
        return DraftCommands.put(draft, "undoings", undoing, replace, this);
    }

    int edit(String service) throws IOException {
        String before = Server.signedIn().text("GET", DraftCommands.at(draft) + "/services/" + Texts.escape(service), null, null);
        Path file = Files.createTempFile("rilvan-" + service + "-", ".yaml");
        try {
            Files.writeString(file, before);
            String editor = Stream.of("VISUAL", "EDITOR").flatMap(name -> Optional.ofNullable(System.getenv(name)).stream()).filter(set -> !set.isBlank()).findFirst().orElse("vi");
            int code = new ProcessBuilder("sh", "-c", editor + " \"$1\"", "sh", file.toString()).inheritIO().start().waitFor();
            if (code != 0) {
                throw new Failure(Failure.FAILED, "the editor '" + editor + "' ended with " + code + "; nothing is changed");
            }
            String after = Files.readString(file, StandardCharsets.UTF_8);
            if (after.equals(before)) {
                done(Map.of("draft", draft, "changed", false), "nothing is changed");
                return 0;
            }
            JsonObject changed = DraftCommands.post(draft, "entries", after, Documents.YAML, replace);
            return DraftCommands.added(changed, List.of(service), this);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new Failure(Failure.FAILED, "interrupted; nothing is changed");
        } finally {
            Files.deleteIfExists(file);
        }
    }
}
