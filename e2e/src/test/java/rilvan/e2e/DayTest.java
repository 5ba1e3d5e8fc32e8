package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.concurrent.TimeUnit;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import rilvan.e2e.Product.Result;

/** The day of {@code docs/a-day.md}, line by line, with the service killed at random moments; in the end every device is as at the start. */
class DayTest {

    private static final Pattern ENTERED = Pattern.compile("    (\\w+)\\$ (!?) ?(.+)");
    private static final Pattern LATER = Pattern.compile("\\+(\\d+)([sm])");
    private static final int ONE_IN = 4;

    @Test
    @Timeout(value = 20, unit = TimeUnit.MINUTES)
    void everyLineDoesWhatThePageSays() throws Exception {
        long seed = new Random().nextLong();
        Random random = new Random(seed);
        try (Product product = new Product("day", Product.ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_SETTLE_TIME", "300ms"))) {
            Map<String, String> before = product.held();
            Colleagues people = new Colleagues(product);
            people.add("anna", "prepare,run,approve");
            people.add("bert", "prepare,run,approve");
            String network = product.network();
            for (String line : Files.readAllLines(Product.ROOT.resolve("docs/a-day.md"))) {
                Matcher entered = ENTERED.matcher(line);
                if (!entered.matches()) {
                    continue;
                }
                if (entered.group(3).contains("--in-window")) {
                    String opensSoon = "maintenance:\n  - { starts: " + Instant.now().plusSeconds(25).truncatedTo(ChronoUnit.SECONDS).toString().replace("Z", "") + ", zone: UTC, lasts: PT2H }\n";
                    assertThat(product.rilvan(network.substring(0, network.indexOf("maintenance:")) + opensSoon + network.substring(network.indexOf("# The nearest that applies")), "network", "load", "-").code()).isZero();
                }
                Result result = entered(product, people, entered.group(1), entered.group(3));
                assertThat(result.code() == 0).as("seed " + seed + ": " + line + "\n" + result.output()).isEqualTo(entered.group(2).isEmpty());
                if (random.nextInt(ONE_IN) == 0) {
                    System.out.println("killed after: " + line.strip());
                    product.killed();
                }
            }
            product.awaitList("/api/v1/endings", List::isEmpty);
            product.awaitList("/api/v1/services", List::isEmpty);
            product.awaitList("/api/v1/drafts", List::isEmpty);
            product.rilvan("", "device", "read", "haven-pe1");
            assertThat(product.held()).as("seed " + seed).isEqualTo(before);
        }
    }

    private static Result entered(Product product, Colleagues people, String who, String line) throws Exception {
        String command = LATER.matcher(line).replaceAll(time -> Instant.now().plusSeconds(Long.parseLong(time.group(1)) * (time.group(2).equals("m") ? 60 : 1)).truncatedTo(ChronoUnit.SECONDS).toString());
        if (command.contains("ORDER")) {
            command = command.replace("ORDER", Long.toString(product.latestOrder()));
        }
        return product.shell(people.token(who), "rilvan() { \"$ROOT/rilvan\" \"$@\"; }\nset -o pipefail\n" + command);
    }
}
