package rilvan.cli;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "webhook", mixinStandardHelpOptions = true, description = "Addresses that are sent events, each as a signed request of its own.",
        footer = {"", "Examples:", "  rilvan webhook add billing https://billing.example.net/rilvan --kind order.ended --kind service", "  rilvan webhook try billing", "  rilvan webhook resume billing --after 120"})
final class WebhookCommands {

    private static final String WEBHOOKS = "/api/v1/webhooks";
    private static final List<String> HEADING = List.of("NAME", "ADDRESS", "KINDS", "TAKEN", "WAITING", "STATE");

    @Command(name = "list", mixinStandardHelpOptions = true, description = "All webhooks, and how sending to them goes.",
            footer = {"", "Examples:", "  rilvan webhook list"})
    int list(@Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().firstPage(WEBHOOKS), HEADING, WebhookCommands::row);
        return 0;
    }

    private static List<String> row(JsonObject webhook) {
        String state = !webhook.isNull("givenUpAt") ? Terminal.in(Terminal.Tone.BAD, "given up") + " at " + Texts.time(webhook.getString("givenUpAt")) + ": " + webhook.getString("failure")
                : !webhook.isNull("failingFrom") ? Terminal.in(Terminal.Tone.BAD, "failing") + " since " + Texts.time(webhook.getString("failingFrom")) + ", next try at " + Texts.time(webhook.getString("nextAt")) + ": "
                + webhook.getString("failure")
                : "takes events";
        return List.of(webhook.getString("name"), webhook.getString("address"), webhook.getArray("kinds").isEmpty() ? "all" : Texts.join(webhook.getArray("kinds")),
                Long.toString(webhook.getLong("taken")), Long.toString(webhook.getLong("waiting")), state);
    }

    @Command(name = "add", mixinStandardHelpOptions = true, description = {"Adds a webhook, or gives one that there is another address or other kinds.",
        "A new one is sent what happens from then on, and its secret is shown this once."},
            footer = {"", "Examples:", "  rilvan webhook add billing https://billing.example.net/rilvan --kind order.ended"})
    int add(@Parameters(paramLabel = "NAME") String name, @Parameters(paramLabel = "ADDRESS", description = "Where events are posted to, with https://") String address,
            @Option(names = "--kind", paramLabel = "KIND", description = "Only of a kind, such as order.ended, or of all that begin with a word, such as service. May be given several times") List<String> kinds,
            @Mixin Output output) throws IOException {
        String document = JsonWriter.string().object().value("address", address).array("kinds", kinds == null ? new ArrayList<>() : kinds).end().done();
        JsonObject changed = Server.signedIn().object("PUT", WEBHOOKS + "/" + Texts.escape(name), document, "application/json");
        if (!output.asJson(changed)) {
            Terminal.say(changed.isNull("secret") ? "webhook " + name + " is changed" : "webhook " + name + " is added; its requests are signed with this secret, which is not shown again:\n" + changed.getString("secret"));
        }
        return 0;
    }

    @Command(name = "try", mixinStandardHelpOptions = true, description = "Sends an event at once that says nothing. Exits with 1 where it is not taken.",
            footer = {"", "Examples:", "  rilvan webhook try billing"})
    int attempt(@Parameters(paramLabel = "NAME") String name, @Mixin Output output) throws IOException {
        JsonObject trial = Server.signedIn().object("POST", WEBHOOKS + "/" + Texts.escape(name) + "/trials", "{}", "application/json");
        boolean taken = trial.getBoolean("taken");
        if (!output.asJson(trial)) {
            Terminal.say(taken ? Terminal.in(Terminal.Tone.GOOD, "taken") : Terminal.in(Terminal.Tone.BAD, "not taken") + ": " + trial.getString("failure"));
        }
        return taken ? 0 : Failure.FAILED;
    }

    @Command(name = "resume", mixinStandardHelpOptions = true, description = "Begins to send again at once, also to one that was given up.",
            footer = {"", "Examples:", "  rilvan webhook resume billing --after 120"})
    int resume(@Parameters(paramLabel = "NAME") String name, @Option(names = "--after", paramLabel = "EVENT", description = "Everything after this event once more, also what was taken") Optional<Long> after,
            @Mixin Output output) throws IOException {
        JsonObject webhook = Server.signedIn().object("POST", WEBHOOKS + "/" + Texts.escape(name) + "/resumption", after.map(number -> "{\"after\":" + number + "}").orElse("{}"), "application/json");
        if (!output.asJson(webhook)) {
            Terminal.say("webhook " + name + " is sent everything after event " + webhook.getLong("taken"));
        }
        return 0;
    }

    @Command(name = "remove", mixinStandardHelpOptions = true, description = "Removes a webhook.",
            footer = {"", "Examples:", "  rilvan webhook remove billing"})
    int remove(@Parameters(paramLabel = "NAME") String name, @Mixin Output output) throws IOException {
        Server.signedIn().text("DELETE", WEBHOOKS + "/" + Texts.escape(name), null, null);
        output.done(Map.of("removed", name), "webhook " + name + " is removed");
        return 0;
    }
}
