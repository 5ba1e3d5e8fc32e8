package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.stream.Stream;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "model", mixinStandardHelpOptions = true, description = {"Service models, dialects and the vocabulary: what can be ordered, and for which families of devices.",
    "What is published is kept in versions, and a version never changes."},
        footer = {"", "Examples:", "  rilvan model publish models/services/l3vpn --reason 'sites may have a description'", "  rilvan model list --versions", "  rilvan model diff l3vpn --from 1 --to 2"})
final class ModelCommands {

    private static final String RELEASES = "/api/v1/releases";
    private static final int MOST_NAMED = 10;

    @Command(name = "list", mixinStandardHelpOptions = true, description = {"All service models, each in the version that new services are made from.",
        "With --versions: everything that is published, dialects and the vocabulary too, and how many services stand on each."},
            footer = {"", "Examples:", "  rilvan model list", "  rilvan model list --versions"})
    int list(@Option(names = "--versions", description = "Every version of everything that is published") boolean versions, @Mixin ListOutput output) throws IOException {
        if (versions) {
            JsonObject library = Server.signedIn().get("/api/v1/library");
            if (!output.asJson(library)) {
                Terminal.table(List.of("KIND", "NAME", "VERSION", "STATE", "SERVICES", "PUBLISHED", "BY", "REASON"), library.getArray("releases"), release -> List.of(
                        Texts.words(release.getString("kind")), release.getString("name"), Integer.toString(release.getInt("version")), state(release),
                        release.getString("kind").equals("MODEL") ? Long.toString(release.getLong("services")) : "", Texts.time(release.getString("publishedAt")),
                        release.getString("publishedBy"), release.getString("reason")));
                for (Object each : library.getArray("problems")) {
                    JsonObject problem = (JsonObject) each;
                    Terminal.say(Terminal.in(Terminal.Tone.BAD, "not in force") + "  " + problem.getString("where") + ": " + problem.getString("message"));
                }
            }
            return 0;
        }
        output.list(Server.signedIn().list("/api/v1/models"), List.of("MODEL", "VERSION", "TITLE"), model ->
                List.of(model.getString("name"), Integer.toString(model.getInt("version")), model.getString("title")));
        return 0;
    }

    private static String state(JsonObject release) {
        return release.getBoolean("retired") ? "retired" : release.getBoolean("inForce") ? "in force" : "published";
    }

    @Command(name = "page", mixinStandardHelpOptions = true, description = "A service model's page of documentation, and where the model is used.",
            footer = {"", "Examples:", "  rilvan model page l3vpn"})
    int page(@Parameters(paramLabel = "MODEL") String name, @Parameters(arity = "0..1", paramLabel = "VERSION", description = "Another version than the latest") Optional<Integer> version,
            @Mixin Output output) throws IOException {
        JsonObject page = Server.signedIn().get("/api/v1/models/" + Texts.escape(name) + "/page" + version.map(number -> "?version=" + number).orElse(""));
        if (output.asJson(page)) {
            return 0;
        }
        if (!page.getString("page").isEmpty()) {
            Terminal.copy(page.getString("page"));
            Terminal.say("");
        }
        JsonArray usedBy = page.getArray("usedBy");
        long services = page.getLong("services");
        Terminal.say(name + " " + page.getInt("version") + ": " + (services == 0 ? "no service stands on it" : services + (services == 1 ? " service stands on it: " : " services stand on it: ")
                + Texts.join(usedBy) + (services > usedBy.size() ? " and " + (services - usedBy.size()) + " more" : "")));
        if (!page.getArray("containedIn").isEmpty()) {
            Terminal.say("contained in services of " + Texts.join(page.getArray("containedIn")));
        }
        return 0;
    }

    @Command(name = "show", mixinStandardHelpOptions = true, description = "A service model as its author wrote it.",
            footer = {"", "Examples:", "  rilvan model show l3vpn"})
    int show(@Parameters(paramLabel = "MODEL") String name, @Parameters(arity = "0..1", paramLabel = "VERSION", description = "Another version than the latest") Optional<Integer> version,
            @Mixin Output output) throws IOException {
        JsonObject model = Server.signedIn().get("/api/v1/models/" + Texts.escape(name) + version.map(number -> "?version=" + number).orElse(""));
        if (!output.asJson(model)) {
            Terminal.copy(model.getString("source"));
        }
        return 0;
    }

