package rilvan.lab;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** What the network document does not have simulated is somewhere in the world: the lab leaves it alone, whatever its family and its port. */
@Timeout(60)
class NotSimulatedTest {

    @TempDir
    private Path folder;

    @Test
    void theLabPlaysTheRest() throws Exception {
        Path network = folder.resolve("network.yaml");
        int port = Bench.freePort();
        Files.writeString(network, """
                network: Skerra Telecom
                devices:
                  - { name: leaf-1, family: of-another-make, role: leaf, site: Haven, address: 198.51.100.1, port: 22, credential: own, loopback: 203.0.113.101, simulated: false, ports: [{ name: core-1, role: core }] }
                  - { name: haven-pe1, family: quern, role: pe, site: Haven, address: 127.20.0.1, port: %d, credential: lab, loopback: 203.0.113.1, ports: [{ name: core-1, role: core }] }
                links:
                  - { a: leaf-1 core-1, b: haven-pe1 core-1 }
                """.formatted(port));
        try (Lab lab = new Lab(new Lab.Setup(network, Bench.MODELS.resolve("demo/devices"), Bench.MODELS.resolve("dialects"), folder.resolve("state"), "rilvan", "secret", 0, 0))) {
            assertThat(lab.devices()).containsOnlyKeys("haven-pe1");
            assertThat(lab.hostKeys()).containsOnlyKeys("haven-pe1");
        }
    }
}
