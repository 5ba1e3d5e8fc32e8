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
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.AtomicReference;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import rilvan.cli.Terminal.Tone;

@Command(name = "order", mixinStandardHelpOptions = true, description = "Previews, rehearses, runs, follows, cancels and lists orders.")
final class OrderCommands {

    static final String ORDERS = "/api/v1/orders";
    static final String PREVIEWS = "/api/v1/previews";
    private static final String REHEARSALS = "/api/v1/rehearsals";
    private static final Set<String> ENDED = Set.of("DONE", "ROLLED_BACK", "REHEARSED");

    /** What an order waits for that may take long: nobody stays to see it begin. */
    private static final Set<String> LATER = Set.of("AWAITING_AGREEMENT", "SCHEDULED");
    private static final Set<String> UNBEGUN = Set.of("AWAITING_AGREEMENT", "SCHEDULED", "WAITING");

    /** Services that a row of the list of orders names. */
    private static final int MOST_LISTED = 3;

    @Command(name = "preview", mixinStandardHelpOptions = true, description = "Shows what an order would change. Touches no device.",
            footer = {"", "Examples:", "  rilvan order preview my-order.yaml", "  rilvan order preview my-order.yaml --counts", "  rilvan order preview my-order.yaml --device haven-pe1", "  rilvan order preview my-order.yaml --service tidewater-clinics", "  rilvan order preview my-order.yaml --to lines", "  rilvan order preview my-order.yaml --first Haven"})
    int preview(@Parameters(paramLabel = "FILE", description = "YAML or JSON; - for standard input") String file,
            @Option(names = "--service", paramLabel = "SERVICE", description = "Only the lines of this service; repeated for several") List<String> services,
            @Mixin StageParts stages, @Mixin PreviewOptions options) throws IOException {
        Map<String, Object> query = stages.query();
        if (services != null) {
            query.put("service", String.join(",", services));
        }
        return options.preview(PREVIEWS + Texts.query(query), Documents.read(file), Documents.YAML);
    }

    @Command(name = "run", mixinStandardHelpOptions = true, description = "Runs an order and follows it to its end.",
            footer = {"", "Examples:", "  rilvan order run my-order.yaml", "  rilvan order run - --no-follow", "  rilvan order run my-order.yaml --at 2026-12-01T02:00", "  rilvan order run my-order.yaml --in-window", "  rilvan order run my-order.yaml --first Haven --pause 10m --after-failure undo", "  rilvan order run my-order.yaml --new-before-old"})
    int run(@Parameters(paramLabel = "FILE", description = "YAML or JSON; - for standard input") String file,
            @Option(names = "--no-follow", description = "Return as soon as the order is accepted") boolean leave, @Mixin TimingOptions timing, @Mixin StageOptions stages, @Mixin Consent consent, @Mixin Output output) throws IOException {
        Map<String, Object> query = new LinkedHashMap<>(timing.said());
        query.putAll(stages.query());
        String document = Documents.read(file);
        Optional<Map<String, String>> headers = consent.given(PREVIEWS + Texts.query(stages.parts().query()), document, Documents.YAML, output);
        return headers.isEmpty() ? 0 : run(ORDERS + Texts.query(query), document, Documents.YAML, headers.get(), leave, output);
    }

    @Command(name = "rehearse", mixinStandardHelpOptions = true, description = {"Tries an order on its devices, and changes none.",
        "Each device is locked and read; one with a candidate checks the change; all is released again. What could not be tried is told."},
            footer = {"", "Examples:", "  rilvan order rehearse my-order.yaml"})
    int rehearse(@Parameters(paramLabel = "FILE", description = "YAML or JSON; - for standard input") String file, @Mixin Output output) throws IOException {
        return run(REHEARSALS, Documents.read(file), Documents.YAML, Map.of(), false, output);
    }

