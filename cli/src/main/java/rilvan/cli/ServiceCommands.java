package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "service", mixinStandardHelpOptions = true, description = "Lists, shows, checks, edits, suspends, renames, refreshes, moves and removes services.")
final class ServiceCommands {

    @Command(name = "list", mixinStandardHelpOptions = true, description = {"Lists services, or those whose name or tenant contains a text.", "With --failing, exits with 1 where a service fails."},
            footer = {"", "Examples:", "  rilvan service list tidewater", "  rilvan service list --device haven-pe1 --port access-3", "  rilvan service list --state suspended --sort tenant", "  rilvan service list --failing"})
    int list(@Parameters(arity = "0..1", paramLabel = "TEXT", defaultValue = "") String search,
            @Option(names = "--failing", description = "Only services whose last checks did not all pass, or that are out of date") boolean failing,
            @Option(names = "--tenant", paramLabel = "TENANT", description = "Only those for this tenant") Optional<String> tenant, @Option(names = "--model", paramLabel = "MODEL", description = "Only those of this model") Optional<String> model,
            @Option(names = "--device", paramLabel = "DEVICE", description = "Only those that have something on this device") Optional<String> device,
            @Option(names = "--port", paramLabel = "PORT", description = "Only those at this port of the device") Optional<String> port,
            @Option(names = "--state", paramLabel = "STATE", description = "Only those that are: suspended, failing, out-of-date, drifted or ending") Optional<String> state,
            @Option(names = "--sort", paramLabel = "name|tenant|model", description = "In which order; by name unless this says otherwise") Optional<String> sort,
            @Mixin ListOutput output) throws IOException {
        Map<String, Object> wanted = new LinkedHashMap<>();
        tenant.ifPresent(name -> wanted.put("tenant", name));
        model.ifPresent(name -> wanted.put("model", name));
        device.ifPresent(name -> wanted.put("device", name));
        port.ifPresent(name -> wanted.put("port", name));
        state.ifPresent(name -> wanted.put("state", constant(name)));
        if (failing) {
            if (!wanted.isEmpty()) {
                throw new Failure(Failure.REFUSED, "--failing goes with a text alone; leave out " + wanted.keySet().stream().map(each -> "--" + each).collect(Collectors.joining(", ")));
            }
            return failing(search, output);
        }
        if (!search.isEmpty()) {
            wanted.put("search", search);
        }
        String none = wanted.isEmpty() ? "no services" : wanted.size() == 1 && !search.isEmpty() ? "no service matches '" + search + "'" : "no service fits";
        sort.ifPresent(by -> wanted.put("sort", constant(by)));
        JsonArray services = Server.signedIn().list("/api/v1/services" + Texts.query(wanted));
        output.list(services, none, List.of("SERVICE", "TENANT", "MODEL", "DEVICES"), service ->
                List.of(service.getString("name"), service.getString("tenant"), service.getString("model") + " "
                        + service.getInt("modelVersion"), "WHOLE".equals(service.getString("suspended")) ? "suspended"
                        : Texts.join(service.getArray("devices")) + ("PART".equals(service.getString("suspended")) ? " (suspended in part)" : "")));
        return 0;
    }

    /** What the service calls a choice that people write in small letters. */
    private static String constant(String written) {
        return written.toUpperCase(Locale.ROOT).replace('-', '_');
    }

