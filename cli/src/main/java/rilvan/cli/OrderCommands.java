package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import rilvan.cli.Terminal.Tone;

@Command(name = "order", mixinStandardHelpOptions = true, description = "Orders: shown, run, followed, looked back at.")
final class OrderCommands {

    private static final Map<String, String> PHASES = Map.ofEntries(Map.entry("BASELINE", "look before"), Map.entry("OPEN", "open a session"),
            Map.entry("LOOK", "lock and look"), Map.entry("PREPARE", "edit and validate"),
            Map.entry("COMMIT", "commit provisionally"), Map.entry("CHANGE", "change"), Map.entry("WAIT", "wait for the confirmation"), Map.entry("PROVE", "prove"), Map.entry("LOOK_AGAIN", "read once more"),
            Map.entry("CONFIRM", "confirm"), Map.entry("RELEASE", "let go"), Map.entry("GO_BACK", "go back"),
            Map.entry("BRING_FORWARD", "bring forward again"));

    @Command(name = "preview", mixinStandardHelpOptions = true, description = "Shows what an order would change; touches no device.")
    int preview(@Parameters(paramLabel = "FILE", description = "YAML or JSON; - for standard input") String file, @Mixin Output output)
            throws IOException {
        JsonObject preview = Server.signedIn().object("POST", "/api/v1/previews", Documents.read(file), Documents.YAML);
        if (!output.asJson(preview)) {
            show(preview);
        }
        return 0;
    }

    @Command(name = "run", mixinStandardHelpOptions = true, description = "Runs an order and follows it to its end.")
    int run(@Parameters(paramLabel = "FILE", description = "YAML or JSON; - for standard input") String file,
            @Option(names = "--no-follow", description = "Return as soon as the order is placed") boolean leave) throws IOException {
        String document = Documents.read(file);
        if (!leave) {
            return run(document, Documents.YAML);
        }
        JsonObject placed = Server.signedIn().object("POST", "/api/v1/orders", document, Documents.YAML);
        Terminal.say(placed.isNull("order") ? "nothing to do" : "order " + placed.getLong("order"));
        return 0;
    }

    static int preview(String document, String type) throws IOException {
        show(Server.signedIn().object("POST", "/api/v1/previews", document, type));
        return 0;
    }

    static int run(String document, String type) throws IOException {
        Server server = Server.signedIn();
        JsonObject placed = server.object("POST", "/api/v1/orders", document, type);
        if (placed.isNull("order")) {
            Terminal.say("nothing to do: the network already is as this order wants it");
            return 0;
        }
        return follow(server, placed.getLong("order"));
    }

    @Command(name = "follow", mixinStandardHelpOptions = true, description = "Follows an order to its end.")
    int follow(@Parameters(paramLabel = "ORDER") long id) throws IOException {
        return follow(Server.signedIn(), id);
    }

    private static int follow(Server server, long id) throws IOException {
        Terminal.say("order " + Terminal.in(Tone.STRONG, Long.toString(id)));
        server.events("/api/v1/orders/" + id + "/events", (name, data) -> {
            try {
                if (name.equals("step")) {
                    step(JsonParser.object().from(data));
                } else if (data.contains("WAITING")) {
                    Terminal.say("  " + waits(server.get("/api/v1/orders/" + id).getObject("order")));
                }
            } catch (JsonParserException | IOException e) {
                Terminal.complain("an event that is no JSON: " + data);
            }
        });
        JsonObject detail = server.get("/api/v1/orders/" + id);
        return outcome(detail, false);
    }

    private static String waits(JsonObject order) {
        List<String> behind = new ArrayList<>();
        for (Object each : order.getArray("waitsBehind")) {
            JsonObject ahead = (JsonObject) each;
            behind.add("order " + ahead.getLong("order") + " (" + String.join(", ", ahead.getArray("names").stream().map(String::valueOf).toList()) + ")");
        }
        return "waits in line" + (behind.isEmpty() ? "; its turn has come" : " behind " + String.join(", ", behind));
    }

