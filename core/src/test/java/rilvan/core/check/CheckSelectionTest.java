package rilvan.core.check;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.IntStream;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** All that begins or ends on what changes is looked at, however much it is; of the rest, not more than makes up enough. */
class CheckSelectionTest {

    @ParameterizedTest(name = "{0} from there, {1} to there, {2} elsewhere")
    @CsvSource({"0, 0, 0, 0", "3, 4, 10, 17", "10, 5, 1985, 200", "150, 150, 700, 300", "0, 0, 500, 200", "200, 0, 1, 200"})
    void howMany(int from, int to, int elsewhere, int made) {
        List<Check> all = IntStream.range(0, from + to + elsewhere).mapToObj(i -> new Check("s", "reach", true,
                Map.of("device", i < from ? "changes" : "far-" + i), Map.of("device", i >= from && i < from + to ? "changes" : "hub"))).toList();
        CheckSelection chosen = CheckSelection.of(all, Set.of("changes"));
        assertThat(chosen.checks()).hasSize(made).containsAll(all.subList(0, from + to)).isSubsetOf(all);
        assertThat(chosen.left()).isEqualTo(all.size() - made);
    }
}
