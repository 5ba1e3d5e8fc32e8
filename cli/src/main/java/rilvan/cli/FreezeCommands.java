package rilvan.cli;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "freeze", mixinStandardHelpOptions = true, description = {"Freezes: times in which nothing is changed, at some sites, for some tenants, or anywhere.",
    "What has begun ends as it would; what has not waits for the freeze's end. An urgent order goes ahead."},
        footer = {"", "Examples:", "  rilvan freeze add year-end --until 2027-01-03T08:00 --reason 'the year ends'", "  rilvan freeze list"})
final class FreezeCommands {

    private static final String FREEZES = "/api/v1/freezes";

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Lists the freezes that have not ended.",
            footer = {"", "Examples:", "  rilvan freeze list"})
    int list(@Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().list(FREEZES), "no freezes", List.of("FREEZE", "FROM", "UNTIL", "FOR", "BY", "REASON"), freeze -> List.of(freeze.getString("name"), Texts.time(freeze.getString("from")),
                Texts.time(freeze.getString("until")), whatFor(freeze), freeze.getString("createdBy"), freeze.getString("reason")));
        return 0;
    }

    private static String whatFor(JsonObject freeze) {
        String named = Stream.of("sites", "tenants").flatMap(kind -> freeze.getArray(kind).stream()).map(String::valueOf).collect(Collectors.joining(", "));
        return named.isEmpty() ? "everything" : named;
    }

    @Command(name = "add", mixinStandardHelpOptions = true, description = "Adds a freeze, or changes one: it is from then on just what is said.",
            footer = {"", "Examples:", "  rilvan freeze add year-end --from 2026-12-22T18:00 --until 2027-01-03T08:00 --reason 'the year ends'", "  rilvan freeze add haven-move --site Haven --until 2026-12-05T06:00"})
    int add(@Parameters(paramLabel = "FREEZE") String name, @Option(names = "--from", paramLabel = "TIME", description = "When it begins; now where it is left out") String from,
            @Option(names = "--until", required = true, paramLabel = "TIME", description = "When it ends") String until,
            @Option(names = "--site", paramLabel = "SITE", description = "Only orders that change a device at this site; repeated for several") List<String> sites,
            @Option(names = "--tenant", paramLabel = "TENANT", description = "Only orders for this tenant; repeated for several") List<String> tenants,
            @Option(names = "--reason", paramLabel = "TEXT", defaultValue = "", description = "Why; orders that it keeps back say so") String reason, @Mixin Output output) throws IOException {
        Map<String, Object> freeze = new LinkedHashMap<>();
        if (from != null) {
            freeze.put("from", TimingOptions.time("--from", from));
        }
        freeze.put("until", TimingOptions.time("--until", until));
        freeze.put("sites", sites == null ? List.of() : sites);
        freeze.put("tenants", tenants == null ? List.of() : tenants);
        freeze.put("reason", reason);
        JsonObject put = Server.signedIn().put(FREEZES + "/" + Texts.escape(name), JsonWriter.string(freeze), Map.of());
        output.done(put, "nothing is changed from " + Texts.time(put.getString("from")) + " until " + Texts.time(put.getString("until")) + ": " + whatFor(put));
        return 0;
    }

    @Command(name = "lift", mixinStandardHelpOptions = true, description = "Lifts a freeze before its end. Orders that it kept back begin within seconds, those in time.",
            footer = {"", "Examples:", "  rilvan freeze lift year-end"})
    int lift(@Parameters(paramLabel = "FREEZE") String name, @Mixin Output output) throws IOException {
        Server.signedIn().text("DELETE", FREEZES + "/" + Texts.escape(name), null, null);
        output.done(Map.of("lifted", name), "the freeze " + name + " is lifted");
        return 0;
    }
}
