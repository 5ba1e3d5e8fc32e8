package rilvan.core.document;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.environment.Answer;

/** Text that people write, and text that devices say. */
class PlainTextTest {

    private static final String CLINICS = Shipped.text("services/l3vpn/examples/tidewater-clinics.yaml");

    @ParameterizedTest
    @CsvSource(delimiter = '|', ignoreLeadingAndTrailingWhitespace = false, value = {
        "Tidewater\u2028Clinics|U+2028 (line separator)",
        "Tidewater\u0000Clinics|U+0000 (null)",
        "Tide\u200bwater|U+200B (zero width space)",
        "Tide\u202ewater|U+202E (right-to-left override)",
        "Tide\u00a0water|U+00A0 (no-break space)",
        "Tidewater |begins or ends with a blank",
        "Tidewater  Clinics|two blanks side by side",
    })
    void aLineHasOnlyCharactersThatEverybodySees(String text, String fault) {
        assertThat(PlainText.faultOfLine(text)).hasValueSatisfying(message -> assertThat(message).contains(fault));
        assertThat(PlainText.faultOfLine("Çelik & Søn, Føroyar 2")).isEmpty();
    }

    @Test
    void aTenantIsALineWhereverItGoes() {
        assertThatThrownBy(() -> Shipped.plan(Shipped.skerra(), CLINICS.replace("tenant: Tidewater Clinics", "tenant: \"Tidewater\\u2028Clinics\"")))
                .hasMessageContaining("/services/0/tenant").hasMessageContaining("U+2028");
        // On a command line it would be taken for the pager, and the session would wait for a key that nobody presses.
        assertThatThrownBy(() -> Shipped.plan(Shipped.skerra(), CLINICS.replace("tenant: Tidewater Clinics", "tenant: \"-- more --\"")
                .replace("device: ternsay-pe1", "device: skarn-pe1").replace("192.0.2.2/31", "192.0.2.6/31").replace("192.0.2.3", "192.0.2.7")))
                .hasMessageContaining("on skarn-pe1 would be taken for a prompt, a pager or an error");
    }

    @Test
    void whatADeviceSaysIsCleanedAndCut() {
        Answer.Fault fault = new Answer.Fault("tag\u0000", "/a\u001b[2J", "line\nnext" + "x".repeat(5_000_000));
        assertThat(fault.tag()).isEqualTo("tag\ufffd");
        assertThat(fault.path()).isEqualTo("/a\ufffd[2J");
        assertThat(fault.message()).startsWith("line nextx").hasSizeLessThan(1_100).endsWith("(5000009 characters)");
    }

    @Test
    void aWordThatIsTooLongIsRefusedBeforeItIsParsed() {
        assertThatThrownBy(() -> Document.read("reason: " + "x".repeat(3_000_000))).isInstanceOf(Document.Malformed.class)
                .hasMessageStartingWith("line 1, column 9: has more than 65536 characters without a blank");
    }
}
