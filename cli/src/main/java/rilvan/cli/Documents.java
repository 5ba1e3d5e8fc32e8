package rilvan.cli;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;

/** Documents from files or standard input. */
final class Documents {

    static final String YAML = "application/yaml";
    static final String JSON = "application/json";

    private Documents() {}

    /**
     * @param name a file, or {@code -} for standard input
     */
    static String read(String name) throws IOException {
        if (name.equals("-")) {
            return new String(System.in.readAllBytes(), StandardCharsets.UTF_8);
        }
        try {
            return Files.readString(Path.of(name));
        } catch (NoSuchFileException e) {
            throw new Failure(Failure.REFUSED, "there is no file " + name);
        }
    }
}
