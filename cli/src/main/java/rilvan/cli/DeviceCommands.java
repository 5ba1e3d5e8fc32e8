package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import rilvan.cli.Terminal.Tone;

@Command(name = "device", mixinStandardHelpOptions = true, description = "Lists, reads and explains devices.")
final class DeviceCommands {

    /** Devices that are read at the same time. The results are printed in the order the devices were named in. */
    private static final int AT_ONCE = 8;
    /** Of a digest as lists show it. */
    private static final int DIGITS = 12;

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Lists all devices.",
            footer = {"", "Examples:", "  rilvan device list", "  rilvan device list --columns device,read --json"})
    int list(@Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().list("/api/v1/devices"), List.of("DEVICE", "ROLE", "SITE", "FAMILY", "ADDRESS", "READ", "SERVICES"), device -> {
            String state = !device.getBoolean("trusted") ? "host key not trusted" : device.isNull("readAt") ? "never"
                    : device.isNull("heldBy") ? Texts.time(device.getString("readAt"))
                    : "held by order " + device.getLong("heldBy");
            state += device.getLong("drifted") == 0 ? "" : ", drift";
            return List.of(device.getString("name"), device.getString("role"), device.getString("site"), device.getString("family"),
                    device.getString("address"), state, Texts.join(device.getArray("services")));
        });
        return 0;
    }

    @Command(name = "show", mixinStandardHelpOptions = true, description = "Shows what Rilvan manages on a device, and for which service.",
            footer = {"", "Examples:", "  rilvan device show haven-pe1"})
    int show(@Parameters(paramLabel = "DEVICE") String name, @Mixin Output output) throws IOException {
        JsonObject detail = Server.signedIn().get("/api/v1/devices/" + Texts.escape(name));
        if (output.asJson(detail)) {
            return 0;
        }
        JsonObject device = detail.getObject("device");
        Terminal.say(Terminal.in(Terminal.Tone.STRONG, name) + "  " + device.getString("role") + " in " + device.getString("site")
                + ", " + device.getString("family") + " at " + device.getString("address"));
        drift(detail.getArray("drift"));
        if (detail.getArray("managed").isEmpty()) {
            Terminal.say("no managed nodes");
            return 0;
        }
        Terminal.table(List.of("MANAGED NODE", "ORDERED", "SERVICE", "CLAUSE"), detail.getArray("managed"), managed -> {
            Set<String> services = new LinkedHashSet<>();
            Set<String> clauses = new LinkedHashSet<>();
            for (Object owner : managed.getArray("owners")) {
                services.add(((JsonObject) owner).getString("service"));
                clauses.add(((JsonObject) owner).getString("clause"));
            }
            return List.of(managed.getString("path"), managed.getString("value"), String.join(", ", services), String.join(", ", clauses));
        });
        return 0;
    }

    /** What was changed outside Rilvan, one node a line. */
    static void drift(JsonArray drift) {
        for (Object each : drift) {
            JsonObject node = (JsonObject) each;
            boolean left = !node.isNull("leftBy");
            Terminal.say(Terminal.in(left ? Terminal.Tone.QUIET : Terminal.Tone.BAD, left ? "left" : "drift") + "  " + Texts.drifted(node) + "; found " + Texts.time(node.getString("foundAt"))
                    + (node.isNull("changedBy") ? "" : "; changed by " + node.getString("changedBy")) + (left ? "; left by " + node.getString("leftBy") + (node.isNull("leftUntil") ? "" : " until " + Texts.time(node.getString("leftUntil"))) + ": " + node.getString("reason") : ""));
        }
    }

    @Command(name = "drift", mixinStandardHelpOptions = true, description = {"Lists managed nodes that were changed outside Rilvan, as the last readings show them.",
        "Exits with 1 where somebody has to decide: device restore, or device leave."},
            footer = {"", "Examples:", "  rilvan device drift", "  rilvan device drift haven-pe1"})
    int drift(@Parameters(arity = "0..1", paramLabel = "DEVICE", defaultValue = "") String name, @Mixin Output output) throws IOException {
        JsonArray drift = Server.signedIn().list("/api/v1/drift");
        drift.removeIf(each -> !name.isEmpty() && !((JsonObject) each).getString("device").equals(name));
        if (!output.asJson(drift)) {
            drift(drift);
            if (drift.isEmpty()) {
                Terminal.say("no drift: every managed node is as ordered, as the devices were last read");
            }
        }
        return drift.stream().allMatch(each -> !((JsonObject) each).isNull("leftBy")) ? 0 : Failure.FAILED;
    }

    @Command(name = "leave", mixinStandardHelpOptions = true, description = {"Decides that a managed node stays as somebody has changed it on the device.",
        "You are asked again when the value changes, when the service is removed, or at a time."},
            footer = {"", "Examples:", "  rilvan device leave haven-pe1 '/vpn/vrf[VPN-1002]/rd' --reason 'agreed with the night shift'",
                "  rilvan device leave haven-pe1 '/vpn/vrf[VPN-1002]/rd' --reason 'until the card is changed' --until 2027-01-15T12:00"})
    int leave(@Parameters(paramLabel = "DEVICE") String name, @Parameters(paramLabel = "PATH") String path,
            @Option(names = "--reason", required = true, paramLabel = "TEXT", description = "Why, for the history") String reason,
            @Option(names = "--until", paramLabel = "TIME", description = "When somebody is to decide again: 2027-01-15T12:00 here, or with an offset") Optional<String> until, @Mixin Output output) throws IOException {
        Map<String, Object> decision = new LinkedHashMap<>(Map.of("path", path, "reason", reason));
        until.ifPresent(time -> decision.put("until", TimingOptions.time("--until", time)));
        JsonArray left = Server.signedIn().decided("/api/v1/devices/" + Texts.escape(name) + "/drift-decisions", JsonWriter.string(decision));
        if (!output.asJson(left)) {
            drift(left);
        }
        return 0;
    }

    @Command(name = "accept", mixinStandardHelpOptions = true, description = {"Puts into a draft that a service wants just what somebody has changed on a device, where one parameter says just that.",
        "The order that carries the draft out changes nothing on the device; from then on it is as ordered."},
            footer = {"", "Examples:", "  rilvan device accept haven-pe1 '/ports/port[access-1]/circuit[110]/mtu' --draft as-typed"})
    int accept(@Parameters(paramLabel = "DEVICE") String name, @Parameters(paramLabel = "PATH") String path, @Mixin DraftOptions draft) throws IOException {
        return draft.accept(name, path);
    }

    @Command(name = "restore", mixinStandardHelpOptions = true,
            description = {"Sets what was changed outside Rilvan on devices to what is ordered, with one order over the services concerned, and follows it.",
                "The order is proven like any other: where a service is wrong on several devices, name them together."},
            footer = {"", "Examples:", "  rilvan device restore haven-pe1 --preview", "  rilvan device restore haven-pe1 skarn-pe1 --reason 'typed by hand'", "  rilvan device restore --all"})
    int restore(@Parameters(arity = "0..*", paramLabel = "DEVICE") List<String> named, @Option(names = "--all", description = "All devices") boolean all,
            @Mixin OrderOptions options) throws IOException {
        if (all == (named != null)) {
            throw new Failure(Failure.USAGE, "name the devices to restore, or use --all");
        }
        Server server = Server.signedIn();
        JsonArray drift = new JsonArray();
        if (all) {
            drift.addAll(server.list("/api/v1/drift"));
        } else {
            for (String name : new TreeSet<>(named)) {
                drift.addAll(server.get("/api/v1/devices/" + Texts.escape(name)).getArray("drift"));
            }
        }
        Set<String> services = new TreeSet<>();
        List<Map<String, String>> decisions = new ArrayList<>();
        for (Object each : drift) {
            JsonObject node = (JsonObject) each;
            if (node.isNull("leftBy")) {
                node.getArray("services").forEach(service -> services.add((String) service));
                decisions.add(Map.of("device", node.getString("device"), "path", node.getString("path"), "decision", "restore"));
            }
        }
        if (decisions.isEmpty()) {
            options.done(Map.of("decisions", List.of()), "nothing to restore: every managed node of " + (all ? "all devices" : String.join(", ", named)) + " is as ordered, or was left by a decision, as it was last read");
            return 0;
        }
        return options.carryOut(Map.of("refresh", List.copyOf(services), "decisions", decisions));
    }

    @Command(name = "read", mixinStandardHelpOptions = true,
            description = {"Reads the configuration of devices now; later previews start from it.", "Exits with 1 where a device could not be read; the others are read all the same."},
            footer = {"", "Examples:", "  rilvan device read haven-pe1", "  rilvan device read --all"})
    int read(@Parameters(arity = "0..*", paramLabel = "DEVICE") List<String> named,
            @Option(names = "--all", description = "All devices") boolean all, @Mixin Output output) throws IOException, InterruptedException {
        List<String> names = new ArrayList<>(named == null ? List.of() : named);
        if (!all && names.isEmpty()) {
            throw new Failure(Failure.USAGE, "name the devices to read, or use --all");
        }
        Server server = Server.signedIn();
        if (all) {
            server.list("/api/v1/devices").forEach(device -> names.add(((JsonObject) device).getString("name")));
        }
        ExecutorService readers = Executors.newFixedThreadPool(AT_ONCE);
        List<Future<JsonObject>> readings = names.stream().map(name ->
                readers.submit(() -> server.object("POST", "/api/v1/devices/" + Texts.escape(name) + "/readings", "", Documents.JSON))).toList();
        readers.shutdown();
        boolean whole = true;
        for (int i = 0; i < names.size(); i++) {
            if (!read(names.get(i), readings.get(i), output)) {
                whole = false;
            }
        }
        return whole ? 0 : Failure.FAILED;
    }

    private static boolean read(String name, Future<JsonObject> reading, Output output) throws InterruptedException {
        try {
            JsonObject read = reading.get();
            JsonObject changes = read.getObject("changes");
            if (!output.asLine(read)) {
                Terminal.say(name + " read: " + (changes.isEmpty() ? "no change since the last reading" : "changed outside Rilvan:"));
                changes.forEach((path, kind) -> Terminal.say("  " + kind + "  " + path));
            }
            return true;
        } catch (ExecutionException e) {
            if (!output.asLine(Map.of("device", name, "notRead", e.getCause().getMessage()))) {
                Terminal.say(Terminal.in(Terminal.Tone.BAD, "not read") + ": " + e.getCause().getMessage());
            }
            return false;
        }
    }

    @Command(name = "explain", mixinStandardHelpOptions = true,
            description = {"Explains which service put a line on a device, and why. Give the path of the node, the line as the device shows it,", "or a part of lines, such as the name of a VRF or of a port."},
            footer = {"", "Examples:", "  rilvan device explain haven-pe1 '/vpn/vrf[VPN-1001]/rd'", "  rilvan device explain skarn-pe1 'payload 1500'", "  rilvan device explain haven-pe1 VPN-1001"})
    int explain(@Parameters(paramLabel = "DEVICE") String name, @Parameters(paramLabel = "PATH-OR-LINE") String what, @Mixin Output output)
            throws IOException {
        JsonArray answer = Server.signedIn().list("/api/v1/devices/" + Texts.escape(name) + "/explanation?of=" + Texts.escape(what));
        if (output.asJson(answer)) {
            return 0;
        }
        for (Object each : answer) {
            JsonObject explained = (JsonObject) each;
            String value = explained.getString("value");
            if (explained.getString("path").isEmpty()) {
                Terminal.say("another tenant has this");
                continue;
            }
            Terminal.say(Terminal.in(Terminal.Tone.STRONG, explained.getString("path")) + (value.isEmpty() ? "" : " = " + value)
                    + (explained.getString("drift").isEmpty() ? "" : "  " + Terminal.in(Terminal.Tone.BAD, explained.getString("drift"))));
            JsonArray because = explained.getArray("because");
            if (because.isEmpty()) {
                Terminal.say("  not managed: no service put it there");
            }
            because.forEach(reason -> because((JsonObject) reason));
            if (!explained.isNull("prior")) {
                Terminal.say("  value before: " + explained.getString("prior") + "; it is restored when the last service is removed");
            }
        }
        return 0;
    }

    private static void because(JsonObject reason) {
        JsonObject owner = reason.getObject("owner");
        if (owner.getString("model").isEmpty()) {
            Terminal.say("  another tenant");
            return;
        }
        Terminal.say("  service " + owner.getString("service") + " of " + reason.getString("tenant") + ", clause " + owner.getString("clause")
                + " (model " + owner.getString("model") + ", " + owner.getString("origin") + "), template " + owner.getString("template"));
        if (!reason.getString("parameter").isEmpty()) {
            Terminal.say("    from parameter " + reason.getString("parameter"));
        }
        reason.getObject("said").forEach((field, value) -> {
            if (!Texts.isNothing(value)) {
                Terminal.say("    " + Terminal.in(Terminal.Tone.QUIET, field) + "  " + Texts.value(value));
            }
        });
        for (Object each : reason.getArray("settings")) {
            JsonObject setting = (JsonObject) each;
            Terminal.say("    setting " + setting.getString("name") + " = " + Texts.value(setting.get("value")) + ", from " + setting.getString("from"));
        }
    }

    @Command(name = "settings", mixinStandardHelpOptions = true, description = "Lists the settings that apply to a device, and where each comes from.",
            footer = {"", "Examples:", "  rilvan device settings haven-pe1"})
    int settings(@Parameters(paramLabel = "DEVICE") String name, @Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().list("/api/v1/devices/" + Texts.escape(name) + "/settings"), List.of("SETTING", "VALUE", "FROM"), setting ->
                List.of(setting.getString("name"), Texts.value(setting.get("value")), setting.getString("from")));
        return 0;
    }

    @Command(name = "configuration", mixinStandardHelpOptions = true, description = "Prints the configuration of a device in its own language.",
            footer = {"", "Examples:", "  rilvan device configuration haven-pe1 --live", "  rilvan device configuration haven-pe1 --at 2026-12-01T02:00"})
    int configuration(@Parameters(paramLabel = "DEVICE") String name,
            @Option(names = "--live", description = "Read from the device now, instead of the last known configuration") boolean live,
            @Option(names = "--at", paramLabel = "TIME", description = "As it was known then: 2026-12-01T02:00 here, or with an offset") Optional<String> at, @Mixin Output output) throws IOException {
        if (live && at.isPresent()) {
            throw new Failure(Failure.REFUSED, "--live and --at are two times; leave one out");
        }
        String address = "/api/v1/devices/" + Texts.escape(name);
        String configuration = Server.signedIn().text("GET", at.map(time -> address + "/snapshot" + Texts.query(Map.of("at", TimingOptions.time("--at", time)))).orElse(address + "/configuration?live=" + live), null, null);
        if (!output.asJson(Map.of("device", name, "configuration", configuration))) {
            Terminal.copy(configuration);
        }
        return 0;
    }

    @Command(name = "return", mixinStandardHelpOptions = true, description = {"Makes a device again what it was known to hold at a time, in an order, and follows the order. What services have put there stays as it is.",
        "Times are as device snapshots has them, or such as 2026-12-01T02:00."},
            footer = {"", "Examples:", "  rilvan device return haven-pe1 --at 2026-12-01T02:00 --preview"})
    int back(@Parameters(paramLabel = "DEVICE") String name, @Option(names = "--at", required = true, paramLabel = "TIME", description = "What it held then") String at,
            @Option(names = "--services", description = "Also what services have put there, which is drift from then on") boolean services, @Mixin OrderOptions options) throws IOException {
        return options.carryOut(Map.of("returns", List.of(Map.of("device", name, "at", TimingOptions.time("--at", at), "services", services))));
    }

    @Command(name = "snapshots", mixinStandardHelpOptions = true, description = "Lists since when a device was known to hold something else, the latest first, and which order had made it so.",
            footer = {"", "Examples:", "  rilvan device snapshots haven-pe1"})
    int snapshots(@Parameters(paramLabel = "DEVICE") String name, @Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().firstPage("/api/v1/devices/" + Texts.escape(name) + "/snapshots"), name + " has never been read", List.of("SINCE", "BY", "DIGEST"), snapshot -> List.of(snapshot.getString("at"),
                snapshot.isNull("order") ? "found so" : "order " + snapshot.getLong("order"), snapshot.getString("digest").substring(0, DIGITS)));
        return 0;
    }

    @Command(name = "diff", mixinStandardHelpOptions = true, description = {"Shows what a device was known to hold at two times, line by line; what two devices hold; or what a device runs beside what it would start with.", "Times are as device snapshots has them, or such as 2026-12-01T02:00."},
            footer = {"", "Examples:", "  rilvan device diff haven-pe1 --from 2026-12-01T02:00", "  rilvan device diff haven-pe1 --from 2026-12-01T02:00 --to 2026-12-02T02:00", "  rilvan device diff haven-pe1 --with ternsay-pe1", "  rilvan device diff olvar-pe1 --startup"})
    int diff(@Parameters(paramLabel = "DEVICE") String name, @Option(names = "--from", paramLabel = "TIME", description = "The earlier time; now where it is left out") Optional<String> from,
            @Option(names = "--to", paramLabel = "TIME", description = "The later time; now where it is left out") Optional<String> to,
            @Option(names = "--with", paramLabel = "DEVICE", description = "Another device") Optional<String> with,
            @Option(names = "--startup", description = "What it runs now beside what it would start with") boolean startup, @Mixin Output output) throws IOException {
        if (startup && (from.isPresent() || to.isPresent() || with.isPresent())) {
            throw new Failure(Failure.REFUSED, "--startup is about now, and one device; leave out --from, --to and --with");
        }
        Map<String, Object> query = new LinkedHashMap<>(Map.of("from", from.map(time -> TimingOptions.time("--from", time)).orElseGet(() -> OffsetDateTime.now().toString())));
        to.ifPresent(time -> query.put("to", TimingOptions.time("--to", time)));
        with.ifPresent(other -> query.put("with", other));
        JsonArray lines = Server.signedIn().list("/api/v1/devices/" + Texts.escape(name) + (startup ? "/startup-differences" : "/differences" + Texts.query(query)));
        if (!output.asJson(lines)) {
            if (lines.isEmpty()) {
                Terminal.say("no difference");
            }
            lines.forEach(each -> difference(each.toString()));
        }
        return 0;
    }

    /** A line of a unified difference. */
    static void difference(String line) {
        Terminal.say(line.startsWith("+") ? Terminal.in(Tone.GOOD, line) : line.startsWith("-") ? Terminal.in(Tone.BAD, line) : line);
    }

    @Command(name = "wire-trace", mixinStandardHelpOptions = true,
            description = "Writes all that goes over the wire with a device to the log of the service, or stops that. Secrets are masked.",
            footer = {"", "Examples:", "  rilvan device wire-trace haven-pe1 on"})
    int wireTrace(@Parameters(paramLabel = "DEVICE") String name, @Parameters(paramLabel = "on|off") Switch state, @Mixin Output output) throws IOException {
        JsonObject trace = Server.signedIn().object("PUT", "/api/v1/devices/" + Texts.escape(name) + "/wire-trace", JsonWriter.string(Map.of("enabled", state == Switch.ON)), Documents.JSON);
        output.done(trace, "wire trace of " + name + ": " + state);
        return 0;
    }

    enum Switch {
        ON, OFF;

        @Override
        public String toString() {
            return name().toLowerCase(Locale.ROOT);
        }
    }

    @Command(name = "trust", mixinStandardHelpOptions = true, description = "Trusts host keys: a file with lines of DEVICE SHA256:…, for each kind of key that a device has",
            footer = {"", "Examples:", "  rilvan device trust host-keys.txt"})
    int trust(@Parameters(paramLabel = "FILE") String file, @Mixin Output output) throws IOException {
        Map<String, String> keys = new LinkedHashMap<>();
        Documents.read(file).lines().filter(line -> !line.isBlank()).forEach(line -> {
            String[] words = line.strip().split("\\s+");
            if (words.length != 2) {
                throw new Failure(Failure.REFUSED, "expected DEVICE SHA256:… in the line: " + line);
            }
            keys.merge(words[0], words[1], (one, other) -> one + " " + other);
        });
        JsonObject answer = Server.signedIn().object("PUT", "/api/v1/host-keys", JsonWriter.string(keys), Documents.JSON);
        output.done(answer, answer.getInt("trusted") + " host keys trusted");
        return 0;
    }
}