    /** Where the preview of an order in stages is asked for, or of one that is all at once. */
    /**
     * Places an order.
     *
     * @param headers that it is placed with
     * @param leave whether it is only placed, and not followed
     */
    static int run(String path, String document, String type, Map<String, String> headers, boolean leave, Output output) throws IOException {
        if (!leave) {
            return run(path, document, type, headers, output);
        }
        JsonObject placed = Server.signedIn().place(path, document, type, headers);
        output.done(placed, placed.isNull("order") ? "no change" : "order " + placed.getLong("order"));
        return 0;
    }

    static int preview(String document, String type, Output output) throws IOException {
        JsonObject preview = Server.signedIn().object("POST", PREVIEWS, document, type);
        if (!output.asJson(preview)) {
            PreviewText.show(preview);
        }
        return 0;
    }

    /** Places an order, once whoever is at the terminal has agreed, and follows it to its end. Programs are told how it ended, as order show has it. */
    static int run(String document, String type, Consent consent, Output output) throws IOException {
        Optional<Map<String, String>> headers = consent.given(PREVIEWS, document, type, output);
        return headers.isEmpty() ? 0 : run(ORDERS, document, type, headers.get(), output);
    }

    private static int run(String path, String document, String type, Map<String, String> headers, Output output) throws IOException {
        Server server = Server.signedIn();
        JsonObject placed = server.place(path, document, type, headers);
        if (placed.isNull("order")) {
            if (!output.asJson(placed)) {
                PreviewText.noChange(placed.getObject("preview", new JsonObject()));
            }
            return 0;
        }
        Retry retry = new Retry();
        retry.reached();
        long id = placed.getLong("order");
        JsonObject detail = server.get(ORDERS + "/" + id);
        if (LATER.contains(detail.getObject("order").getString("state"))) {
            if (!output.asJson(detail)) {
                Terminal.say("order " + Terminal.in(Tone.STRONG, Long.toString(id)));
                Terminal.say("  " + waits(detail.getObject("order")));
            }
            return 0;
        }
        return follow(server, id, retry, output);
    }

    @Command(name = "follow", mixinStandardHelpOptions = true, description = "Follows an order to its end.",
            footer = {"", "Examples:", "  rilvan order follow 17"})
    int follow(@Parameters(paramLabel = "ORDER") long id, @Mixin Output output) throws IOException {
        return follow(Server.signedIn(), id, new Retry(), output);
    }

    /** To the order's end, through whatever instance answers: where the connection is lost, behind the last step that was shown. */
    private static int follow(Server server, long id, Retry retry, Output output) throws IOException {
        output.note("order " + Terminal.in(Tone.STRONG, Long.toString(id)));
        String address = "/api/v1/orders/" + id;
        AtomicLong shown = new AtomicLong(-1);
        AtomicReference<String> state = new AtomicReference<>("");
        while (true) {
            try {
                server.events(address + "/events", (name, data) -> {
                    retry.reached();
                    if (!output.isForPrograms()) {
                        heard(server, address, name, data, shown, state);
                    }
                });
                JsonObject detail = server.get(address);
                retry.reached();
                if (ENDED.contains(detail.getObject("order").getString("state"))) {
                    return ended(server, detail, retry, output);
                }
                // An instance that is stopped ends what it tells; another one goes on with the order.
                retry.pause();
            } catch (IOException | Failure e) {
                retry.after(e);
            }
        }
    }

    /** An order has ended; where it is a stage, the next is followed. Programs are told how the last one ended. */
    private static int ended(Server server, JsonObject detail, Retry retry, Output output) throws IOException {
        JsonObject order = detail.getObject("order");
        int code = output.isForPrograms() ? exitCode(order) : outcome(detail, false);
        Optional<Long> next = order.getObject("stage") == null ? Optional.empty() : nextStage(server, order.getLong("id"), retry, output);
        if (next.isPresent()) {
            return Math.max(code, follow(server, next.get(), retry, output));
        }
        output.asJson(detail);
        return code;
    }

