package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** The tour is the product's story, and checks itself. */
class TourTest {

    @Test
    @Timeout(value = 5, unit = TimeUnit.MINUTES)
    void everyStepOfTheTourEndsAsItSays() throws Exception {
        ProcessBuilder builder = new ProcessBuilder(Product.ROOT.resolve("demo").toString(), "--tour").redirectErrorStream(true);
        builder.environment().put("RILVAN_PACKAGED", "yes");
        Process tour = builder.start();
        tour.getOutputStream().close();
        String told = new String(tour.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        assertThat(tour.waitFor()).as(told).isZero();
        assertThat(told).contains("14 steps, each as told");
    }
}