    @Command(name = "show", mixinStandardHelpOptions = true, description = "Shows a service: parameters, numbers, clauses, footprint and history.",
            footer = {"", "Examples:", "  rilvan service show tidewater-clinics"})
    int show(@Parameters(paramLabel = "SERVICE") String name, @Mixin Output output) throws IOException {
        JsonObject detail = Server.signedIn().get("/api/v1/services/" + Texts.escape(name));
        if (output.asJson(detail)) {
            return 0;
        }
        JsonObject service = detail.getObject("service");
        if (service == null) {
            Terminal.say(Terminal.in(Terminal.Tone.STRONG, name) + "  removed");
        } else {
            Terminal.say(Terminal.in(Terminal.Tone.STRONG, name) + "  " + service.getString("tenant") + ", "
                    + service.getString("model") + " " + service.getInt("modelVersion")
                    + (service.getString("componentOf") == null ? "" : ", a component of " + service.getString("componentOf")));
            if (service.getObject("parameters").getBoolean("suspended")) {
                Terminal.say(Terminal.in(Terminal.Tone.BAD, "suspended") + "  it is on no device; its numbers are kept. Bring it back with: rilvan service resume " + name);
            }
            if (!service.getArray("components").isEmpty()) {
                heading("contains");
                service.getArray("components").forEach(component -> Terminal.say("  " + component));
            }
            JsonObject outOfDate = detail.getObject("outOfDate");
            if (!outOfDate.getArray("devices").isEmpty() || !outOfDate.getString("fault").isEmpty()) {
                Terminal.say(Terminal.in(Terminal.Tone.BAD, "out of date") + "  " + (outOfDate.getString("fault").isEmpty()
                        ? "today's settings, network and dialects would change it on " + Texts.join(outOfDate.getArray("devices")) + "; see: rilvan service refresh " + Optional.ofNullable(service.getString("componentOf")).orElse(name)
                        + " --preview. The clauses and checks below are those of today"
                        : "it cannot be worked out any more: " + outOfDate.getString("fault")));
            }
            DeviceCommands.drift(detail.getArray("drift"));
            heading("parameters");
            Texts.outline(service.getObject("parameters"), "  ").forEach(Terminal::say);
            if (!detail.getArray("numbers").isEmpty()) {
                heading("numbers from pools");
            }
            detail.getArray("numbers").forEach(each -> Terminal.say("  " + Texts.number((JsonObject) each)));
            if (!detail.getArray("clauses").isEmpty()) {
                heading("clauses");
            }
            for (Object each : detail.getArray("clauses")) {
                JsonObject clause = (JsonObject) each;
                StringBuilder says = new StringBuilder();
                clause.getObject("says").forEach((field, value) -> {
                    says.append(Texts.isNothing(value) ? "" : " " + Terminal.in(Terminal.Tone.QUIET, field) + " " + Texts.value(value));
                });
                Terminal.say("  " + clause.getString("device") + "  " + clause.getString("name") + says);
            }
            detail.getObject("footprint").forEach((device, lines) -> {
                heading("on " + device);
                ((JsonArray) lines).forEach(line -> Terminal.say("  " + ((JsonObject) line).getString("text")));
            });
        }
        JsonObject coverage = detail.getObject("coverage");
        if (coverage != null) {
            heading("checks");
            JsonArray uncovered = coverage.getArray("uncovered");
            Terminal.say("  " + coverage.getInt("checks") + " checks, " + coverage.getInt("places") + " places; "
                    + (uncovered.isEmpty() ? "every place has at least one check" : "no check covers " + Texts.join(uncovered)));
        }
        JsonArray customers = detail.getArray("customersToFollow");
        if (customers != null && !customers.isEmpty()) {
            heading("customer to follow");
            customers.forEach(each -> Terminal.say("  at " + ((JsonObject) each).getString("device") + " " + ((JsonObject) each).getString("port")
                    + ": checks there are repeated, and fail no order until they have passed"));
        }
        heading("history");
        for (Object each : detail.getArray("history")) {
            JsonObject entry = (JsonObject) each;
            Terminal.say("  order " + entry.getLong("order") + "  " + Texts.time(entry.getString("at")) + "  "
                    + entry.getString("kind").toLowerCase(java.util.Locale.ROOT) + " by " + entry.getString("who") + ": " + entry.getString("reason"));
        }
        return 0;
    }

