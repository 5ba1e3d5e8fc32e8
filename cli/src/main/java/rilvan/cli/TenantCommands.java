package rilvan.cli;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonStringWriter;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "tenant", mixinStandardHelpOptions = true, description = "Tenants, whom services are for: lists, adds, changes, renames and removes them.",
        footer = {"", "Examples:", "  rilvan tenant add 'Northsound Ferries' --contact 'network desk, +44 1632 960100' --attach haven-pe1/access-3",
            "  rilvan tenant rename 'Northsound Ferries' 'Northsound Lines' --preview", "  rilvan tenant load tenants.yaml"})
final class TenantCommands {

    private static final String TENANTS = "/api/v1/tenants";
    private static final int MOST_NAMED = 6;

    private static String at(String name) {
        return TENANTS + "/" + Texts.escape(name);
    }

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Lists tenants, or those whose name, contact or attachment points contain a text.",
            footer = {"", "Examples:", "  rilvan tenant list", "  rilvan tenant list ferries"})
    int list(@Parameters(arity = "0..1", paramLabel = "TEXT") Optional<String> text, @Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().list(TENANTS + text.map(given -> "?search=" + Texts.escape(given)).orElse("")), List.of("NAME", "SERVICES", "ATTACHED AT", "CONTACT"), tenant ->
                List.of(tenant.getString("name"), Long.toString(tenant.getLong("services")), attachments(tenant), tenant.getString("contact")));
        return 0;
    }

    @Command(name = "show", mixinStandardHelpOptions = true, description = "Shows a tenant.",
            footer = {"", "Examples:", "  rilvan tenant show 'Northsound Ferries'"})
    int show(@Parameters(paramLabel = "TENANT") String name, @Mixin Output output) throws IOException {
        JsonObject tenant = Server.signedIn().get(at(name));
        if (!output.asJson(tenant)) {
            show(tenant);
        }
        return 0;
    }

    private static void show(JsonObject tenant) {
        Terminal.say(Terminal.in(Terminal.Tone.STRONG, tenant.getString("name")) + ": " + (tenant.getLong("services") == 1 ? "1 service" : tenant.getLong("services") + " services"));
        said("contact", tenant.getString("contact"));
        said("attached at", attachments(tenant));
        said("formerly", Texts.join(tenant.getArray("formerNames")));
    }

    private static void said(String field, String value) {
        if (!value.isEmpty()) {
            Terminal.say(String.format("  %-12s %s", field, value));
        }
    }

    private static String attachments(JsonObject tenant) {
        return tenant.getArray("attachments").stream().map(JsonObject.class::cast).map(end -> end.getString("device") + "/" + end.getString("port")).collect(Collectors.joining(", "));
    }

    @Command(name = "add", mixinStandardHelpOptions = true, description = "Adds a tenant.",
            footer = {"", "Examples:", "  rilvan tenant add 'Northsound Ferries' --contact 'network desk, +44 1632 960100' --attach haven-pe1/access-3"})
    int add(@Parameters(paramLabel = "TENANT") String name, @Option(names = "--contact", paramLabel = "TEXT", defaultValue = "", description = "How its people are reached") String contact,
            @Option(names = "--attach", paramLabel = "DEVICE/PORT", description = "A port at which it is attached; repeated for several") List<String> attachments, @Mixin Output output) throws IOException {
        put(name, contact, attachments == null ? List.of() : attachments, Map.of("If-None-Match", "*"), output);
        return 0;
    }

    @Command(name = "change", mixinStandardHelpOptions = true, description = {"Changes a tenant; what is not said stays as it is.",
        "A service of another tenant, who is not attached there too, cannot be placed at an attachment point."},
            footer = {"", "Examples:", "  rilvan tenant change 'Northsound Ferries' --attach skarn-pe1/access-2"})
    int change(@Parameters(paramLabel = "TENANT") String name, @Option(names = "--contact", paramLabel = "TEXT", description = "How its people are reached") Optional<String> contact,
            @Option(names = "--attach", paramLabel = "DEVICE/PORT", description = "A further port at which it is attached; repeated for several") List<String> attached,
            @Option(names = "--detach", paramLabel = "DEVICE/PORT", description = "A port at which it is attached no more; repeated for several") List<String> detached, @Mixin Output output) throws IOException {
        Server server = Server.signedIn();
        Server.Tagged present = server.tagged(at(name));
        List<String> attachments = new ArrayList<>(List.of(attachments(present.value()).split(", ")));
        attachments.removeIf(String::isEmpty);
        for (String port : detached == null ? List.<String>of() : detached) {
            if (!attachments.remove(port)) {
                throw new Failure(Failure.REFUSED, name + " is not attached at " + port + "; attached at: " + (attachments.isEmpty() ? "no port" : String.join(", ", attachments)));
            }
        }
        attachments.addAll(attached == null ? List.of() : attached);
        put(name, contact.orElse(present.value().getString("contact")), attachments, Map.of("If-Match", present.tag()), output);
        return 0;
    }

    private static void put(String name, String contact, List<String> attachments, Map<String, String> headers, Output output) throws IOException {
        JsonStringWriter body = JsonWriter.string().object().value("contact", contact).array("attachments");
        for (String port : attachments) {
            int slash = port.indexOf('/');
            if (slash < 1 || slash == port.length() - 1) {
                throw new Failure(Failure.USAGE, "'" + port + "' is no port of a device; write it as DEVICE/PORT, such as haven-pe1/access-3");
            }
            body.object().value("device", port.substring(0, slash)).value("port", port.substring(slash + 1)).end();
        }
        JsonObject tenant = Server.signedIn().put(at(name), body.end().end().done(), headers);
        if (!output.asJson(tenant)) {
            show(tenant);
        }
    }

    @Command(name = "load", mixinStandardHelpOptions = true, description = {"Adds tenants from a document, or changes those that are there; others stay.",
        "The document is a list tenants, each with name, contact and attachments (a list of device and port)."},
            footer = {"", "Examples:", "  rilvan tenant load tenants.yaml"})
    int load(@Parameters(paramLabel = "FILE", description = "YAML or JSON; - for standard input") String file, @Mixin Output output) throws IOException {
        JsonObject loaded = Server.signedIn().object("POST", TENANTS, Documents.read(file), Documents.YAML);
        output.done(loaded, loaded.getInt("tenants") == 1 ? "1 tenant" : loaded.getInt("tenants") + " tenants");
        return 0;
    }

    @Command(name = "rename", mixinStandardHelpOptions = true, description = {"Gives a tenant another name. What its services say on devices, such as descriptions, stays as it is until an order refreshes them.",
        "--preview shows what such an order would change, and renames nothing."},
            footer = {"", "Examples:", "  rilvan tenant rename 'Northsound Ferries' 'Northsound Lines' --preview"})
    int rename(@Parameters(paramLabel = "TENANT") String name, @Parameters(paramLabel = "NEW-NAME") String renamed, @Option(names = "--preview", description = "Only show what would change") boolean preview,
            @Mixin Output output) throws IOException {
        Server server = Server.signedIn();
        String body = JsonWriter.string().object().value("to", renamed).end().done();
        if (preview) {
            JsonObject shown = server.object("POST", at(name) + "/renaming-previews", body, Documents.JSON);
            if (!output.asJson(shown)) {
                if (shown.isNull("preview")) {
                    Terminal.say("no service is for " + name + ", or refers to it");
                } else {
                    PreviewText.show(shown.getObject("preview"));
                }
            }
            return 0;
        }
        List<String> services = changed(server.object("POST", at(name) + "/renaming-previews", body, Documents.JSON).getObject("preview"));
        JsonObject tenant = server.object("POST", at(name) + "/renaming", body, Documents.JSON);
        if (!output.asJson(tenant)) {
            show(tenant);
            if (!services.isEmpty()) {
                Terminal.say("on devices its services say the former name until they are refreshed: rilvan service refresh " + String.join(" ", services.subList(0, Math.min(services.size(), MOST_NAMED)))
                        + (services.size() > MOST_NAMED ? " … (" + services.size() + " services)" : ""));
            }
        }
        return 0;
    }

    /** The services that say something else on devices, of those that stand for themselves. */
    private static List<String> changed(JsonObject preview) {
        return preview == null ? List.of() : preview.getArray("services").stream().map(JsonObject.class::cast)
                .filter(service -> service.getString("kind").equals("CHANGE") && service.getString("componentOf") == null).map(service -> service.getString("service")).toList();
    }

    @Command(name = "remove", mixinStandardHelpOptions = true, description = "Removes a tenant that no service is for.",
            footer = {"", "Examples:", "  rilvan tenant remove 'Northsound Ferries'"})
    int remove(@Parameters(paramLabel = "TENANT") String name, @Mixin Output output) throws IOException {
        Server.signedIn().text("DELETE", at(name), null, null);
        output.done(Map.of("removed", name), name + " is removed");
        return 0;
    }
}