    @Command(name = "publish", mixinStandardHelpOptions = true, description = {"Publishes the folder of a service model, of a dialect, or one with vocabulary.yaml, on the running service. It is checked whole first.",
        "A service model can be ordered from then on. A dialect or a vocabulary is put into force by a command of its own; this one says what would change with it."},
            footer = {"", "Examples:", "  rilvan model publish models/services/l3vpn --preview", "  rilvan model publish models/dialects/quern --reason 'a longer name for ports'"})
    int publish(@Parameters(paramLabel = "FOLDER") Path folder, @Option(names = "--reason", paramLabel = "TEXT", defaultValue = "-", description = "Why, for the history") String reason,
            @Option(names = "--preview", description = "Only check it, and show what it would come to") boolean preview, @Mixin Output output) throws IOException {
        JsonObject published = Server.signedIn().object("POST", RELEASES + (preview ? "/previews" : ""), publication(folder, reason), Documents.JSON);
        if (output.asJson(published)) {
            return 0;
        }
        String kind = published.getString("kind");
        String what = (kind.equals("MODEL") ? "service model " : kind.equals("DIALECT") ? "dialect " : "") + published.getString("name") + " " + published.getInt("version");
        Terminal.say(published.getBoolean("already") ? what + " is published already, just as it is here"
                : preview ? what + " can be published" : what + " is published" + (published.getBoolean("inForce") ? " and in force" : ""));
        JsonObject outOfDate = published.getObject("outOfDate");
        if (!published.getString("kind").equals("MODEL") && !published.getBoolean("inForce")) {
            Terminal.say(outOfDate.isEmpty() ? "with it in force, every service would say what it says now"
                    : outOfDate.size() + (outOfDate.size() == 1 ? " service" : " services") + " would say something else with it in force:");
            outOfDate.forEach((service, devices) -> Terminal.say("  " + service + "  " + (((JsonArray) devices).isEmpty() ? "could not be worked out any more" : some((JsonArray) devices))));
            if (!preview) {
                Terminal.say("put it into force with: rilvan model activate " + published.getString("name") + " " + published.getInt("version"));
            }
        }
        return 0;
    }

    private static String some(JsonArray names) {
        List<String> texts = names.stream().map(Object::toString).toList();
        return String.join(", ", texts.subList(0, Math.min(MOST_NAMED, texts.size()))) + (texts.size() > MOST_NAMED ? " and " + (texts.size() - MOST_NAMED) + " more" : "");
    }

    /** The texts of a folder, hidden files left out. */
    private static String publication(Path folder, String reason) throws IOException {
        if (!Files.isDirectory(folder)) {
            throw new Failure(Failure.REFUSED, "there is no folder " + folder);
        }
        Path real = folder.toRealPath();
        Map<String, String> files = new TreeMap<>();
        try (Stream<Path> all = Files.walk(real)) {
            for (Path file : (Iterable<Path>) all.filter(Files::isRegularFile)::iterator) {
                String within = real.relativize(file).toString();
                if (!within.startsWith(".") && !within.contains("/.")) {
                    files.put(within, Documents.read(file.toString()));
                }
            }
        }
        return JsonWriter.string(Map.of("folder", real.getFileName().toString(), "files", files, "reason", reason));
    }

    @Command(name = "diff", mixinStandardHelpOptions = true, description = {"How two published versions differ, or how a folder differs from what is published of it.",
        "Exits with 1 where they differ."}, footer = {"", "Examples:", "  rilvan model diff l3vpn --from 1 --to 2", "  rilvan model diff models/services/l3vpn"})
    int diff(@Parameters(paramLabel = "NAME-OR-FOLDER") String what, @Option(names = "--from", paramLabel = "VERSION", description = "The earlier version (of a folder: the latest that is published)") Optional<Integer> from,
            @Option(names = "--to", paramLabel = "VERSION", description = "The later version") Optional<Integer> to, @Mixin Output output) throws IOException {
        Server server = Server.signedIn();
        JsonObject differences;
        if (to.isPresent()) {
            if (from.isEmpty()) {
                throw new Failure(Failure.USAGE, "name both versions: --from and --to");
            }
            differences = server.get(path(server, what, to.get()) + "/differences?from=" + from.get());
        } else {
            differences = server.object("POST", RELEASES + "/differences" + from.map(version -> "?from=" + version).orElse(""), publication(Path.of(what), "-"), Documents.JSON);
        }
        if (!output.asJson(differences)) {
            if (differences.isEmpty()) {
                Terminal.say("no file differs");
            }
            differences.values().forEach(lines -> ((JsonArray) lines).forEach(line -> Terminal.say(coloured((String) line))));
        }
        return differences.isEmpty() ? 0 : Failure.FAILED;
    }