    @Command(name = "handover", mixinStandardHelpOptions = true, description = {"Shows what is handed over with a service: what it is on both sides, its numbers, and what was proven of it, and when.",
        "With --page as a document in HTML, to print or to send."},
            footer = {"", "Examples:", "  rilvan service handover tidewater-clinics", "  rilvan service handover tidewater-clinics --page clinics.html"})
    int handover(@Parameters(paramLabel = "SERVICE") String name, @Option(names = "--page", paramLabel = "FILE", description = "Into this file, as a document in HTML") Path page, @Mixin Output output) throws IOException {
        String address = "/api/v1/services/" + Texts.escape(name) + "/handover";
        if (page != null) {
            Files.writeString(page, Server.signedIn().text("GET", address + "-page", null, null));
            output.done(Map.of("service", name, "page", page.toString()), "the handover sheet of " + name + " is in " + page);
            return 0;
        }
        JsonObject sheet = Server.signedIn().get(address);
        if (output.asJson(sheet)) {
            return 0;
        }
        Terminal.say(Terminal.in(Terminal.Tone.STRONG, name) + "  " + sheet.getString("kind") + " for " + sheet.getString("tenant"));
        sheet.getArray("sections").forEach(each -> {
            JsonObject section = (JsonObject) each;
            heading(section.getString("name").isEmpty() ? "the service" : section.getString("title").toLowerCase(Locale.ROOT) + ": " + section.getString("name"));
            section.getArray("lines").forEach(line -> Terminal.say("  " + ((JsonObject) line).getString("label") + ": " + ((JsonObject) line).getString("value")));
        });
        if (!sheet.getArray("numbers").isEmpty()) {
            heading("numbers");
            sheet.getArray("numbers").forEach(number -> Terminal.say("  " + Texts.number((JsonObject) number)));
        }
        heading("proven");
        JsonArray proven = sheet.getArray("proven");
        Terminal.say(proven.isEmpty() ? "  there is no record of checks" : "  by order " + sheet.getLong("order") + ", done " + Texts.time(sheet.getString("provenAt")) + ": " + (proven.size() == 1 ? "1 check" : proven.size() + " checks") + " passed");
        proven.forEach(each -> {
            JsonObject proof = (JsonObject) each;
            Terminal.say("  " + proof.getString("what") + " from " + proof.getString("from") + " to " + proof.getString("to") + ": " + proof.getString("value"));
        });
        return 0;
    }

    @Command(name = "check", mixinStandardHelpOptions = true,
            description = "Runs all checks of a service, and of those it contains, once, now. Exits with 1 where one fails.",
            footer = {"", "Examples:", "  rilvan service check tidewater-clinics"})
    int check(@Parameters(paramLabel = "SERVICE") String name, @Mixin Output output) throws IOException {
        JsonArray checks = Server.signedIn().look("/api/v1/services/" + Texts.escape(name) + "/checks");
        boolean good = checks.stream().allMatch(each -> ((JsonObject) each).getBoolean("passed"));
        if (output.asJson(checks)) {
            return good ? 0 : 1;
        }
        if (checks.isEmpty()) {
            Terminal.say("no checks: the model of " + name + " has none");
            return 0;
        }
        Terminal.table(List.of("RESULT", "CHECK", "FROM", "TO", "VALUE"), checks, check -> List.of(
                !OrderCommands.counts(check) ? Texts.words(check.getString("covers")) : check.getBoolean("passed") ? "pass" : "fail",
                (check.getBoolean("wanted") ? "" : "no ") + check.getString("observation"), check.getString("from"), check.getString("to"), check.getString("value")));
        checks.stream().map(JsonObject.class::cast).filter(check -> !check.getString("path").isEmpty()).forEach(check ->
                Terminal.say("path from " + check.getString("observer") + " to " + check.getString("target") + ": " + check.getString("path")));
        return good ? 0 : 1;
    }

    private static int failing(String search, ListOutput output) throws IOException {
        JsonArray failing = Server.signedIn().list("/api/v1/failing-services");
        failing.removeIf(each -> !((JsonObject) each).getString("service").contains(search));
        output.list(failing, search.isEmpty() ? "no service fails: the last checks of all services passed, and all are up to date" : "no failing service matches '" + search + "'", List.of("SERVICE", "CHECKED", "OUT OF DATE", "FAILURES"), each -> List.of(each.getString("service"), Texts.time(each.getString("checkedAt")),
                each.getString("outOfDate"), each.getString("failures")));
        return failing.isEmpty() ? 0 : Failure.FAILED;
    }

