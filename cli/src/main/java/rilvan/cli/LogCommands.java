package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "log", mixinStandardHelpOptions = true, description = {"The log of acts: who did what, or was refused. It is a chain of digests, whose head is signed and sent out,",
    "so that it cannot be changed unnoticed."},
        footer = {"", "Examples:", "  rilvan log list --about 'service tidewater-clinics'", "  rilvan log list --who anna --since 2026-05-04T00:00:00Z", "  rilvan log verify",
            "  rilvan log export acts.jsonl && rilvan log verify --export acts.jsonl --heads heads.jsonl --key log.pem"})
final class LogCommands {

    private static final String ACTS = "/api/v1/acts";
    /** Things that an act is about as a row shows them. */
    private static final int MOST_THINGS = 3;

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Acts, the latest first.",
            footer = {"", "Examples:", "  rilvan log list --about 'order 17'", "  rilvan log list --who anna --since 2026-05-04T08:00:00Z"})
    int list(@Option(names = "--who", paramLabel = "NAME", description = "Of an account") Optional<String> who,
            @Option(names = "--act", paramLabel = "ACT", description = "Of one kind, such as 'place order'") Optional<String> act,
            @Option(names = "--about", paramLabel = "THING", description = "About a thing, such as 'order 17', 'service NAME', 'device NAME', 'account NAME'") Optional<String> about,
            @Option(names = "--since", paramLabel = "TIME", description = "From a time on, such as 2026-05-04T08:00:00Z") Optional<String> since,
            @Option(names = "--until", paramLabel = "TIME", description = "Before a time") Optional<String> until,
            @Option(names = "--limit", paramLabel = "NUMBER", description = "At most so many, 1 to 500") Optional<Integer> limit, @Mixin ListOutput output) throws IOException {
        Map<String, String> query = new TreeMap<>();
        who.ifPresent(value -> query.put("who", value));
        act.ifPresent(value -> query.put("act", value));
        about.ifPresent(value -> query.put("about", value));
        since.ifPresent(value -> query.put("since", value));
        until.ifPresent(value -> query.put("until", value));
        limit.ifPresent(value -> query.put("limit", value.toString()));
        String asked = String.join("&", query.entrySet().stream().map(each -> each.getKey() + "=" + Texts.escape(each.getValue())).toList());
        output.list(Server.signedIn().firstPage(ACTS + (asked.isEmpty() ? "" : "?" + asked)), List.of("ACT", "TIME", "WHO", "FROM", "WHAT", "ABOUT", "RESULT"), LogCommands::row);
        return 0;
    }

    private static List<String> row(JsonObject each) {
        JsonObject act = each.getObject("act");
        JsonArray about = act.getArray("about");
        String why = act.getString("why", "");
        return List.of(each.isNull("seq") ? "open" : Long.toString(each.getLong("seq")), Texts.time(act.getString("at")), act.getString("who"), act.getString("address"), act.getString("act"),
                about.size() > MOST_THINGS ? Texts.join(new JsonArray(about.subList(0, MOST_THINGS))) + " and " + (about.size() - MOST_THINGS) + " more" : Texts.join(about),
                (act.getString("result").equals("done") ? "done" : Terminal.in(Terminal.Tone.BAD, act.getString("result"))) + (why.isEmpty() ? "" : ": " + why));
    }

    @Command(name = "verify", mixinStandardHelpOptions = true, description = {"Works the chain of digests out once more, and names the first act where it does not fit.",
        "By itself the service does that. With --export it is done here, from a file, without trusting the service."},
            footer = {"", "Examples:", "  rilvan log verify", "  rilvan log verify --export acts.jsonl --heads heads.jsonl --key log-key.pem"})
    int verify(@Option(names = "--export", paramLabel = "FILE", description = "What log export has written") Path export,
            @Option(names = "--heads", paramLabel = "FILE", description = "Signed heads, as the service has sent them out") Path heads,
            @Option(names = "--key", paramLabel = "FILE", description = "The public key that log key has shown") Path key, @Mixin Output output) throws IOException {
        JsonObject verified = export == null ? Server.signedIn().get(ACTS + "/verification") : LogVerification.of(export, heads, key);
        JsonArray problems = verified.getArray("problems");
        if (!output.asJson(verified)) {
            long acts = verified.getLong("last") - verified.getLong("first") + 1;
            if (problems.isEmpty()) {
                Terminal.say(Terminal.in(Terminal.Tone.GOOD, "whole") + ": " + acts + " acts, " + verified.getLong("first") + " to " + verified.getLong("last") + ", fit their digests and " + verified.getLong("heads") + " signed heads");
            } else {
                Terminal.say(Terminal.in(Terminal.Tone.BAD, "not whole") + ": first at act " + problems.getObject(0).getLong("seq"));
                problems.forEach(each -> Terminal.say("  act " + ((JsonObject) each).getLong("seq") + ": " + ((JsonObject) each).getString("message")));
            }
            if (verified.getInt("open") > 0) {
                Terminal.say(verified.getInt("open") + " acts wait to be sealed, the first of them for " + verified.getLong("openSeconds") + " s");
            }
        }
        return problems.isEmpty() ? 0 : Failure.REFUSED;
    }

    @Command(name = "export", mixinStandardHelpOptions = true, description = "Writes the sealed acts as lines of JSON, with their digests.",
            footer = {"", "Examples:", "  rilvan log export acts.jsonl", "  rilvan log export --heads heads.jsonl"})
    int export(@Parameters(arity = "0..1", paramLabel = "FILE", description = "Where to; by itself to standard output") Optional<Path> file,
            @Option(names = "--heads", description = "The signed heads instead") boolean heads,
            @Option(names = "--beyond", paramLabel = "ACT", description = "Only what follows this act") Optional<Long> beyond) throws IOException {
        String address = ACTS + (heads ? "/heads" : "/export") + beyond.map(act -> "?beyond=" + act).orElse("");
        if (file.isPresent()) {
            try (var out = Files.newOutputStream(file.get())) {
                Server.signedIn().copy(address, out);
            }
        } else {
            Server.signedIn().copy(address, Terminal.out());
        }
        return 0;
    }

    @Command(name = "key", mixinStandardHelpOptions = true, description = "The public key that signatures of the log are verified with. Keep it somewhere else.",
            footer = {"", "Examples:", "  rilvan log key"})
    int key(@Mixin Output output) throws IOException {
        JsonObject key = Server.signedIn().get(ACTS + "/key");
        if (!output.asJson(key)) {
            Terminal.say(key.getString("publicKey").strip());
        }
        return 0;
    }
}
