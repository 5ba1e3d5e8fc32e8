package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** The tour is the product's story, and checks itself. */
class TourTest {

    @Test
    @Timeout(value = 15, unit = TimeUnit.MINUTES)
    void everyStepOfTheTourEndsAsItSays() throws Exception {
        String told = Script.toldBy(Product.ROOT.resolve("demo").toString(), "--tour");
        assertThat(told).contains("14 steps, each as told");
    }
}