    private static void heading(String text) {
        Terminal.say(Terminal.in(Terminal.Tone.QUIET, text));
    }

    @Command(name = "end", mixinStandardHelpOptions = true, description = {"Says when a service, or one of its sites, ends; said again, it is put off. An order of its own removes it then.",
        "Some days before, an event tells of it (service.ends-soon), and rilvan service endings lists it."},
            footer = {"", "Examples:", "  rilvan service end kelp-works-wire --at 2027-03-01T02:00", "  rilvan service end tidewater-clinics --part sites/haven --at 2027-03-01T02:00 --reason 'the house is given up'",
                "  rilvan service end kelp-works-wire --undo"})
    int end(@Parameters(paramLabel = "SERVICE") String name, @Option(names = "--at", paramLabel = "TIME", description = "When: 2027-03-01T02:00 here, or with an offset") String at,
            @Option(names = "--part", paramLabel = "FIELD/NAME", defaultValue = "", description = "Only this item of a list, such as sites/haven") String part,
            @Option(names = "--notice", paramLabel = "DAYS", description = "How many days before it is told of; 7 where it is left out") Optional<Long> notice,
            @Option(names = "--reason", paramLabel = "TEXT", defaultValue = "", description = "Why") String reason, @Option(names = "--undo", description = "It does not end") boolean undo, @Mixin Output output) throws IOException {
        if (undo == (at != null)) {
            throw new Failure(Failure.REFUSED, "say when it ends (--at), or --undo");
        }
        String address = "/api/v1/services/" + Texts.escape(name) + "/ending";
        String what = name + (part.isEmpty() ? "" : " " + part);
        if (undo) {
            Server.signedIn().text("DELETE", address + Texts.query(part.isEmpty() ? Map.of() : Map.of("part", part)), null, null);
            output.done(Map.of("service", name, "part", part), what + " does not end");
            return 0;
        }
        Map<String, Object> document = new LinkedHashMap<>(Map.of("at", TimingOptions.time("--at", at), "part", part, "reason", reason));
        notice.ifPresent(days -> document.put("noticeDays", days));
        JsonObject ending = Server.signedIn().put(address, JsonWriter.string(document), Map.of());
        output.done(ending, what + " ends at " + Texts.time(ending.getString("at")) + "; it is told of at " + Texts.time(ending.getString("noticeAt")));
        return 0;
    }

