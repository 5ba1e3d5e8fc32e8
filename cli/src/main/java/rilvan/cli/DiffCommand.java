package rilvan.cli;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "diff", mixinStandardHelpOptions = true, description = {"Compares a folder, such as one that 'files write' has written and somebody has changed, with what is wanted now:",
    "what the folder would make of services, tenants and models. With --draft, puts what it makes of services into a draft. Exits with 1 where something is different."},
        footer = {"", "Examples:", "  rilvan diff skerra", "  rilvan diff skerra --draft autumn"})
final class DiffCommand implements Callable<Integer> {

    @Parameters(paramLabel = "FOLDER", description = "With tenants.yaml, services and models; what of these is not there is not compared")
    private Path path;

    @Option(names = "--draft", paramLabel = "DRAFT", description = "Into this draft; it is made where there is none")
    private String draft;

    @Option(names = "--replace", description = "Also where the draft has somebody else's entry for a service")
    private boolean replace;

    @Mixin
    private Output output;

    @Override
    public Integer call() throws IOException {
        StateFolder folder = new StateFolder(path);
        if (!folder.has(StateFolder.SERVICES) && !folder.has(StateFolder.TENANTS)) {
            throw new Failure(Failure.REFUSED, path + " has neither a folder services nor a file " + StateFolder.TENANTS + "; name a folder such as 'rilvan files write' makes");
        }
        Map<String, String> present = StateFolder.present();
        Map<String, String> files = folder.files();
        Set<String> gone = new TreeSet<>(present.keySet());
        gone.removeAll(files.keySet());
        gone.removeIf(file -> !folder.has(file.contains("/") ? file.substring(0, file.indexOf('/')) : file));
        files.entrySet().removeIf(file -> file.getValue().equals(present.get(file.getKey())));
        Set<String> models = new TreeSet<>(files.keySet());
        models.addAll(gone);
        models.removeIf(file -> !file.startsWith(StateFolder.MODELS));
        files.keySet().removeAll(models);
        gone.removeAll(models);
        Map<String, Object> body = Map.of("files", files, "gone", List.copyOf(gone));
        if (draft != null) {
            return DraftCommands.put(draft, "files", body, replace, output);
        }
        JsonObject differences = Server.signedIn().object("POST", "/api/v1/files/differences", JsonWriter.string(body), Documents.JSON);
        Map<String, Object> told = new LinkedHashMap<>(differences);
        told.put("models", List.copyOf(models));
        boolean none = differences.getArray("services").isEmpty() && differences.getObject("tenants").isEmpty() && models.isEmpty();
        if (!output.asJson(told)) {
            tell(differences, models);
            if (none) {
                Terminal.say("no difference");
            }
        }
        return none ? 0 : Failure.FAILED;
    }

    private void tell(JsonObject differences, Set<String> models) {
        differences.getArray("services").forEach(each -> {
            JsonObject service = (JsonObject) each;
            Terminal.say(service.getString("kind").toLowerCase(Locale.ROOT) + " " + Terminal.in(Terminal.Tone.STRONG, service.getString("service")));
            if (service.getString("kind").equals("CHANGE")) {
                DraftCommands.changes(service.getArray("changes")).forEach(Terminal::say);
            }
        });
        if (!differences.getObject("tenants").isEmpty()) {
            differences.getObject("tenants").forEach((tenant, kind) -> Terminal.say(String.valueOf(kind).toLowerCase(Locale.ROOT) + " tenant " + Terminal.in(Terminal.Tone.STRONG, tenant)));
            Terminal.say("Tenants are changed with: rilvan tenant load " + path.resolve(StateFolder.TENANTS));
        }
        if (!models.isEmpty()) {
            models.forEach(file -> Terminal.say("otherwise than in force: " + file));
            Terminal.say("Models and dialects are published with: rilvan model publish FOLDER");
        }
    }
}
