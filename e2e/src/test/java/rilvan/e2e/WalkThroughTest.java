package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** The walk-throughs of the documentation: a new service model and a new device family, by files alone, provisioned on the lab. */
class WalkThroughTest {

    private static final Path FILES = Product.ROOT.resolve("docs/walk-through");

    @TempDir
    private Path folder;

    @Test
    @Timeout(value = 15, unit = TimeUnit.MINUTES)
    void aNewModelAndANewFamilyAreProvisioned() throws Exception {
        Path models = folder.resolve("models");
        copy(Product.ROOT.resolve("models"), models);
        copy(FILES.resolve("services"), models.resolve("services"));
        copy(FILES.resolve("dialects"), models.resolve("dialects"));
        Path network = models.resolve("demo/network.yaml");
        Files.writeString(network, Files.readString(network).replace("devices:\n", "devices:\n" + Files.readString(FILES.resolve("slate-device.yaml"))));

        assertThat(kit("schema", models.resolve("dialects/slate").toString()).code()).isZero();
        assertThat(Files.readString(models.resolve("dialects/slate/schema.table"))).contains("line@sl list port,tag\n");
        Path guardLine = models.resolve("services/guard-line");
        assertThat(kit("check", "--models", models.toString()).output()).startsWith("all is well: 7 service models, 5 dialects");
        assertThat(kit("test", "--models", models.toString(), "--accept", guardLine.toString()).output()).isEqualTo("3 as expected, 0 otherwise\n");
        assertThat(kit("page", "--models", models.toString(), guardLine.toString()).code()).isZero();
        assertThat(Files.readString(guardLine.resolve("README.md"))).contains("a device (pe), **required**");

        try (Product product = new Product("walk-through", models, Map.of())) {
            String before = product.running("olvar-slate1");
            assertThat(order(product, "first")).contains("done: all devices hold what was ordered");
            assertThat(order(product, "with-slate")).contains("done: all devices hold what was ordered");
            assertThat(product.running("olvar-slate1")).contains("<label>guard line chapel-lane</label>", "<tag>990</tag>", "<kbits>2000</kbits>");
            assertThat(product.running("skarn-pe1")).contains("part access-1 990\n note guard line lighthouse\n");
            assertThat(product.rilvan("", "device", "explain", "olvar-slate1", "<kbits>2000</kbits>").output())
                    .contains("/line[line-1,990]/kbits = 2000", "service guard-west of Skerry Council, clause circuit (model guard-line 1, expand/0), template slate/clauses/circuit.xml");
            Product.Result cannot = product.rilvan("""
                    services:
                      - name: sheds
                        tenant: Kelp & Co.
                        model: vpls
                        parameters: { circuits: [{ name: shed, device: olvar-slate1, port: line-1, tag: 700 }] }
                    """, "order", "preview", "-");
            assertThat(cannot.code()).isEqualTo(3);
            assertThat(cannot.output()).contains("olvar-slate1 is of the family slate, which cannot express 'bridge'");
            assertThat(product.rilvan("", "service", "remove", "guard-west").code()).isZero();
            assertThat(product.running("olvar-slate1")).isEqualTo(before);
        }
    }

    private static String order(Product product, String example) throws Exception {
        return product.rilvan(Files.readString(FILES.resolve("services/guard-line/examples/" + example + ".yaml")), "order", "run", "-").output();
    }

    private static Product.Result kit(String... arguments) throws IOException, InterruptedException {
        List<String> command = new ArrayList<>(List.of(Product.ROOT.resolve("rilvan").toString(), "kit"));
        command.addAll(List.of(arguments));
        Process process = new ProcessBuilder(command).redirectErrorStream(true).start();
        process.getOutputStream().close();
        return new Product.Result(process.waitFor(), new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8));
    }

    static void copy(Path from, Path to) throws IOException {
        try (Stream<Path> files = Files.walk(from)) {
            files.forEach(file -> {
                Path target = to.resolve(from.relativize(file).toString());
                try {
                    if (Files.isDirectory(file)) {
                        Files.createDirectories(target);
                    } else {
                        Files.copy(file, target);
                    }
                } catch (IOException e) {
                    throw new UncheckedIOException(e);
                }
            });
        }
    }
}
