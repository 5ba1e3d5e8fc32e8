package rilvan.server.files;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.Map;
import java.util.Set;
import org.eclipse.jgit.api.Git;
import org.eclipse.jgit.revwalk.RevCommit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import rilvan.server.files.GitFolder.Commit;

/** What is committed is what was written, by whoever wanted it, at its time; the same again is no commit. */
class GitFolderTest {

    private static final Instant MAY = Instant.parse("2026-05-04T10:00:00Z");

    @TempDir
    private Path folder;

    @Test
    void eachCommitTellsWhoAndWhenAndWhichOrder() throws Exception {
        try (GitFolder git = GitFolder.open(folder.resolve("skerra"))) {
            assertThat(git.committed()).isEmpty();
            git.commit(Map.of("services/a.yaml", "a: 1\n", "tenants.yaml", "é\n"), Set.of(), "rilvan", MAY, "the wanted state", Commit.WHERE_SOMETHING_CHANGES);
            git.commit(Map.of("services/b.yaml", "b: 1\n"), Set.of("services/a.yaml", "services/never-there.yaml"), "anna", MAY.plusSeconds(60), "two houses\n\nOrder: 17\n", Commit.ALWAYS);
            git.commit(Map.of("services/b.yaml", "b: 1\n"), Set.of("services/a.yaml"), "anna", MAY.plusSeconds(90), "nothing new", Commit.WHERE_SOMETHING_CHANGES);
            git.commit(Map.of(), Set.of(), "bert", MAY.plusSeconds(95), "the same again\n\nOrder: 18\nOrder: 19\n", Commit.ALWAYS);
            assertThat(git.files()).isEqualTo(Map.of("services/b.yaml", "b: 1\n", "tenants.yaml", "é\n"));
        }
        assertThat(folder.resolve("skerra/services/a.yaml")).doesNotExist();
        assertThat(folder.resolve("skerra/services/b.yaml")).hasContent("b: 1\n");
        try (GitFolder again = GitFolder.open(folder.resolve("skerra")); Git git = Git.open(folder.resolve("skerra").toFile())) {
            assertThat(again.committed()).contains(new GitFolder.Committed(Set.of(17L, 18L, 19L), MAY.plusSeconds(95)));
            assertThat(git.log().call()).extracting(RevCommit::getShortMessage).containsExactly("the same again", "two houses", "the wanted state");
            assertThat(git.log().call().iterator().next().getAuthorIdent().getName()).isEqualTo("bert");
            assertThat(git.status().call().isClean()).isTrue();
        }
    }

    @Test
    void whatIsNoFolderIsSaid() throws Exception {
        Path file = Files.writeString(folder.resolve("notes"), "");
        assertThatThrownBy(() -> GitFolder.open(file)).isInstanceOf(UncheckedIOException.class).hasMessageContaining("cannot open the repository in " + file);
    }
}
