package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Collectors;
import rilvan.cli.Terminal.Tone;

/** What an order would change, as a terminal shows it: how much there is of it, the lines by device, and what can be guaranteed. */
final class PreviewText {

    /** Services and devices that a line names. */
    static final int MOST_NAMED = 12;
    private static final int MOST_IN_HEAD = 40;

    private PreviewText() {}

    /** Whether a service stays as it is: then what it contains is told by itself. */
    private static boolean isKept(JsonObject view, String service) {
        return view.getArray("services").stream().map(JsonObject.class::cast).anyMatch(each -> each.getString("service").equals(service) && each.getString("kind").equals("KEEP"));
    }

    /** @param whole also what others contain, which otherwise goes without saying */
    static String services(JsonObject view, int most, boolean whole) {
        List<String> parts = new ArrayList<>();
        for (Object each : view.getArray("services")) {
            JsonObject service = (JsonObject) each;
            if (!whole && service.getString("componentOf") != null && !isKept(view, service.getString("componentOf"))) {
                continue;
            }
            parts.add((service.getString("leftOut").isEmpty() ? service.getString("kind").toLowerCase(Locale.ROOT) : "without") + " " + service.getString("service"));
        }
        return String.join(", ", parts.subList(0, Math.min(parts.size(), most))) + (parts.size() > most ? " and " + (parts.size() - most) + " more" : "");
    }

    static void show(JsonObject preview) {
        if (preview.getBoolean("changesNothing")) {
            noChange(preview);
            return;
        }
        head(preview);
        devices(preview.getObject("devices"));
        foot(preview);
    }

    /** What becomes of which services, and how much of it there is. */
    static void head(JsonObject preview) {
        Terminal.say(services(preview, MOST_IN_HEAD, true));
        Map<String, Long> signs = preview.getObject("devices").values().stream().flatMap(lines -> ((JsonArray) lines).stream())
                .collect(Collectors.groupingBy(line -> ((JsonObject) line).getString("sign"), Collectors.counting()));
        long devices = preview.getObject("devices").size();
        Terminal.say((devices == 1 ? "1 device" : devices + " devices") + ", lines: " + signs.getOrDefault("COMES", 0L) + " come, " + signs.getOrDefault("GOES", 0L) + " go");
        if (preview.getString("keptBack") != null) {
            Terminal.say(Terminal.in(Tone.BAD, "not now") + ": " + preview.getString("keptBack"));
        }
        JsonArray others = preview.getArray("others");
        if (others != null && !others.isEmpty()) {
            Terminal.say("also on these devices, and not changed: " + some(others));
        }
    }

    private static void stages(JsonObject preview) {
        JsonArray stages = preview.getArray("stages");
        for (int i = 0; i < stages.size(); i++) {
            JsonObject stage = stages.getObject(i);
            Terminal.say("stage " + (i + 1) + ", " + stage(stages, stage) + ": "
                    + (stage.getArray("services").isEmpty() ? "nothing" : some(stage.getArray("services")) + " on " + some(stage.getArray("devices"))));
        }
        if (!stages.isEmpty()) {
            Terminal.say("Each stage is an order of its own, which is done or rolled back as a whole. Where one fails, those before it stay, or are taken back with --after-failure undo.");
        }
    }

    /** What a stage is about, in words: where it is, or what. */
    static String stage(JsonArray stages, JsonObject stage) {
        boolean elsewhere = stages.stream().anyMatch(each -> !((JsonObject) each).getArray("places").isEmpty());
        return stage.getBoolean("goes") ? "what goes" : !stage.getArray("places").isEmpty() ? "at " + Texts.join(stage.getArray("places")) : elsewhere ? "everywhere else" : "what comes";
    }

    private static String some(JsonArray names) {
        return names.stream().limit(MOST_NAMED).map(String::valueOf).collect(Collectors.joining(", ")) + (names.size() > MOST_NAMED ? " and " + (names.size() - MOST_NAMED) + " more" : "");
    }

    static void foot(JsonObject preview) {
        stages(preview);
        Terminal.say(preview.getString("guarantee"));
        if (!preview.isNull("expectedSeconds")) {
            Terminal.say("expected time: about " + preview.getLong("expectedSeconds") + " s, by earlier orders over about as many devices");
        }
        drift(preview);
    }

    private static void drift(JsonObject preview) {
        JsonArray drift = preview.getArray("drift");
        if (drift != null && !drift.isEmpty()) {
            Terminal.say("Changed outside Rilvan, and not changed by this order:");
            drift.forEach(each -> Terminal.say("  " + Texts.drifted((JsonObject) each)));
        }
    }

    static void noChange(JsonObject preview) {
        Terminal.say("no change: the devices already hold what this order asks for, as they were read"
                + (preview.isNull("readAt") ? "" : " (the earliest reading is of " + Texts.time(preview.getString("readAt")) + ")"));
        drift(preview);
    }

    static void devices(JsonObject devices) {
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