    private static void step(JsonObject event) {
        String word = event.getString("word");
        if (event.getString("phase").equals("RECORD")) {
            // How it ended is said at the end, with what was seen.
            if (word.equals("DONE") || word.equals("ABORTED")) {
                return;
            }
            Terminal.say("  " + Terminal.in(Tone.STRONG, word.toLowerCase(Locale.ROOT)) + ": " + event.getString("text"));
            return;
        }
        if (word.equals("BEGINS") && event.getString("text").isEmpty()) {
            return;
        }
        String what = PHASES.getOrDefault(event.getString("phase"), event.getString("phase"));
        String device = event.getString("device").isEmpty() ? "all" : event.getString("device");
        String end = switch (word) {
            case "SUCCEEDS" -> Terminal.in(Tone.GOOD, "ok");
            case "WARNS" -> "warns";
            case "FAILS" -> Terminal.in(Tone.BAD, "failed");
            case "IN_DOUBT" -> Terminal.in(Tone.BAD, "in doubt");
            default -> "…";
        };
        String text = event.getString("text");
        Terminal.say(String.format("  %-14s %-22s %s%s", device, what, end, text.isEmpty() ? "" : ": " + text));
    }

    private static boolean comes(JsonObject order) {
        return order.getArray("services").stream().anyMatch(each -> !((JsonObject) each).getString("kind").equals("REMOVE"));
    }

    /** More checks than this are said in one line a kind where an order is followed, as far as they hold. */
    private static final int MOST_LINES = 16;

    /** What was seen of the services that an order names: line by line, and where it is much, only what is not plainly well. */
    private static void own(List<JsonObject> checks, long order, boolean whole) {
        boolean inBrief = !whole && checks.size() > MOST_LINES;
        Map<Boolean, List<JsonObject>> plainlyWell = checks.stream().collect(Collectors.partitioningBy(check ->
                inBrief && check.getBoolean("holds") && !check.getString("proves").equals("AWAITED")));
        plainlyWell.get(false).forEach(OrderCommands::seen);
        plainlyWell.get(true).stream().collect(Collectors.groupingBy(check -> List.of(check.getString("observation"), proves(check)), LinkedHashMap::new, Collectors.counting()))
                .forEach((kind, count) -> Terminal.say("  seen " + kind.get(0) + ": "
                        + Terminal.in(Tone.GOOD, count + (count == 1 ? " check" : " checks")) + " (" + kind.get(1) + ")"));
        if (!plainlyWell.get(true).isEmpty()) {
            Terminal.say("  one by one: rilvan order show " + order);
        }
    }

    private static String proves(JsonObject check) {
        return check.getString("proves").toLowerCase(Locale.ROOT).replace('_', ' ');
    }

    private static void seen(JsonObject check) {
        String seen = Terminal.in(check.getBoolean("holds") ? Tone.GOOD : Tone.BAD, check.getString("seen"));
        Terminal.say("  seen " + check.getString("observation") + " from " + check.getString("observer") + " to " + check.getString("target") + ": " + seen
                + " (" + proves(check)
                + (check.isNull("seenBefore") || check.getString("seenBefore").equals(check.getString("seen")) ? "" : "; before: " + check.getString("seenBefore")) + ")");
        if (!check.getString("way").isEmpty()) {
            Terminal.say("    the way there: " + check.getString("way"));
        }
    }

    /** Of services beside the order, what is not as before line by line; the rest in one. */
    private static void beside(List<JsonObject> checks) {
        checks.stream().filter(check -> !check.getBoolean("holds")).forEach(OrderCommands::seen);
        long well = checks.stream().filter(check -> check.getBoolean("holds")).count();
        if (well > 0) {
            String services = checks.stream().filter(check -> check.getBoolean("holds")).map(check -> check.getString("service")).distinct()
                    .collect(Collectors.joining(", "));
            Terminal.say("  beside it, as before: " + well + (well == 1 ? " check of " : " checks of ") + services);
        }
    }

    private static int outcome(JsonObject detail, boolean whole) {
        JsonObject order = detail.getObject("order");
        Set<String> named = order.getArray("services").stream().map(each -> ((JsonObject) each).getString("service")).collect(Collectors.toSet());
        Map<Boolean, List<JsonObject>> checks = detail.getArray("checks").stream().map(JsonObject.class::cast)
                .collect(Collectors.partitioningBy(check -> named.contains(check.getString("service"))));
        own(checks.get(true), order.getLong("id"), whole);
        beside(checks.get(false));
        List<JsonObject> leftOut = order.getArray("services").stream().map(JsonObject.class::cast).filter(each -> !each.getString("leftOut").isEmpty()).toList();
        leftOut.forEach(each -> Terminal.say(Terminal.in(Tone.BAD, "left out") + " " + each.getString("service") + ": " + each.getString("leftOut")));
        switch (order.getString("state")) {
            case "DONE":
                Terminal.say(Terminal.in(Tone.GOOD, "done") + ": every device is as asked" + (leftOut.isEmpty() ? "" : ", without what was left out")
                        + (checks.get(true).isEmpty() && comes(order) ? "; nothing was proven, since no model names a check" : ""));
                return leftOut.isEmpty() ? 0 : Failure.NOT_STANDING;
            case "WAITING":
                Terminal.say(waits(order) + "; follow it with: rilvan order follow " + order.getLong("id"));
                return Failure.NOT_STANDING;
            case "ABORTED":
                Terminal.say(Terminal.in(Tone.BAD, "taken back") + ": every device is as before");
                Terminal.say("  " + order.getString("failure"));
                return Failure.NOT_STANDING;
            default:
                Terminal.say("still under way (" + order.getString("state") + "); follow it with: rilvan order follow " + order.getLong("id"));
                return Failure.NOT_STANDING;
        }
    }

