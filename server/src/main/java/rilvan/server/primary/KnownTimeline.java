package rilvan.server.primary;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.Optional;

/** The highest timeline of the store that this instance has seen, kept in a file where it has one, so that it is known after a restart as well. */
final class KnownTimeline {

    private final Optional<Path> file;
    private Timeline highest;

    /** @param file empty where nothing is kept */
    KnownTimeline(Optional<Path> file) {
        this.file = file;
        this.highest = file.filter(Files::exists).map(KnownTimeline::read).orElse(new Timeline(0, 0));
    }

    /**
     * A timeline.
     *
     * @param system identifies the database cluster; 0 where none was seen yet
     * @param number counts promotions, from 1
     */
    record Timeline(long system, long number) {}

    private static Timeline read(Path file) {
        try {
            String[] words = Files.readString(file).strip().split(" ");
            return new Timeline(Long.parseLong(words[0]), Long.parseLong(words[1]));
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        } catch (NumberFormatException | ArrayIndexOutOfBoundsException e) {
            throw new IllegalStateException(file + " does not say which timeline of the store was seen last; remove it if no former primary can come back", e);
        }
    }

    /** Why a primary on this timeline is not to be used; nothing where it may be. */
    synchronized Optional<String> refuses(Timeline timeline) {
        return highest.system() != 0 && highest.system() != timeline.system() ? Optional.of("is another database: its system identifier is " + timeline.system() + ", not " + highest.system())
                : timeline.number() < highest.number() ? Optional.of("is a former primary: it is on timeline " + timeline.number() + ", and " + highest.number() + " has been seen") : Optional.empty();
    }

    /** @return whether it is a later one than was known */
    synchronized boolean seen(Timeline timeline) {
        if (timeline.number() <= highest.number()) {
            return false;
        }
        highest = timeline;
        file.ifPresent(path -> keep(path, timeline));
        return true;
    }

    private static void keep(Path file, Timeline timeline) {
        try {
            Path written = file.resolveSibling(file.getFileName() + ".new");
            Files.writeString(written, timeline.system() + " " + timeline.number() + "\n");
            Files.move(written, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
        } catch (IOException e) {
            throw new UncheckedIOException("the timeline of the store cannot be kept in " + file, e);
        }
    }
}
