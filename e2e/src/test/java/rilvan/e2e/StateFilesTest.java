package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.eclipse.jgit.api.Git;
import org.eclipse.jgit.api.errors.GitAPIException;
import org.eclipse.jgit.revwalk.RevCommit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** The wanted state as files: out and back again is the same; and as a repository, in which each order that is done is one commit, also after a kill. */
class StateFilesTest {

    private static final String CLINICS = Product.example("l3vpn/examples/tidewater-clinics");
    private static final String WIRE = Product.example("l2vpn/examples/kelp-works-wire");

    @TempDir
    private Path folder;
    private Product product;

    @Test
    void outAndBackIsTheSameAndEachOrderIsOneCommit() throws Exception {
        // The service is another user.
        Files.setPosixFilePermissions(folder, PosixFilePermissions.fromString("rwxrwxrwx"));
        Path kept = folder.resolve("kept");
        try (Product started = new Product("files", Product.ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_SETTLE_TIME", "300ms", "RILVAN_STATE_FOLDER", kept.toString()))) {
            product = started;
            product.done(CLINICS);
            product.done(WIRE);
            product.killed();
            product.done(WIRE.replace("rate: 100000", "rate: 50000").replace("reason: ", "reason: narrower, "));
            long last = product.latestOrder();
            committed(kept, last);
            try (Git git = Git.open(kept.toFile())) {
                RevCommit latest = git.log().call().iterator().next();
                assertThat(latest.getShortMessage()).isEqualTo("narrower, Kelp & Co. join the works on Olvar with the quay on Haven");
                assertThat(latest.getAuthorIdent().getName()).isEqualTo("engineer");
                assertThat(git.log().call()).extracting(RevCommit::getShortMessage).doesNotHaveDuplicates().contains("Tidewater Clinics join their two houses");
            }

            Path out = folder.resolve("out");
            assertThat(said("", "files", "write", out.toString())).contains("2 of them of services");
            assertThat(files(out)).isEqualTo(files(kept));
            assertThat(said("", "diff", out.toString())).contains("no difference");
            // Somebody works on a copy: one value, a service less, one more, a tenant, a model.
            Path copy = folder.resolve("copy");
            WalkThroughTest.copy(out, copy);
            edit(copy.resolve("services/kelp-works-wire.yaml"), "rate: 50000", "rate: 70000");
            Files.writeString(copy.resolve("services/kelp-second-wire.yaml"), Files.readString(out.resolve("services/kelp-works-wire.yaml")).replace("kelp-works-wire", "kelp-second-wire")
                    .replaceAll("\\b400\\b", "401").replaceAll("\\b410\\b", "411"));
            Files.delete(copy.resolve("services/tidewater-clinics.yaml"));
            edit(copy.resolve("tenants.yaml"), "name: Kelp & Co.", "name: Kelp & Daughters");
            edit(copy.resolve("models/services/l2vpn/model.yaml"), "title:", "title: Another");
            Files.writeString(copy.resolve("README.md"), "ours\n");
            Product.Result diff = product.rilvan("", "diff", copy.toString());
            assertThat(diff.code()).isEqualTo(1);
            assertThat(diff.output()).contains("change kelp-works-wire\n    parameters/rate: 50000 → 70000", "add kelp-second-wire", "remove tidewater-clinics", "add tenant Kelp & Daughters", "remove tenant Kelp & Co.",
                    "otherwise than in force: models/services/l2vpn/model.yaml", "rilvan tenant load");
            assertThat(said("", "diff", copy.toString(), "--draft", "copied")).contains("copied has 3 entries");
            assertThat(product.rilvan("", "draft", "run", "copied").output()).contains("done");
            assertThat(product.rilvan("", "service", "rename", "kelp-second-wire", "kelp-spare-wire").output()).contains("done");

            // Back to what was written.
            assertThat(said("", "diff", out.toString(), "--draft", "back")).contains("back has 3 entries");
            assertThat(product.rilvan("", "draft", "run", "back").output()).contains("done");
            assertThat(said("", "diff", out.toString())).contains("no difference");
            Path again = folder.resolve("again");
            said("", "files", "write", again.toString());
            assertThat(files(again)).isEqualTo(files(out));
            committed(kept, product.latestOrder());
            assertThat(files(kept)).isEqualTo(files(out));

            wrong(copy, out);
            product.removeAll();
        }
    }

    /** What cannot be compared is told with its file, and changes nothing. */
    private void wrong(Path copy, Path out) throws Exception {
        assertThat(refused("files", "write", Product.ROOT.resolve("docs").toString())).contains("is not empty, and has no tenants.yaml");
        assertThat(refused("diff", Product.ROOT.resolve("docs").toString())).contains("has neither a folder services nor a file tenants.yaml");
        Path wire = copy.resolve("services/kelp-works-wire.yaml");
        Files.writeString(wire, "services: [{ name: another }]");
        assertThat(refused("diff", copy.toString())).contains("/files/services~1kelp-works-wire.yaml/services/0/name", "the file is of kelp-works-wire");
        Files.writeString(wire, "services: [");
        assertThat(refused("diff", copy.toString(), "--draft", "never")).contains("/files/services~1kelp-works-wire.yaml");
        Files.write(wire, new byte[] {(byte) 0xc3, (byte) 0x28});
        assertThat(refused("diff", copy.toString())).contains("is not text in UTF-8");
        Files.copy(out.resolve("services/kelp-works-wire.yaml"), wire, StandardCopyOption.REPLACE_EXISTING);
        edit(wire, "rate: 50000", "rate: fast");
        assertThat(said("", "diff", copy.toString(), "--draft", "kept-with-problems")).contains("must be a whole number");
        assertThat(said("", "draft", "list")).doesNotContain("never");
        said("", "draft", "remove", "kept-with-problems");
    }

    private void committed(Path kept, long last) throws Exception {
        product.await("/api/v1/orders/" + product.latestOrder(), order -> {
            try (Git git = Git.open(kept.toFile())) {
                return git.log().call().iterator().next().getFullMessage().endsWith("Order: " + last + "\n");
            } catch (IOException | GitAPIException e) {
                throw new AssertionError(e);
            }
        });
    }

    private static void edit(Path file, String before, String after) throws Exception {
        String text = Files.readString(file);
        assertThat(text).contains(before);
        Files.writeString(file, text.replace(before, after));
    }

    private String said(String input, String... words) throws Exception {
        Product.Result result = product.rilvan(input, words);
        assertThat(result.code()).as(result.output()).isZero();
        return result.output();
    }

    private String refused(String... words) throws Exception {
        Product.Result result = product.rilvan("", words);
        assertThat(result.code()).as(result.output()).isNotZero();
        return result.output();
    }

    private static Map<String, String> files(Path root) throws Exception {
        Map<String, String> files = new TreeMap<>();
        try (Stream<Path> found = Files.walk(root)) {
            List<Path> all = found.filter(Files::isRegularFile).filter(file -> !root.relativize(file).startsWith(".git")).toList();
            for (Path file : all) {
                files.put(root.relativize(file).toString(), Files.readString(file));
            }
        }
        return files;
    }
}
