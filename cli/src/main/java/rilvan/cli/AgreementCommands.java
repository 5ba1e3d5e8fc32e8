package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "agreement", mixinStandardHelpOptions = true, description = {"Rules by which another person is to agree to an order before it begins.",
    "A rule names what orders it is for; what it does not name fits all. An urgent order is agreed to in any case."},
        footer = {"", "Examples:", "  rilvan agreement require clinics --tenant 'Tidewater Clinics'", "  rilvan agreement list"})
final class AgreementCommands {

    private static final String RULES = "/api/v1/agreement-rules";

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Lists the rules.",
            footer = {"", "Examples:", "  rilvan agreement list"})
    int list(@Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().list(RULES), "no rules: orders begin without another person", List.of("RULE", "TENANTS", "MODELS", "KINDS", "SERVICES", "DEVICES", "BY"), rule -> List.of(rule.getString("name"),
                any(rule.getArray("tenants")), any(rule.getArray("models")), any(rule.getArray("kinds")).toLowerCase(Locale.ROOT), atLeast(rule.getInt("services")), atLeast(rule.getInt("devices")), rule.getString("createdBy")));
        return 0;
    }

    private static String any(JsonArray names) {
        return names.isEmpty() ? "any" : Texts.join(names);
    }

    private static String atLeast(int count) {
        return count < 2 ? "any" : count + " or more";
    }

    @Command(name = "require", mixinStandardHelpOptions = true, description = {"Adds a rule, or changes one: it is from then on just what is said.", "It counts for orders that are placed from then on."},
            footer = {"", "Examples:", "  rilvan agreement require large --devices 20", "  rilvan agreement require clinics --tenant 'Tidewater Clinics' --kind change --kind remove"})
    int require(@Parameters(paramLabel = "RULE") String name, @Option(names = "--tenant", paramLabel = "TENANT", description = "A service is for this tenant; repeated for several") List<String> tenants,
            @Option(names = "--model", paramLabel = "MODEL", description = "A service is of this model; repeated for several") List<String> models,
            @Option(names = "--kind", paramLabel = "KIND", description = "A service is added, changed or removed: add, change, remove; repeated for several") List<String> kinds,
            @Option(names = "--services", paramLabel = "COUNT", description = "So many services or more") Integer services,
            @Option(names = "--devices", paramLabel = "COUNT", description = "So many devices or more") Integer devices, @Mixin Output output) throws IOException {
        Map<String, Object> rule = new LinkedHashMap<>();
        rule.put("tenants", tenants == null ? List.of() : tenants);
        rule.put("models", models == null ? List.of() : models);
        rule.put("kinds", kinds == null ? List.of() : kinds.stream().map(kind -> kind.toUpperCase(Locale.ROOT)).toList());
        rule.put("services", services == null ? 0 : services);
        rule.put("devices", devices == null ? 0 : devices);
        JsonObject put = Server.signedIn().put(RULES + "/" + Texts.escape(name), JsonWriter.string(rule), Map.of());
        output.done(put, "orders that fit the rule " + name + " wait for the agreement of another person from now on");
        return 0;
    }

    @Command(name = "drop", mixinStandardHelpOptions = true, description = "Drops a rule. Orders that wait for an agreement already go on waiting for it.",
            footer = {"", "Examples:", "  rilvan agreement drop large"})
    int drop(@Parameters(paramLabel = "RULE") String name, @Mixin Output output) throws IOException {
        Server.signedIn().text("DELETE", RULES + "/" + Texts.escape(name), null, null);
        output.done(Map.of("dropped", name), "the rule " + name + " is dropped");
        return 0;
    }
}
