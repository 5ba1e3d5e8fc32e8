package rilvan.cli;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;
import java.util.stream.Stream;

/**
 * One of several services that somebody works with, by a name of their own; each has a sign-in, kept in a file that only its owner can read.
 *
 * @param name empty for the one that has none
 */
record Profile(String name) {

    private static final Pattern NAME = Pattern.compile("[A-Za-z0-9][A-Za-z0-9._-]{0,62}");

    Profile {
        if (!name.isEmpty() && !NAME.matcher(name).matches()) {
            throw new Failure(Failure.USAGE, "'" + name + "' is no name of a profile: up to 63 letters, digits and . _ -");
        }
    }

    /** What a sign-in leaves: where, with which token, and who has signed the service's certificate where nobody whom Java knows has. */
    record Session(String server, String token, Optional<Path> authority) {}

    /** The one that RILVAN_PROFILE names; without a name where it names none. */
    static Profile present() {
        return new Profile(Optional.ofNullable(System.getenv("RILVAN_PROFILE")).orElse("").strip());
    }

    /** Those that were signed in to, by name. */
    static List<Profile> all() throws IOException {
        Path unnamed = unnamed();
        String beginning = unnamed.getFileName().toString();
        if (Files.notExists(unnamed.getParent())) {
            return List.of();
        }
        try (Stream<Path> files = Files.list(unnamed.getParent())) {
            return files.map(file -> file.getFileName().toString()).filter(file -> file.equals(beginning) || file.startsWith(beginning + "-")).sorted()
                    .map(file -> new Profile(file.equals(beginning) ? "" : file.substring(beginning.length() + 1))).toList();
        }
    }

    /** The file of the one without a name; those of the others are beside it. */
    private static Path unnamed() {
        String given = System.getenv("RILVAN_SESSION");
        return given != null ? Path.of(given).toAbsolutePath() : Path.of(System.getProperty("user.home"), ".config", "rilvan", "session");
    }

    private Path file() {
        Path unnamed = unnamed();
        return name.isEmpty() ? unnamed : unnamed.resolveSibling(unnamed.getFileName() + "-" + name);
    }

    /** What the last sign-in has left; absent where nobody has signed in. */
    Optional<Session> session() {
        try {
            List<String> lines = Files.readAllLines(file());
            return lines.size() < 2 ? Optional.empty() : Optional.of(new Session(lines.get(0), lines.get(1), lines.stream().skip(2).findFirst().map(Path::of)));
        } catch (IOException e) {
            return Optional.empty();
        }
    }

    void keep(Session session) throws IOException {
        Files.createDirectories(file().getParent());
        Files.deleteIfExists(file());
        Files.createFile(file(), PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
        Files.writeString(file(), session.server() + "\n" + session.token() + "\n" + session.authority().map(path -> path + "\n").orElse(""));
    }

    /** Whether there was one. */
    boolean remove() throws IOException {
        return Files.deleteIfExists(file());
    }

    /** As it is named on the command line. */
    String inWords() {
        return name.isEmpty() ? "-" : name;
    }
}