    @Command(name = "endings", mixinStandardHelpOptions = true, description = "Lists which services and sites end, and when.", footer = {"", "Examples:", "  rilvan service endings"})
    int endings(@Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().list("/api/v1/endings"), "no service is to end", List.of("SERVICE", "PART", "ENDS", "TOLD OF", "BY", "ORDER", "REASON"), each -> List.of(each.getString("service"), each.getString("part"),
                Texts.time(each.getString("at")), Texts.time(each.getString("noticeAt")), each.getString("who"), each.isNull("order") ? "" : Long.toString(each.getLong("order")),
                each.getString("failure").isEmpty() ? each.getString("reason") : each.getString("failure")));
        return 0;
    }

    @Command(name = "set", mixinStandardHelpOptions = true, description = {"Sets single values of a service in a draft; nothing is on the network before an order carries the draft out.",
        "A parameter is named by the fields that lead to it, an item of a list by its own name. An empty value takes the parameter away; a list has semicolons between its items."},
            footer = {"", "Examples:", "  rilvan service set tidewater-clinics sites/haven/rate=200000 --draft faster-clinics"})
    int set(@Parameters(index = "0", paramLabel = "SERVICE") String name, @Parameters(index = "1..*", arity = "1..*", paramLabel = "PARAMETER=VALUE") Map<String, String> values,
            @Mixin DraftOptions draft) throws IOException {
        return draft.set(name, values);
    }

    @Command(name = "edit", mixinStandardHelpOptions = true, description = {"Opens a service in your editor (VISUAL, EDITOR, or vi) and puts into a draft what you changed.",
        "What the draft says of the service already is opened; otherwise the service as it stands. An editor that fails, or a document that stays as it was, changes nothing."},
            footer = {"", "Examples:", "  rilvan service edit tidewater-clinics --draft faster-clinics"})
    int edit(@Parameters(paramLabel = "SERVICE") String name, @Mixin DraftOptions draft) throws IOException {
        return draft.edit(name);
    }

    @Command(name = "versions", mixinStandardHelpOptions = true, description = "Lists what orders have made of a service, the latest first.",
            footer = {"", "Examples:", "  rilvan service versions tidewater-clinics"})
    int versions(@Parameters(paramLabel = "SERVICE") String name, @Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().get("/api/v1/services/" + Texts.escape(name)).getArray("history"), "no versions", List.of("ORDER", "WHEN", "KIND", "BY", "REASON"), version -> List.of(
                Long.toString(version.getLong("order")), Texts.time(version.getString("at")), version.getString("kind").toLowerCase(Locale.ROOT), version.getString("who"), version.getString("reason")));
        return 0;
    }

    @Command(name = "diff", mixinStandardHelpOptions = true, description = "Shows what changed of a service from one version to another, or to what it is now: value by value, or line by line on each device.",
            footer = {"", "Examples:", "  rilvan service diff tidewater-clinics --from 3", "  rilvan service diff tidewater-clinics --from 3 --to 7", "  rilvan service diff tidewater-clinics --from 3 --lines"})
    int diff(@Parameters(paramLabel = "SERVICE") String name, @Option(names = "--from", required = true, paramLabel = "ORDER", description = "What this order had made of it") long from,
            @Option(names = "--to", paramLabel = "ORDER", description = "What this order had made of it; what it is now, where it is left out") Long to,
            @Option(names = "--lines", description = "What it says on each device, in the device's own language") boolean lines, @Mixin Output output) throws IOException {
        String versions = "?from=" + from + (to == null ? "" : "&to=" + to);
        if (lines) {
            JsonArray devices = Server.signedIn().list("/api/v1/services/" + Texts.escape(name) + "/line-differences" + versions);
            if (!output.asJson(devices)) {
                if (devices.isEmpty()) {
                    Terminal.say("no difference");
                }
                devices.forEach(device -> ((JsonObject) device).getArray("lines").forEach(line -> DeviceCommands.difference(String.valueOf(line))));
            }
            return 0;
        }
        JsonArray changes = Server.signedIn().list("/api/v1/services/" + Texts.escape(name) + "/differences" + versions);
        if (!output.asJson(changes)) {
            if (changes.isEmpty()) {
                Terminal.say("no difference");
            }
            DraftCommands.changes(changes).forEach(line -> Terminal.say(line.strip()));
        }
        return 0;
    }

    @Command(name = "return", mixinStandardHelpOptions = true, description = "Puts into a draft that a service becomes again what an order had made of it.",
            footer = {"", "Examples:", "  rilvan service return tidewater-clinics --to 3 --draft as-before"})
    int back(@Parameters(paramLabel = "SERVICE") String name, @Option(names = "--to", required = true, paramLabel = "ORDER", description = "The order that had made it so") long order, @Mixin DraftOptions draft) throws IOException {
        return draft.back(name, order);
    }

    @Command(name = "remove", mixinStandardHelpOptions = true, description = {"Removes services, all in one order, and follows the order.",
        "A service that others refer to goes only together with these."},
            footer = {"", "Examples:", "  rilvan service remove tidewater-clinics --preview", "  rilvan service remove tidewater-clinics --reason 'contract ended'"})
    int remove(@Parameters(arity = "1..*", paramLabel = "SERVICE") List<String> names,
            @Mixin OrderOptions options) throws IOException {
        return options.carryOut(Map.of("remove", names));
    }

    @Command(name = "suspend", mixinStandardHelpOptions = true, description = {"Takes services, or parts of them such as a site, off all devices for the time being, all in one order, and follows the order.",
        "They keep their parameters, numbers and history; nobody else gets their tags and addresses."},
            footer = {"", "Examples:", "  rilvan service suspend tidewater-clinics/sites/haven --preview", "  rilvan service suspend kelp-works-wire --reason 'the invoice is open'"})
    int suspend(@Parameters(arity = "1..*", paramLabel = "SERVICE[/FIELD/NAME]") List<String> parts, @Mixin OrderOptions options) throws IOException {
        return options.carryOut(Map.of("suspend", parts));
    }

    @Command(name = "resume", mixinStandardHelpOptions = true, description = "Brings back onto the devices what was suspended, all in one order, and follows the order.",
            footer = {"", "Examples:", "  rilvan service resume tidewater-clinics/sites/haven", "  rilvan service resume kelp-works-wire --preview"})
    int resume(@Parameters(arity = "1..*", paramLabel = "SERVICE[/FIELD/NAME]") List<String> parts, @Mixin OrderOptions options) throws IOException {
        return options.carryOut(Map.of("resume", parts));
    }

    @Command(name = "refresh", mixinStandardHelpOptions = true, description = {"Expands services again with the parameters they have, and follows the order:",
        "what follows from today's network, settings and referred services is brought onto the devices."},
            footer = {"", "Examples:", "  rilvan service refresh tidewater-clinics --preview"})
    int refresh(@Parameters(arity = "1..*", paramLabel = "SERVICE") List<String> names,
            @Mixin OrderOptions options) throws IOException {
        return options.carryOut(Map.of("refresh", names));
    }

    @Command(name = "move", mixinStandardHelpOptions = true, description = {"Moves services to another version of their model with the parameters they have, all in one order, and follows the order.",
        "Name the services, or a model: then those of its services that stand on another version, the first few of them by name if so wished."},
            footer = {"", "Examples:", "  rilvan service move gannet-cold-stores --to 2 --preview", "  rilvan service move --model l3vpn --to 2 --first 1", "  rilvan service move --model l3vpn --to 2"})
    int move(@Parameters(arity = "0..*", paramLabel = "SERVICE") List<String> named, @Option(names = "--to", required = true, paramLabel = "VERSION", description = "The version of the model") int version,
            @Option(names = "--model", paramLabel = "MODEL", description = "Services of this model") Optional<String> model,
            @Option(names = "--first", paramLabel = "COUNT", description = "Only so many of them, the first by name") Optional<Integer> first,
            @Mixin OrderOptions options) throws IOException {
        List<String> names = named == null ? List.of() : named;
        if (names.isEmpty() == model.isEmpty()) {
            throw new Failure(Failure.USAGE, "name the services to move, or their model with --model");
        }
        if (model.isPresent()) {
            names = Server.signedIn().list("/api/v1/services").stream().map(JsonObject.class::cast)
                    .filter(service -> service.getString("model").equals(model.get()) && service.getInt("modelVersion") != version
                            && service.getString("componentOf") == null)
                    .map(service -> service.getString("name")).limit(first.orElse(Integer.MAX_VALUE)).toList();
            if (names.isEmpty()) {
                options.done(Map.of("services", List.of()), "no service of " + model.get() + " stands on another version than " + version);
                return 0;
            }
        }
        return options.carryOut(Map.of("move", names.stream().map(name -> Map.of("service", name, "version", version)).toList()));
    }

    @Command(name = "rename", mixinStandardHelpOptions = true, description = {"Renames a service, which keeps its numbers and its history, and follows the order.",
        "Where other services refer to it, write an order that changes them as well."},
            footer = {"", "Examples:", "  rilvan service rename tidewater-clinics tidewater-surgeries --preview"})
    int rename(@Parameters(paramLabel = "SERVICE") String name, @Parameters(paramLabel = "NEW-NAME") String renamed,
            @Mixin OrderOptions options) throws IOException {
        JsonObject service = Server.signedIn().get("/api/v1/services/" + Texts.escape(name)).getObject("service");
        if (service == null) {
            throw new Failure(Failure.REFUSED, "there is no service named '" + name + "'; it was removed");
        }
        return options.carryOut(Map.of("services", List.of(Map.of("name", renamed, "renamed_from", name, "tenant", service.getString("tenant"),
                "model", service.getString("model"), "parameters", service.getObject("parameters")))));
    }
}
