package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.List;
import java.util.Map;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "service", mixinStandardHelpOptions = true, description = "Services: what stands, where, and how it came to be.")
final class ServiceCommands {

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Services, or those whose name or tenant contains a text.")
    int list(@Parameters(arity = "0..1", paramLabel = "TEXT", defaultValue = "") String search, @Mixin Output output) throws IOException {
        JsonArray services = Server.signedIn().list("/api/v1/services?search=" + Texts.escape(search));
        if (output.asJson(services)) {
            return 0;
        }
        if (services.isEmpty()) {
            Terminal.say("no service stands");
            return 0;
        }
        Terminal.table(List.of("SERVICE", "TENANT", "MODEL", "DEVICES"), services, service ->
                List.of(service.getString("name"), service.getString("tenant"), service.getString("model") + " "
                        + service.getInt("modelVersion"), Texts.join(service.getArray("devices"))));
        return 0;
    }

    @Command(name = "show", mixinStandardHelpOptions = true, description = "A service's parameters, numbers, clauses, footprint and history.")
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
                    + service.getString("model") + " " + service.getInt("modelVersion"));
            heading("parameters");
            Texts.outline(service.getObject("parameters"), "  ").forEach(Terminal::say);
            heading("numbers");
            for (Object each : detail.getArray("numbers")) {
                JsonObject number = (JsonObject) each;
                String within = number.getString("within");
                Terminal.say("  " + number.getString("key") + " = " + number.getString("written") + " of " + number.getString("pool")
                        + (within.isEmpty() ? "" : " on " + within));
            }
            heading("clauses");
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
        heading("history");
        for (Object each : detail.getArray("history")) {
            JsonObject entry = (JsonObject) each;
            Terminal.say("  order " + entry.getLong("order") + "  " + Texts.time(entry.getString("at")) + "  "
                    + entry.getString("kind").toLowerCase(java.util.Locale.ROOT) + " by " + entry.getString("who") + ": " + entry.getString("reason"));
        }
        return 0;
    }

    @Command(name = "check", mixinStandardHelpOptions = true,
            description = "Looks now whether a service works: all its checks, once. Exits with 1 where one is not as it must be.")
    int check(@Parameters(paramLabel = "SERVICE") String name, @Mixin Output output) throws IOException {
        JsonArray checks = Server.signedIn().look("/api/v1/services/" + Texts.escape(name) + "/checks");
        boolean good = checks.stream().allMatch(each -> ((JsonObject) each).getBoolean("holds"));
        if (output.asJson(checks)) {
            return good ? 0 : 1;
        }
        if (checks.isEmpty()) {
            Terminal.say("the model of " + name + " names no check for it");
            return 0;
        }
        Terminal.table(List.of("", "LOOKS FOR", "FROM", "TO", "SEEN"), checks, check -> List.of(
                check.getString("proves").equals("AWAITED") ? "awaited" : check.getBoolean("holds") ? "ok" : "NO",
                (check.getBoolean("wanted") ? "" : "no ") + check.getString("observation"), check.getString("from"), check.getString("to"), check.getString("seen")));
        checks.stream().map(JsonObject.class::cast).filter(check -> !check.getString("way").isEmpty()).forEach(check ->
                Terminal.say("the way from " + check.getString("observer") + " to " + check.getString("target") + ": " + check.getString("way")));
        return good ? 0 : 1;
    }

    @Command(name = "ailing", mixinStandardHelpOptions = true,
            description = "The services that did not work when they were last looked at. Exits with 1 where there is one.")
    int ailing(@Mixin Output output) throws IOException {
        JsonArray ailing = Server.signedIn().list("/api/v1/network/ailing");
        if (!output.asJson(ailing)) {
            ailing.forEach(each -> {
                JsonObject service = (JsonObject) each;
                Terminal.say(Terminal.in(Terminal.Tone.BAD, service.getString("service")) + ", seen " + Texts.time(service.getString("at")) + ": " + service.getString("wrong"));
            });
            if (ailing.isEmpty()) {
                Terminal.say("every service worked when it was last looked at");
            }
        }
        return ailing.isEmpty() ? 0 : 1;
    }

    private static void heading(String text) {
        Terminal.say(Terminal.in(Terminal.Tone.QUIET, text));
    }

    @Command(name = "remove", mixinStandardHelpOptions = true, description = "Orders a service to be taken away, and follows the order.")
    int remove(@Parameters(paramLabel = "SERVICE") String name,
            @Option(names = "--reason", paramLabel = "TEXT", defaultValue = "-", description = "Why, for the history") String reason,
            @Option(names = "--preview", description = "Only show what would change") boolean preview) throws IOException {
        String document = JsonWriter.string(Map.of("reason", reason, "remove", List.of(name)));
        return preview ? OrderCommands.preview(document, Documents.JSON) : OrderCommands.run(document, Documents.JSON);
    }
}
