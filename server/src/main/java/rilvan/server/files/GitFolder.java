package rilvan.server.files;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eclipse.jgit.api.AddCommand;
import org.eclipse.jgit.api.Git;
import org.eclipse.jgit.api.RmCommand;
import org.eclipse.jgit.api.errors.GitAPIException;
import org.eclipse.jgit.lib.Config;
import org.eclipse.jgit.lib.Constants;
import org.eclipse.jgit.lib.ObjectId;
import org.eclipse.jgit.lib.PersonIdent;
import org.eclipse.jgit.revwalk.RevCommit;
import org.eclipse.jgit.revwalk.RevWalk;
import org.eclipse.jgit.storage.file.FileBasedConfig;
import org.eclipse.jgit.treewalk.TreeWalk;
import org.eclipse.jgit.util.FS;
import org.eclipse.jgit.util.SystemReader;

/** A folder of files that is a git repository, of which one branch grows. Not safe for several threads. */
final class GitFolder implements AutoCloseable {

    private static final String NAME = "Rilvan";
    private static final Pattern ORDER = Pattern.compile("(?m)^Order: (\\d+)$");

    static {
        SystemReader.setInstance(new OwnSettings(SystemReader.getInstance()));
    }

    private final Path folder;
    private final Git git;

    /** What somebody has set for git on this machine changes nothing of it. */
    private static final class OwnSettings extends SystemReader.Delegate {

        private OwnSettings(SystemReader machine) {
            super(machine);
        }

        @Override
        public FileBasedConfig openUserConfig(Config parent, FS fs) {
            return none(parent, fs);
        }

        @Override
        public FileBasedConfig openSystemConfig(Config parent, FS fs) {
            return none(parent, fs);
        }

        @Override
        public FileBasedConfig openJGitConfig(Config parent, FS fs) {
            return none(parent, fs);
        }

        private static FileBasedConfig none(Config parent, FS fs) {
            return new FileBasedConfig(parent, null, fs) {
                @Override
                public void load() {}

                @Override
                public void save() {}

                @Override
                public boolean isOutdated() {
                    return false;
                }
            };
        }
    }

    private GitFolder(Path folder, Git git) {
        this.folder = folder;
        this.git = git;
    }

    /** @throws UncheckedIOException where the folder cannot be made, or is something else */
    static GitFolder open(Path folder) {
        try {
            Files.createDirectories(folder);
            boolean isThere = Files.exists(folder.resolve(Constants.DOT_GIT));
            return new GitFolder(folder, isThere ? Git.open(folder.toFile()) : Git.init().setDirectory(folder.toFile()).setInitialBranch("main").call());
        } catch (IOException | GitAPIException e) {
            throw failed("open", folder, e);
        }
    }

    /**
     * What is committed.
     *
     * @param orders those that a commit tells of
     * @param at when the last of them, or the beginning, was
     */
    record Committed(Set<Long> orders, Instant at) {}

    /** Absent where nothing is. */
    Optional<Committed> committed() {
        try (RevWalk walk = new RevWalk(git.getRepository())) {
            ObjectId head = git.getRepository().resolve(Constants.HEAD);
            if (head == null) {
                return Optional.empty();
            }
            RevCommit last = walk.parseCommit(head);
            walk.markStart(last);
            Set<Long> orders = new TreeSet<>();
            for (RevCommit commit : walk) {
                Matcher order = ORDER.matcher(commit.getFullMessage());
                while (order.find()) {
                    orders.add(Long.parseLong(order.group(1)));
                }
            }
            return Optional.of(new Committed(orders, last.getCommitterIdent().getWhenAsInstant()));
        } catch (IOException e) {
            throw failed("read", folder, e);
        }
    }

    /** The files that are committed, by path. */
    Map<String, String> files() {
        Map<String, String> files = new TreeMap<>();
        walk(walk -> files.put(walk.getPathString(), new String(git.getRepository().open(walk.getObjectId(0)).getBytes(), StandardCharsets.UTF_8)));
        return files;
    }

    /** Their paths. */
    Set<String> paths() {
        Set<String> paths = new TreeSet<>();
        walk(walk -> paths.add(walk.getPathString()));
        return paths;
    }

    private interface Visit {
        void file(TreeWalk walk) throws IOException;
    }

    private void walk(Visit visit) {
        try {
            ObjectId tree = git.getRepository().resolve(Constants.HEAD + "^{tree}");
            if (tree != null) {
                try (TreeWalk walk = new TreeWalk(git.getRepository())) {
                    walk.addTree(tree);
                    walk.setRecursive(true);
                    while (walk.next()) {
                        visit.file(walk);
                    }
                }
            }
        } catch (IOException e) {
            throw failed("read", folder, e);
        }
    }

    /** Whether a commit is made also where files are there just so already. */
    enum Commit {
        ALWAYS, WHERE_SOMETHING_CHANGES
    }

    /**
     * Commits files.
     *
     * @param written texts by path
     * @param gone paths of files that go; one that is not there is passed over
     * @param author who has wanted it
     * @param message its first line is what a list of commits shows
     */
    void commit(Map<String, String> written, Set<String> gone, String author, Instant at, String message, Commit when) {
        try {
            if (!written.isEmpty()) {
                AddCommand add = git.add();
                for (Map.Entry<String, String> file : written.entrySet()) {
                    Path path = folder.resolve(file.getKey());
                    Files.createDirectories(path.getParent());
                    Files.writeString(path, file.getValue());
                    add.addFilepattern(file.getKey());
                }
                add.call();
            }
            if (!gone.isEmpty()) {
                RmCommand remove = git.rm();
                gone.forEach(remove::addFilepattern);
                remove.call();
            }
            if (when == Commit.ALWAYS || git.getRepository().resolve(Constants.HEAD) == null || !git.diff().setCached(true).call().isEmpty()) {
                git.commit().setAuthor(person(author, at)).setCommitter(person(NAME, at)).setMessage(message).setSign(false).setNoVerify(true).call();
            }
        } catch (IOException | GitAPIException e) {
            throw failed("write", folder, e);
        }
    }

    private static PersonIdent person(String name, Instant at) {
        return new PersonIdent(name, "", at, ZoneOffset.UTC);
    }

    private static UncheckedIOException failed(String doing, Path folder, Exception e) {
        return new UncheckedIOException("cannot " + doing + " the repository in " + folder + ": " + e.getMessage(), e instanceof IOException io ? io : new IOException(e));
    }

    @Override
    public void close() {
        git.close();
    }
}
