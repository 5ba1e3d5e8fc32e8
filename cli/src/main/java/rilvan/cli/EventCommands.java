package rilvan.cli;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicReference;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(name = "events", mixinStandardHelpOptions = true, description = {"What has happened to orders, services, devices, tenants and the library, and what happens.",
    "Each event has a number. Who follows from a number on misses nothing, through whatever instance of the service."},
        footer = {"", "Examples:", "  rilvan events list --kind service --limit 20", "  rilvan events follow --kind order.ended --kind drift", "  rilvan events follow --after 0 --service tidewater-clinics --json"})
final class EventCommands {

    private static final String EVENTS = "/api/v1/events";
    private static final List<String> HEADING = List.of("EVENT", "TIME", "WHAT", "ABOUT", "MORE");
    /** Said by what stands under ABOUT. */
    private static final List<String> SUBJECTS = List.of("order", "service", "device", "tenant");
    private static final int MOST_CHARACTERS = 120;

    /** What is asked for. */
    static final class Wanted {

        @Option(names = "--kind", paramLabel = "KIND", description = "Of a kind, such as order.ended, or of all that begin with a word: order, service, device, drift, tenant, library. May be given several times")
        private List<String> kinds = new ArrayList<>();
        @Option(names = "--order", paramLabel = "ORDER", description = "Of an order")
        private Optional<Long> order = Optional.empty();
        @Option(names = "--service", paramLabel = "SERVICE", description = "Of a service")
        private Optional<String> service = Optional.empty();
        @Option(names = "--device", paramLabel = "DEVICE", description = "Of a device")
        private Optional<String> device = Optional.empty();
        @Option(names = "--tenant", paramLabel = "TENANT", description = "Of a tenant's services")
        private Optional<String> tenant = Optional.empty();

        private String query(String... more) {
            List<String> query = new ArrayList<>(List.of(more));
            kinds.forEach(kind -> query.add("kind=" + Texts.escape(kind)));
            order.ifPresent(value -> query.add("order=" + value));
            service.ifPresent(value -> query.add("service=" + Texts.escape(value)));
            device.ifPresent(value -> query.add("device=" + Texts.escape(value)));
            tenant.ifPresent(value -> query.add("tenant=" + Texts.escape(value)));
            return query.isEmpty() ? "" : "?" + String.join("&", query);
        }
    }

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Events, the earliest first.",
            footer = {"", "Examples:", "  rilvan events list --kind order.ended --limit 20"})
    int list(@Mixin Wanted wanted, @Option(names = "--after", paramLabel = "EVENT", description = "Only those after this one") Optional<Long> after,
            @Option(names = "--limit", paramLabel = "NUMBER", description = "At most so many, 1 to 500") Optional<Integer> limit, @Mixin ListOutput output) throws IOException {
        List<String> page = new ArrayList<>();
        after.ifPresent(number -> page.add("after=" + number));
        limit.ifPresent(number -> page.add("limit=" + number));
        output.list(Server.signedIn().firstPage(EVENTS + wanted.query(page.toArray(String[]::new))), HEADING, EventCommands::row);
        return 0;
    }

    @Command(name = "follow", mixinStandardHelpOptions = true, description = "What happens from now on, until Ctrl-C; where the connection is lost, it goes on behind the last event.",
            footer = {"", "Examples:", "  rilvan events follow --kind service --json"})
    int follow(@Mixin Wanted wanted, @Option(names = "--after", paramLabel = "EVENT", description = "Everything after this one first; 0 for all that is kept") Optional<Long> after, @Mixin Output output)
            throws IOException {
        Server server = Server.signedIn();
        AtomicReference<String> heard = new AtomicReference<>(after.map(String::valueOf).orElse(""));
        Retry retry = new Retry();
        while (true) {
            try {
                server.events(EVENTS + "/stream" + wanted.query(), heard, (name, data) -> {
                    retry.reached();
                    told(name, data, output);
                });
                retry.pause();
            } catch (IOException | Failure e) {
                retry.after(e);
            }
        }
    }

    private static void told(String name, String data, Output output) {
        JsonObject event = parsed(data);
        if (name.equals("gap")) {
            Terminal.complain("what happened between " + event.getLong("after") + " and " + event.getLong("first") + " is no longer kept");
        } else if (!output.asLine(event)) {
            Terminal.say(String.join("  ", row(event)));
        }
    }

    private static JsonObject parsed(String data) {
        try {
            return JsonParser.object().from(data);
        } catch (JsonParserException e) {
            throw new Failure(Failure.NOT_REACHED, "the service has sent an event that cannot be read: " + e.getMessage());
        }
    }

    private static List<String> row(JsonObject event) {
        JsonObject data = event.getObject("data");
        String about = SUBJECTS.stream().filter(data::has).map(subject -> subject + " " + data.get(subject)).collect(Collectors.joining(", "));
        String more = data.entrySet().stream().filter(each -> !SUBJECTS.contains(each.getKey())).map(each -> each.getKey() + " " + (each.getKey().equals("state") ? Texts.words(Texts.value(each.getValue())) : Texts.value(each.getValue()))).collect(Collectors.joining(", "));
        String line = more.replace('\n', ' ');
        return List.of(event.getString("id"), Texts.time(event.getString("time")), event.getString("type").replaceFirst("^rilvan\\.", ""), about,
                line.length() > MOST_CHARACTERS ? line.substring(0, MOST_CHARACTERS - 1) + "…" : line);
    }
}
