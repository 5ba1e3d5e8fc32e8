package rilvan.cli;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.InvalidPathException;
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
    static String read(String name) {
        try {
            byte[] bytes = name.equals("-") ? System.in.readAllBytes() : Files.readAllBytes(Path.of(name));
            return StandardCharsets.UTF_8.newDecoder().decode(ByteBuffer.wrap(bytes)).toString();
        } catch (CharacterCodingException e) {
            throw new Failure(Failure.REFUSED, (name.equals("-") ? "the standard input" : name) + " is not text in UTF-8");
        } catch (NoSuchFileException | InvalidPathException e) {
            throw new Failure(Failure.REFUSED, "there is no file " + name);
        } catch (IOException e) {
            throw new Failure(Failure.REFUSED, "the file " + name + " cannot be read: " + e.getMessage());
        }
    }
}