    private static String coloured(String line) {
        return line.startsWith("+") ? Terminal.in(Terminal.Tone.GOOD, line) : line.startsWith("-") ? Terminal.in(Terminal.Tone.BAD, line)
                : line.startsWith("@@") ? Terminal.in(Terminal.Tone.QUIET, line) : line;
    }

    @Command(name = "activate", mixinStandardHelpOptions = true, description = {"Puts a published version of a dialect or of the vocabulary into force, in the place of the one that is.",
        "No device is touched: services that would say something else are out of date from then on, and orders bring them up to date."},
            footer = {"", "Examples:", "  rilvan model activate brae 3"})
    int activate(@Parameters(paramLabel = "NAME") String name, @Parameters(paramLabel = "VERSION") int version, @Mixin Output output) throws IOException {
        post(name, version, "/activation");
        output.done(Map.of("activated", name, "version", version), name + " " + version + " is in force; services that it makes out of date: rilvan service list --failing");
        return 0;
    }

    @Command(name = "retire", mixinStandardHelpOptions = true, description = "Takes a published version out of force for good. Refused while services stand on it.",
            footer = {"", "Examples:", "  rilvan model retire l3vpn 1"})
    int retire(@Parameters(paramLabel = "NAME") String name, @Parameters(paramLabel = "VERSION") int version, @Mixin Output output) throws IOException {
        post(name, version, "/retirement");
        output.done(Map.of("retired", name, "version", version), name + " " + version + " is retired");
        return 0;
    }

    @Command(name = "export", mixinStandardHelpOptions = true, description = "Writes the files of a published version into a folder, which must not be there yet.",
            footer = {"", "Examples:", "  rilvan model export l3vpn 2 l3vpn-2"})
    int export(@Parameters(paramLabel = "NAME") String name, @Parameters(paramLabel = "VERSION") int version, @Parameters(paramLabel = "FOLDER") Path folder, @Mixin Output output) throws IOException {
        if (Files.exists(folder)) {
            throw new Failure(Failure.REFUSED, folder + " is there already; choose another folder");
        }
        Server server = Server.signedIn();
        JsonObject files = server.get(path(server, name, version));
        for (Map.Entry<String, Object> file : files.entrySet()) {
            Path path = folder.resolve(file.getKey());
            Files.createDirectories(path.getParent());
            Files.writeString(path, (String) file.getValue());
        }
        output.done(Map.of("folder", folder.toString(), "files", List.copyOf(files.keySet())), files.size() + " files in " + folder);
        return 0;
    }

    private static void post(String name, int version, String what) throws IOException {
        Server server = Server.signedIn();
        server.text("POST", path(server, name, version) + what, "", Documents.JSON);
    }

    /** Where a version is published: a name may be said with its kind, as KIND/NAME, where two kinds have it. */
    private static String path(Server server, String name, int version) throws IOException {
        String[] parts = name.split("/");
        String own = parts[parts.length - 1];
        List<String> kinds = server.get("/api/v1/library").getArray("releases").stream().map(JsonObject.class::cast).filter(release -> release.getString("name").equals(own))
                .map(release -> release.getString("kind").toLowerCase(java.util.Locale.ROOT)).distinct().filter(kind -> parts.length == 1 || kind.equals(parts[0])).toList();
        if (kinds.size() != 1) {
            throw new Failure(Failure.REFUSED, kinds.isEmpty() ? "nothing is published as '" + name + "'; see: rilvan model list --versions"
                    : "there is a " + String.join(" and a ", kinds) + " named " + own + "; say which, as " + kinds.get(0) + "/" + own);
        }
        return RELEASES + "/" + kinds.get(0) + "/" + Texts.escape(own) + "/" + version;
    }
}
