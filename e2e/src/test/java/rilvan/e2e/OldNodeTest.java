package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** Where the Node on the PATH is too old to build the console, the start scripts bring a later one. */
class OldNodeTest {

    @TempDir
    private Path folder;

    @Test
    @Timeout(value = 10, unit = TimeUnit.MINUTES)
    void anOldNodeIsReplacedByALaterOneOfOurOwn() throws Exception {
        Path programs = Files.createDirectory(folder.resolve("programs"));
        Path old = Files.writeString(programs.resolve("node"), """
                #!/bin/sh
                [ "$1" = --version ] && echo v18.20.4 && exit 0
                exec "$RILVAN_TEST_NODE" "$@"
                """);
        Files.setPosixFilePermissions(old, PosixFilePermissions.fromString("rwxr-xr-x"));
        ProcessBuilder builder = new ProcessBuilder("bash", "-c", "set -euo pipefail; RILVAN_TEST_NODE=$(command -v node); export RILVAN_TEST_NODE; "
                + "PATH=$1:$PATH; . \"$2/setup/parts.sh\"; BUILD=$3; ensure_node; node --version", "bash", programs.toString(), Product.ROOT.toString(),
                folder.resolve("build").toString()).redirectError(ProcessBuilder.Redirect.INHERIT);
        Process process = builder.start();
        process.getOutputStream().close();
        String version = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8).strip();
        assertThat(process.waitFor()).isZero();
        assertThat(Integer.parseInt(version.replaceFirst("v([0-9]+).*", "$1"))).as(version).isGreaterThanOrEqualTo(20);
    }
}
