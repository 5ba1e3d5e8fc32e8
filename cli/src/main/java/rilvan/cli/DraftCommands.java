package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import picocli.CommandLine.ArgGroup;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import rilvan.cli.Terminal.Tone;

@Command(name = "draft", mixinStandardHelpOptions = true, description = {"Drafts: changes that are intended and not on the network yet, by several people.",
    "An entry says what becomes of one service. It leaves the draft when an order has carried it out."},
        footer = {"", "Examples:", "  rilvan draft add autumn my-order.yaml", "  rilvan draft show autumn", "  rilvan draft run autumn --tenant 'Tidewater Clinics'"})
final class DraftCommands {

    private static final String DRAFTS = "/api/v1/drafts";
    private static final Set<String> WHOLE = Set.of("ADD", "REMOVE");
    private static final int MOST_NAMED = 6;

    static String at(String draft) {
        return DRAFTS + "/" + Texts.escape(draft);
    }

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Lists what is intended and not on the network yet: what, whose, since when.",
            footer = {"", "Examples:", "  rilvan draft list"})
    int list(@Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().list(DRAFTS), "no drafts", List.of("DRAFT", "CHANGES", "BY", "SINCE", "PROBLEMS", "UNDER WAY", "REASON"), draft -> List.of(draft.getString("name"),
                kinds(draft.getObject("kinds")), Texts.join(draft.getArray("people")), draft.isNull("since") ? "" : Texts.time(draft.getString("since")),
                draft.getInt("problems") == 0 ? "" : Integer.toString(draft.getInt("problems")),
                draft.getArray("underWay").stream().map(order -> "order " + order).collect(Collectors.joining(", ")), draft.getString("reason")));
        return 0;
    }

    private static String kinds(JsonObject kinds) {
        return kinds.entrySet().stream().map(kind -> kind.getKey().toLowerCase(Locale.ROOT) + " " + kind.getValue()).collect(Collectors.joining(", "));
    }

    @Command(name = "show", mixinStandardHelpOptions = true, description = "Shows a draft: what becomes of each service, what is wrong with it, and who else changes it.",
            footer = {"", "Examples:", "  rilvan draft show autumn"})
    int show(@Parameters(paramLabel = "DRAFT") String name, @Mixin Output output) throws IOException {
        JsonObject draft = Server.signedIn().get(at(name));
        if (!output.asJson(draft)) {
            Terminal.say(Terminal.in(Tone.STRONG, name) + "  made by " + draft.getString("createdBy") + ", " + Texts.time(draft.getString("createdAt"))
                    + (draft.getString("reason").isEmpty() ? "" : ": " + draft.getString("reason")));
            if (draft.getObject("rehearsal") != null) {
                rehearsal(draft.getObject("rehearsal"));
            }
            if (!draft.isNull("reservedUntil")) {
                Terminal.say("  keeps numbers until " + Texts.time(draft.getString("reservedUntil")));
            }
            decisions(draft);
            if (draft.getArray("entries").isEmpty()) {
                Terminal.say("  no entries; add some with: rilvan draft add " + name + " FILE");
            }
            entries(draft).forEach(entry -> show(name, entry));
        }
        return 0;
    }

    private static void rehearsal(JsonObject rehearsal) {
        boolean ended = rehearsal.getString("state").equals("REHEARSED");
        String failure = rehearsal.getString("failure");
        Terminal.say("  rehearsed by " + rehearsal.getString("who") + ", " + Texts.time(rehearsal.getString("at")) + ", as order " + rehearsal.getLong("order")
                + (rehearsal.getBoolean("changedSince") ? "; the draft has changed since" : "") + ": "
                + (!ended ? Texts.words(rehearsal.getString("state")) : failure.isEmpty() ? Terminal.in(Tone.GOOD, "nothing stands against it") : Terminal.in(Tone.BAD, "against it stands")));
        if (!failure.isEmpty()) {
            Terminal.say("    " + failure);
        }
    }

    private static List<JsonObject> entries(JsonObject draft) {
        return draft.getArray("entries").stream().map(JsonObject.class::cast).toList();
    }

    private static void show(String draft, JsonObject entry) {
        String service = entry.getString("service");
        Terminal.say("  " + Terminal.in(Tone.STRONG, entry.getString("kind").toLowerCase(Locale.ROOT) + " " + service) + "  " + entry.getString("tenant") + ", " + entry.getString("model") + "  "
                + Terminal.in(Tone.QUIET, "by " + entry.getString("who") + ", " + Texts.time(entry.getString("at")) + (entry.isNull("startedFrom") ? "" : ", from what order " + entry.getLong("startedFrom") + " made")));
        if (!entry.isNull("order")) {
            Terminal.say("    order " + entry.getLong("order") + " is carrying it out");
        }
        if (!WHOLE.contains(entry.getString("kind"))) {
            changes(entry.getArray("changes")).forEach(Terminal::say);
        }
        numbers(entry);
        entry.getArray("problems").forEach(each -> Terminal.say("    " + Terminal.in(Tone.BAD, "wrong") + " " + problem((JsonObject) each)));
        entry.getArray("met").forEach(each -> {
            JsonObject met = (JsonObject) each;
            Terminal.say("    " + Terminal.in(Tone.BAD, met.isNull("draft") ? "the network has changed it since" : met.getString("who") + " changes it as well, in the draft " + met.getString("draft")));
            changes(met.getArray("changes")).forEach(line -> Terminal.say("  " + line));
            JsonArray both = met.getArray("inTheWay");
            if (!both.isEmpty()) {
                Terminal.say("      both to something else: " + Texts.join(both));
            }
            if (met.isNull("draft")) {
                Terminal.say(both.isEmpty() ? "      take that in with: rilvan draft renew " + draft + " " + service : "      edit it anew: rilvan service edit " + service + " --draft " + draft);
            }
        });
    }

    private static String problem(JsonObject problem) {
        return (problem.getString("pointer").isEmpty() ? "" : problem.getString("pointer") + ": ") + problem.getString("message");
    }

    static List<String> changes(JsonArray changes) {
        List<String> lines = new ArrayList<>();
        changes.forEach(each -> {
            JsonObject change = (JsonObject) each;
            lines.add("    " + change.getString("at") + ": " + value(change, "before") + " → " + value(change, "after"));
        });
        return lines;
    }

    private static String value(JsonObject change, String side) {
        return change.isNull(side) ? "nothing" : Texts.value(change.get(side));
    }

    @Command(name = "make", mixinStandardHelpOptions = true, description = "Makes an empty draft.",
            footer = {"", "Examples:", "  rilvan draft make autumn --reason 'what the autumn brings'"})
    int make(@Parameters(paramLabel = "DRAFT") String name, @Option(names = "--reason", paramLabel = "TEXT", defaultValue = "", description = "Why; its orders say so") String reason,
            @Mixin Output output) throws IOException {
        JsonObject draft = Server.signedIn().put(at(name), JsonWriter.string(Map.of("reason", reason)), Map.of("If-None-Match", "*"));
        output.done(draft, "the draft " + name + " is made");
        return 0;
    }

    @Command(name = "add", mixinStandardHelpOptions = true, description = {"Adds what order documents say to a draft, which is made where there is none. Touches no device.",
        "What is wrong with a service is kept with its entry; what the draft says of the same services already is replaced."},
            footer = {"", "Examples:", "  rilvan draft add autumn my-order.yaml", "  rilvan draft add autumn wires.yaml rings.yaml"})
    int add(@Parameters(paramLabel = "DRAFT") String name, @Parameters(index = "1..*", arity = "1..*", paramLabel = "FILE", description = "YAML or JSON; - for standard input") List<String> files,
            @Option(names = "--replace", description = "Also entries of others") boolean replace, @Mixin Output output) throws IOException {
        List<String> documents = files.stream().map(Documents::read).toList();
        JsonObject draft = new JsonObject();
        Map<String, String> before = timesOf(name);
        for (String document : documents) {
            draft = post(name, "entries", document, Documents.YAML, replace);
        }
        return added(draft, since(draft, before), output);
    }

    @Command(name = "table", mixinStandardHelpOptions = true, description = {"Adds the services of a table (CSV) to a draft, which is made where there is none: one row a service, or one row an item of a list of a service, such as a site.",
        "Columns are taken for what their headings seem to say, which is told; --mapping-to writes it into a file, to be corrected and given with --mapping.",
        "What is wrong is told by line and column, and nothing is added, unless --good takes the services without a wrong cell."},
            footer = {"", "Examples:", "  rilvan draft table autumn sites.csv --model l3vpn --always 'tenant=Tidewater Clinics'", "  rilvan draft table autumn sites.csv --model l3vpn --mapping-to columns.json", "  rilvan draft table autumn sites.csv --model l3vpn --mapping columns.json --good"})
    int table(@Parameters(index = "0", paramLabel = "DRAFT") String name, @Parameters(index = "1", paramLabel = "TABLE") Path file, @Mixin TableOptions table, @Mixin Output output) throws IOException {
        return table.add(name, file, output);
    }

    /** When the entries of a draft were made, by their services; none where there is no draft. */
    static Map<String, String> timesOf(String name) throws IOException {
        boolean isThere = Server.signedIn().list(DRAFTS).stream().map(JsonObject.class::cast).anyMatch(draft -> draft.getString("name").equals(name));
        return isThere ? entries(Server.signedIn().get(at(name))).stream().collect(Collectors.toMap(entry -> entry.getString("service"), entry -> entry.getString("at"))) : Map.of();
    }

    /** The services whose entries are other ones than at earlier times. */
    static List<String> since(JsonObject draft, Map<String, String> before) {
        return entries(draft).stream().filter(entry -> !entry.getString("at").equals(before.get(entry.getString("service")))).map(entry -> entry.getString("service")).toList();
    }

    /** Puts something into a draft that makes entries of it, and tells these. */
    static int put(String draft, String what, Map<String, ?> body, boolean replace, Output output) throws IOException {
        Map<String, String> before = timesOf(draft);
        JsonObject changed = post(draft, what, JsonWriter.string(body), Documents.JSON, replace);
        return added(changed, since(changed, before), output);
    }

    /** @param replace whether what others say is replaced: their entries are those that the draft has now */
    static JsonObject post(String draft, String what, String body, String type, boolean replace) throws IOException {
        Server server = Server.signedIn();
        return server.post(at(draft) + "/" + what, body, type, replace ? Map.of("If-Match", server.tagged(at(draft)).tag()) : Map.of());
    }

    /** Tells what became of services in a draft: where others change them too, and where something is wrong, at once. */
    static int added(JsonObject draft, List<String> services, Output output) {
        List<JsonObject> told = entries(draft).stream().filter(entry -> services.contains(entry.getString("service"))).toList();
        if (!output.asJson(draft)) {
            told.stream().filter(entry -> told.size() <= MOST_NAMED || !entry.getArray("problems").isEmpty() || !entry.getArray("met").isEmpty()).forEach(entry -> show(draft.getString("name"), entry));
            long wrong = told.stream().filter(entry -> !entry.getArray("problems").isEmpty()).count();
            Terminal.say(draft.getString("name") + " has " + (entries(draft).size() == 1 ? "1 entry" : entries(draft).size() + " entries") + (wrong == 0 ? "" : "; " + wrong + " of these cannot be carried out as they are")
                    + "; look at it with: rilvan draft preview " + draft.getString("name"));
        }
        return 0;
    }

    @Command(name = "remove", mixinStandardHelpOptions = true, description = "Takes services out of a draft, or drops the whole draft. Nothing of it is on the network.",
            footer = {"", "Examples:", "  rilvan draft remove autumn tidewater-clinics", "  rilvan draft remove autumn"})
    int remove(@Parameters(paramLabel = "DRAFT") String name, @Parameters(index = "1..*", arity = "0..*", paramLabel = "SERVICE") List<String> services, @Mixin Output output) throws IOException {
        Server server = Server.signedIn();
        if (services == null) {
            server.text("DELETE", at(name), null, null);
            output.done(Map.of("removed", name), "the draft " + name + " is removed");
            return 0;
        }
        for (String service : services) {
            server.text("DELETE", at(name) + "/entries/" + Texts.escape(service), null, null);
        }
        output.done(Map.of("draft", name, "removed", services), "out of the draft " + name + ": " + String.join(", ", services));
        return 0;
    }

    @Command(name = "renew", mixinStandardHelpOptions = true, description = {"Takes into an entry what the network has changed of its service since: what the entry changes is changed in that.",
        "Where both changed the same value, the entry is left as it is, and the values are named."},
            footer = {"", "Examples:", "  rilvan draft renew autumn tidewater-clinics"})
    int renew(@Parameters(paramLabel = "DRAFT") String name, @Parameters(paramLabel = "SERVICE") String service, @Mixin Output output) throws IOException {
        return added(Server.signedIn().object("POST", at(name) + "/entries/" + Texts.escape(service) + "/renewal", "", Documents.JSON), List.of(service), output);
    }

    @Command(name = "split", mixinStandardHelpOptions = true, description = "Puts a part of a draft into another one, which is made where there is none.",
            footer = {"", "Examples:", "  rilvan draft split autumn wires --model l2vpn"})
    int split(@Parameters(paramLabel = "DRAFT") String name, @Parameters(paramLabel = "OTHER") String to, @Mixin DraftPart part, @Mixin Output output) throws IOException {
        JsonObject other = Server.signedIn().object("POST", at(name) + "/splits", JsonWriter.string(Map.of("to", to, "part", part.said())), Documents.JSON);
        output.done(other, to + " has " + (entries(other).size() == 1 ? "1 entry" : entries(other).size() + " entries"));
        return 0;
    }

    @Command(name = "decide", mixinStandardHelpOptions = true, description = {"Decides about a conflict of a draft's orders with what a device holds, for a node and all below it.",
        "The preview tells the conflicts and what can be decided: replace, restore, leave or join. Where the device says something else by the time of an order, it is asked again."},
            footer = {"", "Examples:", "  rilvan draft decide autumn haven-pe1 '/ports/port[access-1]/mtu' replace --reason 'left over from the hall'", "  rilvan draft decide autumn haven-pe1 '/ports/port[access-1]/mtu' --undo"})
    int decide(@Parameters(paramLabel = "DRAFT") String name, @Parameters(paramLabel = "DEVICE") String device, @Parameters(paramLabel = "PATH") String path,
            @Parameters(arity = "0..1", paramLabel = "DECISION", description = "replace, restore, leave or join") String decision,
            @Option(names = "--reason", paramLabel = "TEXT", defaultValue = "", description = "Why") String reason, @Option(names = "--undo", description = "Take the decision back") boolean undo,
            @Mixin Output output) throws IOException {
        if (undo == (decision != null)) {
            throw new Failure(Failure.REFUSED, "say what is decided (replace, restore, leave or join), or --undo");
        }
        if (undo) {
            Server.signedIn().text("DELETE", at(name) + "/decisions" + Texts.query(new TreeMap<>(Map.of("device", device, "path", path))), null, null);
            output.done(Map.of("draft", name), "nothing is decided in the draft " + name + " about " + path + " of " + device);
            return 0;
        }
        JsonObject draft = Server.signedIn().object("POST", at(name) + "/decisions", JsonWriter.string(Map.of("device", device, "path", path, "decision", decision, "reason", reason)), Documents.JSON);
        if (!output.asJson(draft)) {
            decisions(draft);
            entries(draft).stream().filter(entry -> !entry.getArray("problems").isEmpty()).forEach(entry -> show(name, entry));
        }
        return 0;
    }

    private static void decisions(JsonObject draft) {
        draft.getArray("decisions").forEach(each -> {
            JsonObject decision = (JsonObject) each;
            Terminal.say("  decided: " + Terminal.in(Tone.STRONG, decision.getString("decision")) + " " + decision.getString("path") + " of " + decision.getString("device") + "  "
                    + Terminal.in(Tone.QUIET, "by " + decision.getString("who") + ", " + Texts.time(decision.getString("at"))) + (decision.getString("reason").isEmpty() ? "" : ": " + decision.getString("reason"))
                    + (decision.getBoolean("outdated") ? Terminal.in(Tone.BAD, "  the device says something else since: decide again") : ""));
            decision.getString("evidence").lines().forEach(line -> Terminal.say("      " + line));
        });
    }

    @Command(name = "reserve", mixinStandardHelpOptions = true, description = {"Keeps the numbers that a draft, or a part of it, takes until a time: addresses and tags can be told beforehand.",
        "With --give-back the draft keeps none any more."},
            footer = {"", "Examples:", "  rilvan draft reserve autumn --until 2027-01-15T12:00", "  rilvan draft reserve autumn --give-back"})
    int reserve(@Parameters(paramLabel = "DRAFT") String name, @ArgGroup(multiplicity = "1") Kept kept, @Mixin DraftPart part, @Mixin Output output) throws IOException {
        if (kept.giveBack) {
            Server.signedIn().text("DELETE", at(name) + "/reservation", null, null);
            output.done(Map.of("draft", name), "the draft " + name + " keeps no numbers");
            return 0;
        }
        JsonObject draft = Server.signedIn().put(at(name) + "/reservation", JsonWriter.string(Map.of("until", TimingOptions.time("--until", kept.until), "part", part.said())), Map.of());
        if (!output.asJson(draft)) {
            Terminal.say("kept until " + Texts.time(draft.getString("reservedUntil")));
            entries(draft).stream().filter(entry -> !entry.getArray("numbers").isEmpty()).forEach(entry -> {
                Terminal.say("  " + Terminal.in(Tone.STRONG, entry.getString("service")));
                numbers(entry);
            });
        }
        return 0;
    }

    /** How long numbers are kept, or that they are not. */
    private static final class Kept {
        @Option(names = "--until", required = true, paramLabel = "TIME", description = "2027-01-15T12:00 here, or with an offset")
        private String until;
        @Option(names = "--give-back", required = true, description = "Give back what the draft keeps")
        private boolean giveBack;
    }

    private static void numbers(JsonObject entry) {
        entry.getArray("numbers").forEach(each -> Terminal.say("    " + Texts.number((JsonObject) each)));
    }

    @Command(name = "preview", mixinStandardHelpOptions = true, description = "Shows what a draft, or a part of it, would change. Touches no device.",
            footer = {"", "Examples:", "  rilvan draft preview autumn", "  rilvan draft preview autumn --by anna --kind add", "  rilvan draft preview autumn --counts", "  rilvan draft preview autumn --first Haven"})
    int preview(@Parameters(paramLabel = "DRAFT") String name, @Mixin DraftPart part, @Mixin StageParts stages, @Mixin PreviewOptions options) throws IOException {
        return options.preview(at(name) + "/previews" + Texts.query(stages.query()), JsonWriter.string(part.said()), Documents.JSON);
    }

    @Command(name = "rehearse", mixinStandardHelpOptions = true, description = {"Tries a draft, or a part of it, on its devices, and changes none.",
        "What it finds stays with the draft: rilvan draft show tells of its last rehearsal."},
            footer = {"", "Examples:", "  rilvan draft rehearse autumn", "  rilvan draft rehearse autumn --model l2vpn"})
    int rehearse(@Parameters(paramLabel = "DRAFT") String name, @Mixin DraftPart part, @Mixin Output output) throws IOException {
        return OrderCommands.run(at(name) + "/rehearsals", JsonWriter.string(part.said()), Documents.JSON, Map.of(), false, output);
    }

    @Command(name = "run", mixinStandardHelpOptions = true, description = {"Runs an order that carries out a draft, or a part of it, and follows it to its end.",
        "What is carried out leaves the draft; what is rolled back stays in it."},
            footer = {"", "Examples:", "  rilvan draft run autumn", "  rilvan draft run autumn --tenant 'Tidewater Clinics' --reason 'as agreed'", "  rilvan draft run autumn --in-window", "  rilvan draft run autumn --first Haven --first Ternsay,Olvar --pause 10m"})
    int run(@Parameters(paramLabel = "DRAFT") String name, @Option(names = "--reason", paramLabel = "TEXT", description = "Why, instead of the draft's reason") String reason,
            @Option(names = "--no-follow", description = "Return as soon as the order is accepted") boolean leave, @Mixin DraftPart part, @Mixin TimingOptions timing,
            @Mixin StageOptions stages, @Mixin Consent consent, @Mixin Output output) throws IOException {
        Map<String, Object> order = new LinkedHashMap<>(Map.of("part", part.said()));
        order.putAll(timing.said());
        order.putAll(stages.said());
        if (reason != null) {
            order.put("reason", reason);
        }
        Optional<Map<String, String>> headers = consent.given(at(name) + "/previews" + Texts.query(stages.parts().query()), JsonWriter.string(part.said()), Documents.JSON, output);
        return headers.isEmpty() ? 0 : OrderCommands.run(at(name) + "/orders", JsonWriter.string(order), Documents.JSON, headers.get(), leave, output);
    }
}
