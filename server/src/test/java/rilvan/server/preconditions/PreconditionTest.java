package rilvan.server.preconditions;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import rilvan.core.document.ValidationFailure;

class PreconditionTest {

    /** Which of the versions 0 (not there), 1, 2 and 3 will do. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '~', textBlock = """
                         |              | 0 1 2 3
        "2"              |              | 2
        "1", "3"         |              | 1 3
        "1","9"          |              | 1
        W/"2"            |              |
        W/"2", "3"       |              | 3
        "another"        |              |
        *                |              | 1 2 3
                         | *            | 0
                         | "2"          | 0 1 3
                         | "1", "2"     | 0 3
        *                | "2"          | 1 3
        "2"              | *            |
        """)
    void headersSayWhichVersionsWillDo(String match, String noneMatch, String will) {
        var condition = Precondition.of(Optional.ofNullable(match), Optional.ofNullable(noneMatch));
        List<Long> expected = will == null ? List.of() : Stream.of(will.split(" ")).map(Long::valueOf).toList();
        assertThat(Stream.of(0L, 1L, 2L, 3L).filter(version -> condition.holds(Optional.of(version).filter(there -> there > 0).map(String::valueOf))).collect(Collectors.toList())).isEqualTo(expected);
    }

    @ParameterizedTest
    @ValueSource(strings = {"2", "\"2", "2\"", "\"1\" \"2\"", "", "\"1\", 2", "w/\"1\"", "**"})
    void whatHasAnotherFormIsRefused(String header) {
        assertThatThrownBy(() -> Precondition.of(Optional.of(header), Optional.empty())).isInstanceOf(ValidationFailure.class).hasMessageContaining("If-Match");
    }
}
