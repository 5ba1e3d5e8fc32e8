package rilvan.core.dialect;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;

/** Where the text of each shipped family contains secrets. */
class SecretTextTest {

    private static SecretText secrets(String family) {
        return Shipped.CATALOG.dialects().get(family).secrets().orElseThrow();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', ignoreLeadingAndTrailingWhitespace = true, value = {
        "quern | <authentication>a &amp; b</authentication>              | <authentication>(a & b)</authentication>",
        "quern | <q:authentication q:x='1'>a</q:authentication >          | <q:authentication q:x='1'>(a)</q:authentication >",
        "quern | <description>authentication</description>               | <description>authentication</description>",
        "quern | <authentication/>                                        | <authentication/>",
        "tarn  | <peer><digest>a b</digest><note>x</note></peer>          | <peer><digest>(a b)</digest><note>x</note></peer>",
        "brae  | digest sail at dawn                                      | digest (sail at dawn)",
        "brae  | note digest of the day                                   | note digest of the day",
        "brae  | digester x                                               | digester x",
    })
    void secretsAreFoundAndNothingElse(String family, String text, String replaced) {
        SecretText places = secrets(family);
        assertThat(places.replaced(text, secret -> "(" + secret + ")")).isEqualTo(replaced.replace("a & b", places.xml() ? "a &amp; b" : "a & b"));
        assertThat(places.replaced(" " + text + "\n" + text, secret -> secret)).isEqualTo(" " + text + "\n" + text);
    }

    @ParameterizedTest
    @CsvSource({"drop digest sail at dawn,drop digest *", "refused: digest sail at dawn,refused: digest *", "digest sail,digest *", "hops 2,hops 2"})
    void onTheWireALineThatRemovesASecretShowsItToo(String line, String masked) {
        assertThat(secrets("brae").replacedAnywhere(line, secret -> "*")).isEqualTo(masked);
    }
}