    /** The order that follows on one that was a stage; waits until it is there. */
    private static Optional<Long> nextStage(Server server, long id, Retry retry, Output output) throws IOException {
        boolean told = false;
        while (true) {
            try {
                JsonObject stages = server.get(ORDERS + "/" + id + "/stages");
                retry.reached();
                Optional<Long> next = stages.getArray("stages").stream().map(JsonObject.class::cast).filter(stage -> !stage.isNull("order")).map(stage -> stage.getLong("order")).filter(order -> order > id).findFirst()
                        .or(() -> Optional.ofNullable(stages.isNull("undoing") ? null : stages.getLong("undoing")).filter(order -> order > id));
                if (next.isPresent() || stages.isNull("nextAt")) {
                    if (next.isEmpty()) {
                        output.note(inWords(stages));
                    }
                    return next;
                }
                if (!told) {
                    output.note(inWords(stages));
                    told = true;
                }
                retry.pause();
            } catch (IOException | Failure e) {
                retry.after(e);
            }
        }
    }

    /** How far an order in stages is. */
    private static String inWords(JsonObject stages) {
        String waits = stages.getString("waitsFor");
        String why = waits.isEmpty() ? "" : ": " + waits;
        long done = stages.getArray("stages").stream().filter(stage -> "DONE".equals(((JsonObject) stage).getString("state"))).count();
        return switch (stages.getString("state")) {
            case "DONE" -> "all stages are done";
            case "UNDONE" -> Terminal.in(Tone.BAD, "taken back") + ": all services are as they were before the first stage";
            case "UNDOING" -> Terminal.in(Tone.BAD, "the stages that were done are taken back") + why;
            case "STOPPED" -> Terminal.in(Tone.BAD, "stopped") + ": " + done + " of " + stages.getArray("stages").size() + " stages are done, and stay" + why;
            default -> (stages.isNull("nextAt") ? "a stage is under way" : "the next stage begins at " + Texts.time(stages.getString("nextAt"))) + why;
        };
    }

    @Command(name = "stages", mixinStandardHelpOptions = true, description = {"Shows the stages of an order: where, which order each is, how it stands, and when the next begins.",
        "Cancelling the last order that was done keeps the next stage from beginning."},
            footer = {"", "Examples:", "  rilvan order stages 17"})
    int stages(@Parameters(paramLabel = "ORDER", description = "Any of its stages") long id, @Mixin ListOutput output) throws IOException {
        JsonObject stages = Server.signedIn().get(ORDERS + "/" + id + "/stages");
        output.list(stages.getArray("stages"), List.of("STAGE", "WHAT", "ORDER", "STATE"), stage -> List.of(Integer.toString(stage.getInt("number")),
                PreviewText.stage(stages.getArray("stages"), stage), stage.isNull("order") ? "" : Long.toString(stage.getLong("order")),
                stage.isNull("state") ? "" : Texts.words(stage.getString("state"))));
        output.note(inWords(stages) + (stages.isNull("undoing") ? "" : "; order " + stages.getLong("undoing") + " takes the stages back"));
        return 0;
    }

    private static void heard(Server server, String address, String name, String data, AtomicLong shown, AtomicReference<String> state) {
        try {
            if (name.equals("step")) {
                JsonObject step = JsonParser.object().from(data);
                if (step.getLong("seq") > shown.get()) {
                    shown.set(step.getLong("seq"));
                    step(step);
                }
            } else if (!data.equals(state.getAndSet(data)) && UNBEGUN.stream().anyMatch(data::contains)) {
                Terminal.say("  " + waits(server.get(address).getObject("order")));
            }
        } catch (JsonParserException | IOException e) {
            Terminal.complain("an event that is no JSON: " + data);
        }
    }

