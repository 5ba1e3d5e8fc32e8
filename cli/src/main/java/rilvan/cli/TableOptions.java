package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import picocli.CommandLine.Option;

/** What a table is, and what of it is taken. */
final class TableOptions {

    private static final int MOST_FAULTS = 50;

    @Option(names = "--model", required = true, paramLabel = "MODEL", description = "What services the table has")
    private String model;

    @Option(names = "--mapping", paramLabel = "FILE", description = "What the columns say, as --mapping-to writes it")
    private Path mapping;

    @Option(names = "--always", paramLabel = "TARGET=VALUE", description = "What is so where no column says it, such as tenant=NAME; repeated for several")
    private Map<String, String> always = Map.of();

    @Option(names = "--mapping-to", paramLabel = "FILE", description = "Writes what the columns are taken for, and adds nothing")
    private Path keep;

    @Option(names = "--good", description = "The services of which no cell is wrong")
    private boolean good;

    @Option(names = "--replace", description = "Also entries of others")
    private boolean replace;

    int add(String draft, Path file, Output output) throws IOException {
        Map<String, Object> body = new LinkedHashMap<>(Map.of("model", model, "table", Base64.getEncoder().encodeToString(bytes(file)), "always", always, "good", good));
        if (mapping != null) {
            body.put("mapping", mapping());
        }
        String json = JsonWriter.string(body);
        JsonObject read = Server.signedIn().object("POST", "/api/v1/tables", json, Documents.JSON);
        if (keep != null) {
            Files.writeString(keep, JsonWriter.indent("  ").string().value(read.getObject("mapping")).done() + "\n");
            output.done(read, "wrote " + keep);
            return 0;
        }
        if (!output.isForPrograms()) {
            tell(read);
        }
        JsonArray wrong = read.getArray("faults");
        if (!wrong.isEmpty() && !good) {
            throw new Failure(Failure.REFUSED, wrong.size() + (wrong.size() == 1 ? " cell is" : " cells are") + " wrong, and nothing was added; correct the table, or take the services without a wrong cell with --good");
        }
        JsonObject added = DraftCommands.post(draft, "tables", json, Documents.JSON, replace);
        if (!output.asJson(added)) {
            faults(added.getArray("problems"));
            int entries = added.getObject("draft").getArray("entries").size();
            Terminal.say(draft + " has " + (entries == 1 ? "1 entry" : entries + " entries") + (added.getArray("problems").isEmpty() ? "" : "; what is told above keeps some from being carried out as they are")
                    + "; look at it with: rilvan draft preview " + draft);
        }
        return wrong.isEmpty() ? 0 : Failure.FAILED;
    }

    private static byte[] bytes(Path file) throws IOException {
        try {
            return Files.readAllBytes(file);
        } catch (NoSuchFileException e) {
            throw new Failure(Failure.REFUSED, "there is no file " + file);
        }
    }

    private JsonObject mapping() throws IOException {
        try {
            return JsonParser.object().from(new String(bytes(mapping), StandardCharsets.UTF_8));
        } catch (JsonParserException e) {
            throw new Failure(Failure.REFUSED, mapping + " is no JSON: " + e.getMessage());
        }
    }

    private static void tell(JsonObject read) {
        read.getObject("columns").forEach((heading, target) -> Terminal.say(heading + ": " + (String.valueOf(target).isEmpty() ? "passed over" : target)));
        Terminal.say(read.getInt("services") == 1 ? "1 service" : read.getInt("services") + " services");
        faults(read.getArray("faults"));
    }

    private static void faults(JsonArray faults) {
        List<JsonObject> first = faults.stream().limit(MOST_FAULTS).map(JsonObject.class::cast).toList();
        first.forEach(fault -> Terminal.say("line " + fault.getLong("line") + (fault.getString("heading").isEmpty() ? "" : ", " + fault.getString("heading")) + ": " + fault.getString("message")));
        if (faults.size() > first.size()) {
            Terminal.say("and " + (faults.size() - first.size()) + " more");
        }
    }
}
