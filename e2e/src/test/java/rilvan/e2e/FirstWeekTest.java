package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** An administrator's first week: the archive is installed, worked with, lost, restored and upgraded. The story checks itself. */
class FirstWeekTest {

    @Test
    @Timeout(value = 20, unit = TimeUnit.MINUTES)
    void everyStepOfTheWeekEndsAsItSays() throws Exception {
        String told = Script.toldBy(Product.ROOT.resolve("e2e/first-week.sh").toString());
        assertThat(told).contains("18 steps, each as told");
    }
}