    private static String waits(JsonObject order) {
        String by = order.getString("startBy") == null ? "" : ", until " + Texts.time(order.getString("startBy"));
        if (order.getString("keptBackBy") != null) {
            return "kept back by " + order.getString("keptBackBy");
        }
        if (order.getString("state").equals("AWAITING_AGREEMENT")) {
            return "another person is to agree to it" + by + ": " + Texts.join(order.getObject("agreement").getArray("why")) + "\n  they do with: rilvan order agree " + order.getLong("id");
        }
        if (order.getString("state").equals("SCHEDULED")) {
            return "begins at " + Texts.time(order.getString("startAt")) + (order.getBoolean("inWindow") ? ", when the maintenance windows of its sites are open" : "") + by;
        }
        List<String> behind = new ArrayList<>();
        for (Object each : order.getArray("waitsBehind")) {
            JsonObject ahead = (JsonObject) each;
            behind.add("order " + ahead.getLong("order") + " (" + String.join(", ", ahead.getArray("names").stream().map(String::valueOf).toList()) + ")");
        }
        return behind.isEmpty() ? "waiting: starts now" : "waiting for " + String.join(", ", behind);
    }

    private static void step(JsonObject event) {
        String result = event.getString("result");
        if (event.getString("phase").equals("RECORD")) {
            // The end is printed last, after the checks.
            if (ENDED.contains(result)) {
                return;
            }
            Terminal.say("  " + Terminal.in(Tone.STRONG, Texts.words(result)) + ": " + event.getString("text"));
            return;
        }
        if (result.equals("STARTED") && event.getString("text").isEmpty()) {
            return;
        }
        String phase = Texts.words(event.getString("phase"));
        String device = event.getString("device").isEmpty() ? "all" : event.getString("device");
        String shown = switch (result) {
            case "OK" -> Terminal.in(Tone.GOOD, "ok");
            case "WARNING" -> "warning";
            case "FAILED" -> Terminal.in(Tone.BAD, "failed");
            case "IN_DOUBT" -> Terminal.in(Tone.BAD, "in doubt");
            default -> "…";
        };
        String text = event.getString("text");
        Terminal.say(String.format("  %-14s %-22s %s%s", device, phase, shown, text.isEmpty() ? "" : ": " + text));
    }

    private static boolean comes(JsonObject order) {
        return order.getArray("services").stream().anyMatch(each -> !((JsonObject) each).getString("kind").equals("REMOVE"));
    }

    /** More passed checks than this are summed up, one line per kind, while an order is followed. */
    private static final int MOST_LINES = 16;

    /** The checks of the services that an order names: one line each, and where there are many, only those that did not pass. */
    private static void own(List<JsonObject> checks, long order, boolean whole) {
        boolean inBrief = !whole && checks.size() > MOST_LINES;
        Map<Boolean, List<JsonObject>> passed = checks.stream().collect(Collectors.partitioningBy(check ->
                inBrief && check.getBoolean("passed") && counts(check)));
        passed.get(false).forEach(OrderCommands::check);
        passed.get(true).stream().collect(Collectors.groupingBy(check -> List.of(check.getString("observation"), covers(check)), LinkedHashMap::new, Collectors.counting()))
                .forEach((kind, count) -> Terminal.say("  checks " + kind.get(0) + ": "
                        + Terminal.in(Tone.GOOD, count + " passed") + " (" + kind.get(1) + ")"));
        if (!passed.get(true).isEmpty()) {
            Terminal.say("  all of them: rilvan order show " + order);
        }
    }

    /** Whether a result says anything of its service: a check that is not testable yet, or where a customer is to follow, does not. */
    static boolean counts(JsonObject check) {
        return !List.of("NOT_TESTABLE_YET", "CUSTOMER_TO_FOLLOW").contains(check.getString("covers"));
    }

    private static String covers(JsonObject check) {
        return Texts.words(check.getString("covers"));
    }

