package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.io.IOException;
import java.nio.file.FileSystemException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import picocli.CommandLine.Option;
import rilvan.cli.Terminal.Tone;

/** How much of a preview is shown, and where. */
final class PreviewOptions extends Output {

    @Option(names = "--counts", description = "How many lines come and go on each device, and not which")
    private boolean counts;

    @Option(names = "--device", paramLabel = "DEVICE", description = "Only the lines of this device; repeated for several")
    private List<String> devices = List.of();

    @Option(names = "--whole", description = "The whole configuration that each device is to have, instead of what changes")
    private boolean whole;

    @Option(names = "--to", paramLabel = "FOLDER", description = {"Writes the lines into a folder, which is made where there is none: DEVICE.diff has what comes and goes,",
        "DEVICE.txt what the device is to have of it, in its own language, and with --whole DEVICE.whole all that it is to have"})
    private Path folder;

    int preview(String path, String document, String type) throws IOException {
        JsonObject preview = Server.signedIn().object("POST", path + (whole ? (path.contains("?") ? "&" : "?") + "whole=true" : ""), document, type);
        JsonObject lines = preview.getObject("devices");
        for (String device : devices) {
            if (!lines.containsKey(device)) {
                throw new Failure(Failure.REFUSED, "nothing changes on a device named '" + device + "'; there are changes on: " + (lines.isEmpty() ? "none" : String.join(", ", lines.keySet())));
            }
        }
        if (!devices.isEmpty()) {
            lines.keySet().retainAll(Set.copyOf(devices));
            preview.getObject("whole").keySet().retainAll(Set.copyOf(devices));
        }
        if (folder != null) {
            write(lines, preview.getObject("whole"));
        }
        if (asJson(preview)) {
            return 0;
        }
        if (preview.getBoolean("changesNothing")) {
            PreviewText.noChange(preview);
            return 0;
        }
        PreviewText.head(preview);
        if (counts || folder != null) {
            JsonArray rows = new JsonArray(lines.entrySet().stream().map(device -> new JsonObject(Map.of("device", device.getKey(), "lines", device.getValue()))).toList());
            Terminal.table(List.of("DEVICE", "COMES", "GOES"), rows, row -> List.of(row.getString("device"), count(row.getArray("lines"), "COMES"), count(row.getArray("lines"), "GOES")));
        } else if (whole) {
            preview.getObject("whole").forEach((device, text) -> {
                Terminal.say("on " + Terminal.in(Tone.STRONG, device));
                text.toString().lines().forEach(line -> Terminal.say("    " + line));
            });
        } else {
            PreviewText.devices(lines);
        }
        PreviewText.foot(preview);
        return 0;
    }

    private static String count(JsonArray lines, String sign) {
        return Long.toString(lines.stream().filter(line -> ((JsonObject) line).getString("sign").equals(sign)).count());
    }

    private void write(JsonObject lines, JsonObject configurations) throws IOException {
        if (Files.exists(folder) && !Files.isDirectory(folder)) {
            throw new Failure(Failure.REFUSED, folder + " is a file; choose a folder");
        }
        try {
            writeInto(lines);
            for (Map.Entry<String, Object> device : configurations.entrySet()) {
                Files.writeString(folder.resolve(device.getKey() + ".whole"), device.getValue().toString());
            }
        } catch (FileSystemException e) {
            throw new Failure(Failure.REFUSED, "the lines cannot be written: " + e.getFile() + (e.getReason() == null ? "" : ": " + e.getReason()));
        }
        note(lines.size() == 1 ? "the lines of 1 device are in " + folder : "the lines of " + lines.size() + " devices are in " + folder);
    }

    private void writeInto(JsonObject lines) throws IOException {
        Files.createDirectories(folder);
        for (Map.Entry<String, Object> device : lines.entrySet()) {
            List<JsonObject> all = ((JsonArray) device.getValue()).stream().map(JsonObject.class::cast).toList();
            Files.writeString(folder.resolve(device.getKey() + ".diff"), text(all.stream().map(line -> sign(line.getString("sign")) + line.getString("text")).toList()));
            Files.writeString(folder.resolve(device.getKey() + ".txt"), text(all.stream().filter(line -> !line.getString("sign").equals("GOES")).map(line -> line.getString("text")).toList()));
        }
    }

    private static String text(List<String> lines) {
        return lines.stream().map(line -> line + "\n").collect(Collectors.joining());
    }

    private static String sign(String sign) {
        return switch (sign) {
            case "COMES" -> "+ ";
            case "GOES" -> "- ";
            default -> "  ";
        };
    }
}
