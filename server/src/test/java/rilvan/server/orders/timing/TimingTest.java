package rilvan.server.orders.timing;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.time.Instant;
import java.util.Optional;
import java.util.stream.Collectors;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.document.ValidationFailure;

class TimingTest {

    private static final Instant NOW = Instant.parse("2026-11-30T20:00:00Z");

    @ParameterizedTest
    @CsvSource(delimiter = '|', nullValues = "-", value = {
        "-                         | -                    | false | -                    | false | -",
        "window                    | -                    | false | -                    | true  | -",
        "window                    | 2026-12-24T00:00:00Z | false | -                    | true  | 2026-12-24T00:00:00Z",
        "2026-12-01T02:00:00+01:00 | -                    | false | 2026-12-01T01:00:00Z | false | 2026-12-01T02:00:00Z",
        "2026-12-01T02:00:00Z      | 2026-12-01T02:10:00Z | false | 2026-12-01T02:00:00Z | false | 2026-12-01T02:10:00Z",
        "-                         | 2026-12-01T02:10:00Z | true  | -                    | false | 2026-12-01T02:10:00Z"})
    void whenAnOrderIsToBegin(String start, String startBy, boolean urgent, Instant at, boolean inWindow, Instant latest) {
        Timing timing = Timing.read(Optional.ofNullable(start), Optional.ofNullable(startBy), urgent);
        assertThat(timing).isEqualTo(new Timing(Optional.ofNullable(at), inWindow, Optional.ofNullable(latest), urgent));
        timing.check(NOW);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', nullValues = "-", value = {
        "tomorrow             | -                    | false | /start: 'tomorrow' is no time",
        "2026-12-01T02:00:00  | -                    | false | /start: '2026-12-01T02:00:00' is no time; expected one with its offset",
        "2026-11-30T19:59:59Z | -                    | false | /start: 2026-11-30T19:59:59Z is past; it is 2026-11-30T20:00:00Z",
        "2028-01-01T00:00:00Z | -                    | false | /start: 2028-01-01T00:00:00Z is more than a year away",
        "2026-12-01T02:00:00Z | 2026-12-01T02:00:00Z | false | /startBy: is not after start",
        "-                    | yesterday            | false | /startBy: 'yesterday' is no time",
        "window               | -                    | true  | /urgent: an urgent order begins as soon as"})
    void whatIsNoTimeIsRefused(String start, String startBy, boolean urgent, String told) {
        assertThatThrownBy(() -> Timing.read(Optional.ofNullable(start), Optional.ofNullable(startBy), urgent).check(NOW)).isInstanceOfSatisfying(ValidationFailure.class,
                refused -> assertThat(refused.problems().stream().map(problem -> problem.pointer() + ": " + problem.message()).collect(Collectors.joining("\n"))).contains(told));
    }
}