    private static void check(JsonObject check) {
        boolean passed = check.getBoolean("passed");
        String value = check.getString("value");
        Terminal.say("  check " + check.getString("observation") + " from " + check.getString("observer") + " to " + check.getString("target") + ": "
                + (counts(check) ? Terminal.in(passed ? Tone.GOOD : Tone.BAD, (passed ? "pass, " : "fail, ") + value) : Terminal.in(Tone.QUIET, value))
                + " (" + covers(check)
                + (check.isNull("valueBefore") || check.getString("valueBefore").equals(value) ? "" : "; before: " + check.getString("valueBefore")) + ")");
        if (!check.getString("path").isEmpty()) {
            Terminal.say("    path: " + check.getString("path"));
        }
    }

    /** Checks of other services on the devices of the order: the failed ones line by line, the others in one line. */
    private static void others(List<JsonObject> checks) {
        checks.stream().filter(check -> !check.getBoolean("passed")).forEach(OrderCommands::check);
        long passing = checks.stream().filter(check -> check.getBoolean("passed")).count();
        if (passing > 0) {
            String services = checks.stream().filter(check -> check.getBoolean("passed")).map(check -> check.getString("service")).distinct()
                    .collect(Collectors.joining(", "));
            Terminal.say("  other services, as before: " + passing + (passing == 1 ? " check of " : " checks of ") + services + " passed");
        }
    }

    private static int exitCode(JsonObject order) {
        boolean good = order.getBoolean("rehearsal") ? order.getString("state").equals("REHEARSED") && order.getString("failure").isEmpty() : order.getString("state").equals("DONE") && leftOut(order).isEmpty();
        return good || !ENDED.contains(order.getString("state")) ? 0 : Failure.FAILED;
    }

    private static List<JsonObject> leftOut(JsonObject order) {
        return order.getArray("services").stream().map(JsonObject.class::cast).filter(each -> !each.getString("leftOut").isEmpty()).toList();
    }

    private static int outcome(JsonObject detail, boolean whole) {
        JsonObject order = detail.getObject("order");
        Set<String> named = order.getArray("services").stream().map(each -> ((JsonObject) each).getString("service")).collect(Collectors.toSet());
        Map<Boolean, List<JsonObject>> checks = detail.getArray("checks").stream().map(JsonObject.class::cast)
                .collect(Collectors.partitioningBy(check -> named.contains(check.getString("service"))));
        own(checks.get(true), order.getLong("id"), whole);
        others(checks.get(false));
        List<JsonObject> leftOut = leftOut(order);
        leftOut.forEach(each -> Terminal.say(Terminal.in(Tone.BAD, "left out") + " " + each.getString("service") + ": " + each.getString("leftOut")));
        switch (order.getString("state")) {
            case "DONE":
                Terminal.say(Terminal.in(Tone.GOOD, "done") + ": all devices hold what was ordered" + (leftOut.isEmpty() ? "" : ", except for the services that were left out")
                        + (checks.get(true).isEmpty() && comes(order) ? "; no checks: the models of these services have none" : ""));
                break;
            case "REHEARSED":
                rehearsed(order);
                break;
            case "AWAITING_AGREEMENT", "SCHEDULED":
                Terminal.say(waits(order));
                break;
            case "WAITING":
                Terminal.say(waits(order) + "; follow it with: rilvan order follow " + order.getLong("id"));
                break;
            case "ROLLED_BACK":
                Terminal.say(Terminal.in(Tone.BAD, "rolled back") + ": every device has the configuration that it had before the order");
                Terminal.say("  " + order.getString("failure"));
                order.getArray("faults").forEach(fault -> fault((JsonObject) fault));
                break;
            default:
                Terminal.say("running (" + Texts.words(order.getString("state")) + "); follow it with: rilvan order follow " + order.getLong("id"));
        }
        return exitCode(order);
    }

    private static void rehearsed(JsonObject order) {
        boolean good = order.getString("failure").isEmpty();
        Terminal.say(Terminal.in(good ? Tone.GOOD : Tone.BAD, "rehearsed") + ": no device was changed; " + (good ? "nothing that could be tried stands against the order" : "against the order stands:"));
        if (!good) {
            Terminal.say("  " + order.getString("failure"));
            order.getArray("faults").forEach(fault -> fault((JsonObject) fault));
        }
    }

