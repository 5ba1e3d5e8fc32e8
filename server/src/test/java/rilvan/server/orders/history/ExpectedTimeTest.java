package rilvan.server.orders.history;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.server.store.Orders.Took;

class ExpectedTimeTest {

    @ParameterizedTest
    @CsvSource({
        // Earlier orders as devices:seconds; devices of this one; what is expected.
        "'', 2, ",
        "2:0.7, 2, 1",
        "2:1 2:2 2:9, 2, 2",
        "2:1 600:18, 600, 18",
        // Larger than any before: in proportion.
        "10:4, 100, 40",
        // Smaller than any before: no longer than these.
        "100:12, 3, 12",
        // Those next to it in size count, five of them.
        "4:3 5:3 5:3 6:3 6:3 500:90 500:90, 5, 3",
    })
    void theOrdersThatComeClosestTell(String earlier, int devices, Long expected) {
        List<Took> took = new ArrayList<>();
        for (String each : earlier.isEmpty() ? new String[0] : earlier.split(" ")) {
            took.add(new Took(Integer.parseInt(each.split(":")[0]), Double.parseDouble(each.split(":")[1])));
        }
        assertThat(ExpectedTime.seconds(took, devices)).isEqualTo(Optional.ofNullable(expected));
    }
}
