package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** An administrator's first week: the archive is installed, worked with, lost and restored. The story checks itself. */
class FirstWeekTest {

    @Test
    @Timeout(value = 10, unit = TimeUnit.MINUTES)
    void everyStepOfTheWeekEndsAsItSays() throws Exception {
        ProcessBuilder builder = new ProcessBuilder(Product.ROOT.resolve("e2e/first-week.sh").toString()).redirectErrorStream(true);
        builder.environment().put("RILVAN_PACKAGED", "yes");
        Process week = builder.start();
        week.getOutputStream().close();
        String told = new String(week.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        assertThat(week.waitFor()).as(told).isZero();
        assertThat(told).contains("15 steps, each as told");
    }
}
