package rilvan.server.keys;

import java.io.UncheckedIOException;
import java.nio.file.Path;
import org.springframework.stereotype.Component;
import rilvan.server.Settings;

/** The key file of this instance, and beside it the one that is to follow it. */
@Component
public final class KeyFile {

    private final Path file;

    public KeyFile(Settings settings) {
        file = settings.keyFile();
    }

    /** @throws FileKey.Unusable where there is none, or not one that is as it should be */
    FileKey now() {
        return FileKey.of(file);
    }

    /** @throws FileKey.Unusable where there is none, or not one that is as it should be */
    FileKey next() {
        return FileKey.of(file.resolveSibling(file.getFileName() + ".next"));
    }

    /** The name of the key that the file has now; empty where it has none that can be used. */
    public String name() {
        try {
            return now().name();
        } catch (FileKey.Unusable | UncheckedIOException e) {
            return "";
        }
    }

    @Override
    public String toString() {
        return file.toString();
    }
}
