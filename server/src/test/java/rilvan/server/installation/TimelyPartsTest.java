package rilvan.server.installation;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.util.Optional;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.server.installation.Part.Condition;
import rilvan.server.installation.TimelyParts.TimelyPart;

class TimelyPartsTest {

    /** Three times its interval is late, and says so in the unit that a person takes. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', nullValues = "-", textBlock = """
            -      | WELL            | none yet; 2 services fail
            119    | WELL            | none was longer ago than 119 s, each is due every 15 min; 2 services fail
            2700   | WELL            | none was longer ago than 45 min, each is due every 15 min; 2 services fail
            2701   | TO_BE_LOOKED_AT | none was longer ago than 45 min, each is due every 15 min; 2 services fail
            8000   | TO_BE_LOOKED_AT | none was longer ago than 2 h, each is due every 15 min; 2 services fail
            200000 | TO_BE_LOOKED_AT | none was longer ago than 2 days, each is due every 15 min; 2 services fail
            """)
    void whatIsLateIsToBeLookedAt(Long seconds, Condition condition, String found) {
        Part part = new TimelyPart("checks", () -> Optional.ofNullable(seconds), Duration.ofMinutes(15), () -> "2 services fail", "rilvan service list --failing").look();
        assertThat(part.condition()).isEqualTo(condition);
        assertThat(part.found()).isEqualTo(found);
        assertThat(part.advice().isEmpty()).isEqualTo(condition == Condition.WELL);
    }
}