    @Command(name = "list", mixinStandardHelpOptions = true, description = "The latest orders.")
    int list(@Mixin Output output) throws IOException {
        output.list(Server.signedIn().list("/api/v1/orders"), List.of("ORDER", "WHEN", "STATE", "BY", "SERVICES", "REASON"), order ->
                List.of(Long.toString(order.getLong("id")), Texts.time(order.getString("createdAt")),
                        order.getString("state").toLowerCase(Locale.ROOT) + (order.getBoolean("inDoubt") ? ", in doubt" : ""),
                        order.getString("who"), services(order), order.getString("reason")));
        return 0;
    }

    private static String services(JsonObject view) {
        List<String> parts = new ArrayList<>();
        for (Object each : view.getArray("services")) {
            JsonObject service = (JsonObject) each;
            parts.add((service.getString("leftOut").isEmpty() ? service.getString("kind").toLowerCase(Locale.ROOT) : "without") + " " + service.getString("service"));
        }
        return String.join(", ", parts);
    }

    @Command(name = "show", mixinStandardHelpOptions = true, description = "An order: what it changed, what happened, what was seen.")
    int show(@Parameters(paramLabel = "ORDER") long id, @Mixin Output output) throws IOException {
        JsonObject detail = Server.signedIn().get("/api/v1/orders/" + id);
        if (output.asJson(detail)) {
            return 0;
        }
        JsonObject order = detail.getObject("order");
        Terminal.say("order " + Terminal.in(Tone.STRONG, Long.toString(id)) + "  " + services(order) + "  by " + order.getString("who")
                + ", " + Texts.time(order.getString("createdAt")) + ": " + order.getString("reason"));
        devices(detail.getObject("devices"));
        detail.getArray("events").forEach(event -> step((JsonObject) event));
        outcome(detail, true);
        return 0;
    }

    @Command(name = "take-back", mixinStandardHelpOptions = true, description = "Asks for an order to be taken back while it still can be.")
    int takeBack(@Parameters(paramLabel = "ORDER") long id) throws IOException {
        Server.signedIn().text("POST", "/api/v1/orders/" + id + "/cancellation", "", Documents.JSON);
        Terminal.say("asked for; follow it with: rilvan order follow " + id);
        return 0;
    }

    @Command(name = "seen", mixinStandardHelpOptions = true, description = {"Tells how a device in doubt stands that cannot be read.",
        "It counts as read, and is kept with your name."})
    int seen(@Parameters(paramLabel = "ORDER") long id, @Parameters(paramLabel = "DEVICE") String device,
            @Parameters(paramLabel = "before|after", description = "as it was before the order, or as it should be after it") String as) throws IOException {
        Server.signedIn().text("POST", "/api/v1/orders/" + id + "/devices/" + device + "/sightings",
                JsonWriter.string().object().value("as", as).end().done(), Documents.JSON);
        Terminal.say("noted; follow the order with: rilvan order follow " + id);
        return 0;
    }

    private static void show(JsonObject preview) {
        if (preview.getBoolean("changesNothing")) {
            Terminal.say("nothing to do: the network already is as this order wants it");
            return;
        }
        Terminal.say(services(preview));
        devices(preview.getObject("devices"));
        Terminal.say(preview.getString("guarantee"));
    }

    private static void devices(JsonObject devices) {
        devices.forEach((device, lines) -> {
            if (((JsonArray) lines).isEmpty()) {
                return;
            }
            Terminal.say("on " + Terminal.in(Tone.STRONG, device));
            for (Object each : (JsonArray) lines) {
                JsonObject line = (JsonObject) each;
                String text = line.getString("text");
                Terminal.say(switch (line.getString("sign")) {
                    case "COMES" -> Terminal.in(Tone.GOOD, "  + " + text);
                    case "GOES" -> Terminal.in(Tone.BAD, "  - " + text);
                    default -> "    " + text;
                });
            }
        });
    }
}
