package rilvan.cli;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.charset.MalformedInputException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;

/** A folder with the wanted state as files; whatever else is in it is not looked at. */
record StateFolder(Path folder) {

    static final String TENANTS = "tenants.yaml";
    static final String SERVICES = "services/";
    static final String MODELS = "models/";

    /** What the service has, by path. */
    static Map<String, String> present() throws IOException {
        ByteArrayOutputStream lines = new ByteArrayOutputStream();
        Server.signedIn().copy("/api/v1/files", lines);
        Map<String, String> files = new TreeMap<>();
        for (String line : lines.toString(StandardCharsets.UTF_8).split("\n")) {
            try {
                JsonObject file = JsonParser.object().from(line);
                files.put(file.getString("path"), file.getString("text"));
            } catch (JsonParserException e) {
                throw new IOException("the answer broke off: " + line, e);
            }
        }
        return files;
    }

    /** Whether it has services, tenants, or models. */
    boolean has(String part) {
        return Files.exists(folder.resolve(part));
    }

    /** The files in it, by path. */
    Map<String, String> files() throws IOException {
        Map<String, String> files = new TreeMap<>();
        for (String part : Set.of(TENANTS, SERVICES, MODELS)) {
            if (has(part)) {
                try (Stream<Path> found = Files.walk(folder.resolve(part))) {
                    for (Path file : found.filter(Files::isRegularFile).toList()) {
                        files.put(folder.relativize(file).toString(), text(file));
                    }
                }
            }
        }
        return files;
    }

    private static String text(Path file) throws IOException {
        try {
            return Files.readString(file);
        } catch (MalformedInputException e) {
            throw new Failure(Failure.REFUSED, file + " is not text in UTF-8");
        }
    }

    /**
     * Makes it what the service has.
     *
     * @throws Failure where there is something else in it
     */
    void write(Map<String, String> wanted) throws IOException {
        if (!has(TENANTS) && Files.exists(folder)) {
            try (Stream<Path> there = Files.list(folder)) {
                Set<String> others = there.map(path -> path.getFileName().toString()).filter(name -> !name.startsWith(".")).collect(Collectors.toCollection(TreeSet::new));
                if (!others.isEmpty()) {
                    throw new Failure(Failure.REFUSED, folder + " is not empty, and has no " + TENANTS + "; name a folder that is new, empty, or was written before");
                }
            }
        }
        for (String path : files().keySet()) {
            if (!wanted.containsKey(path)) {
                Files.delete(folder.resolve(path));
            }
        }
        for (Map.Entry<String, String> file : wanted.entrySet()) {
            Path path = folder.resolve(file.getKey()).normalize();
            if (!path.startsWith(folder.normalize())) {
                throw new Failure(Failure.REFUSED, "the service names the file '" + file.getKey() + "', which would be outside of " + folder);
            }
            Files.createDirectories(path.getParent());
            Files.writeString(path, file.getValue());
        }
    }
}