    /** Whose a node is that a device complained of, and the field of the order that it comes from. */
    private static void fault(JsonObject fault) {
        for (Object each : fault.getArray("owners")) {
            JsonObject owner = (JsonObject) each;
            String pointer = owner.getString("pointer");
            Terminal.say("    " + fault.getString("path") + " belongs to " + owner.getString("service") + ", clause " + owner.getString("clause")
                    + (pointer.isEmpty() ? "" : ", from " + pointer));
        }
    }

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Lists the latest orders, or the latest before one of them; of those that fit all that is said.",
            footer = {"", "Examples:", "  rilvan order list", "  rilvan order list --before 40 --columns order,state", "  rilvan order list --service tidewater-clinics --state 'rolled back'", "  rilvan order list --tenant 'Kelp & Co.' --device haven-pe1"})
    int list(@Option(names = "--before", paramLabel = "ORDER", description = "Only orders before this one") Optional<Long> before,
            @Option(names = "--state", paramLabel = "STATE", description = "As the list shows it: done, 'rolled back', waiting, …") Optional<String> state,
            @Mixin OrderFilter filter, @Mixin ListOutput output) throws IOException {
        Map<String, Object> wanted = filter.query();
        state.ifPresent(text -> wanted.put("state", text.toUpperCase(Locale.ROOT).replace(' ', '_')));
        boolean all = wanted.isEmpty();
        before.ifPresent(id -> wanted.put("before", id));
        JsonArray orders = Server.signedIn().firstPage(ORDERS + Texts.query(wanted));
        output.list(orders, all ? "no orders" : "no order fits", List.of("ORDER", "WHEN", "STATE", "BY", "SERVICES", "REASON"), order ->
                List.of(Long.toString(order.getLong("id")), Texts.time(order.getString("createdAt")),
                        Texts.words(order.getString("state")) + (order.getBoolean("inDoubt") ? ", in doubt" : ""),
                        order.getString("who"), PreviewText.services(order, MOST_LISTED, false), order.getString("reason")));
        if (!orders.isEmpty() && orders.getObject(orders.size() - 1).getLong("id") > 1) {
            output.note("earlier ones: the same with --before " + orders.getObject(orders.size() - 1).getLong("id"));
        }
        return 0;
    }

    @Command(name = "show", mixinStandardHelpOptions = true, description = "Shows an order: what it changed, what happened, and its checks.",
            footer = {"", "Examples:", "  rilvan order show 17"})
    int show(@Parameters(paramLabel = "ORDER") long id, @Mixin Output output) throws IOException {
        JsonObject detail = Server.signedIn().get("/api/v1/orders/" + id);
        if (output.asJson(detail)) {
            return 0;
        }
        JsonObject order = detail.getObject("order");
        Terminal.say("order " + Terminal.in(Tone.STRONG, Long.toString(id)) + "  " + PreviewText.services(order, PreviewText.MOST_NAMED, false) + "  by " + order.getString("who")
                + ", " + Texts.time(order.getString("createdAt")) + ": " + order.getString("reason"));
        if (UNBEGUN.contains(order.getString("state"))) {
            PreviewText.show(Server.signedIn().get("/api/v1/orders/" + id + "/preview"));
        }
        PreviewText.devices(detail.getObject("devices"));
        if (detail.getString("thinnedAt") != null) {
            Terminal.say(Terminal.in(Tone.QUIET, "it ended long ago: its lines, steps and checks were dropped at " + Texts.time(detail.getString("thinnedAt"))));
        }
        detail.getArray("events").forEach(event -> step((JsonObject) event));
        outcome(detail, true);
        return 0;
    }

    @Command(name = "agree", mixinStandardHelpOptions = true, description = {"Agrees to an order that somebody else has prepared and placed, after a look at what it would change.",
        "The agreement holds for just that: where the order would do something else when it begins, it waits for another one."},
            footer = {"", "Examples:", "  rilvan order agree 17", "  rilvan order agree 17 --yes"})
    int agree(@Parameters(paramLabel = "ORDER") long id, @Option(names = "--yes", description = "Without asking") boolean yes, @Mixin Output output) throws IOException {
        Server server = Server.signedIn();
        Server.Tagged preview = server.tagged("/api/v1/orders/" + id + "/preview");
        if (!output.isForPrograms()) {
            PreviewText.show(preview.value());
        }
        if (!yes && !Terminal.confirmed("Agree to order " + id + "?")) {
            output.done(Map.of("order", id, "agreed", false), "not agreed; it goes on waiting");
            return Failure.REFUSED;
        }
        server.posted(ORDERS + "/" + id + "/agreement", Map.of("If-Match", preview.tag()));
        output.done(Map.of("order", id, "agreed", true), "agreed; follow it with: rilvan order follow " + id);
        return 0;
    }

    @Command(name = "refuse", mixinStandardHelpOptions = true, description = "Says no to an order that another person is to agree to: it ends.",
            footer = {"", "Examples:", "  rilvan order refuse 17 --reason 'not before the tide tables are out'"})
    int refuse(@Parameters(paramLabel = "ORDER") long id, @Option(names = "--reason", paramLabel = "TEXT", defaultValue = "", description = "Why; the order keeps it") String reason, @Mixin Output output) throws IOException {
        Server.signedIn().text("POST", ORDERS + "/" + id + "/refusal", JsonWriter.string(Map.of("reason", reason)), Documents.JSON);
        output.done(Map.of("refused", id), "order " + id + " is refused");
        return 0;
    }

    @Command(name = "undo", mixinStandardHelpOptions = true, description = {"Puts into a draft that each service of an order becomes again what it was before it.",
        "Where later orders have changed the same services, they are named, and nothing is undone unless --later says what is meant."},
            footer = {"", "Examples:", "  rilvan order undo 17 --draft as-before", "  rilvan order undo 17 --draft as-before --later skip"})
    int undo(@Parameters(paramLabel = "ORDER") long id, @Option(names = "--later", paramLabel = "undo|skip", description = "What later orders did to the same services is undone as well, or these are left as they are") String later,
            @Mixin DraftOptions draft) throws IOException {
        return draft.undo(id, later);
    }

    @Command(name = "cancel", mixinStandardHelpOptions = true, description = "Cancels an order that is waiting or not decided yet; it is rolled back.",
            footer = {"", "Examples:", "  rilvan order cancel 17"})
    int cancel(@Parameters(paramLabel = "ORDER") long id, @Mixin Output output) throws IOException {
        Server.signedIn().text("POST", "/api/v1/orders/" + id + "/cancellation", "", Documents.JSON);
        output.done(Map.of("cancelled", id), "cancellation accepted; follow it with: rilvan order follow " + id);
        return 0;
    }

    @Command(name = "resolve", mixinStandardHelpOptions = true, description = {"Resolves a device in doubt that Rilvan cannot read: you state what the device holds.",
        "Your statement counts as read, and is kept with your name."},
            footer = {"", "Examples:", "  rilvan order resolve 17 haven-pe1 --holds after"})
    int resolve(@Parameters(paramLabel = "ORDER") long id, @Parameters(paramLabel = "DEVICE") String device,
            @Option(names = "--holds", required = true, paramLabel = "before|after", description = "What the device holds: the state before the order, or after it") String holds,
            @Mixin Output output) throws IOException {
        Server.signedIn().text("POST", "/api/v1/orders/" + id + "/devices/" + device + "/resolutions",
                JsonWriter.string().object().value("holds", holds).end().done(), Documents.JSON);
        output.done(Map.of("order", id, "device", device, "holds", holds), "resolution accepted; follow the order with: rilvan order follow " + id);
        return 0;
    }
}
