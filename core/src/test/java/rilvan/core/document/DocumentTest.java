package rilvan.core.document;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;

class DocumentTest {

    static Stream<Arguments> refused() {
        return Stream.of(
                Arguments.of("", "the document is empty"),
                Arguments.of("a: [1, 2", "line 1, column 9"),
                Arguments.of("a: 1\na: 2", "line 2, column 1: the key 'a' is written twice"),
                Arguments.of("a: &x [1]\nb: *x", "aliases are not read"),
                Arguments.of("a: &a [x]\nb: &b [*a,*a]\nc: &c [*b,*b]", "aliases are not read"),
                Arguments.of("a: !!java.io.File [x]", "line 1, column 4: Global tag is not allowed"),
                Arguments.of("? [1]\n: 2", "a key must be text"),
                Arguments.of("a: 1\nb: \"\u0000\"", "line 2, column 5: the character U+0000 is not allowed"),
                Arguments.of("[".repeat(200) + "]".repeat(200), "Nesting"),
                Arguments.of("x".repeat(Document.LONGEST + 1), "at most 4000000 are read"));
    }

    /** Every escape of JSON (RFC 8259, 7), some of which YAML 1.1 does not know; text that is no JSON string keeps its backslashes. */
    @Test
    void whatJsonEscapesIsRead() {
        assertThat(Document.read("{\"a\": \"<\\/b> \\\\/ \\\" \\u00e9 \\b\\f\\n\\r\\t\", \"c\\/d\": [\"\\/\"]}").value())
                .isEqualTo(Map.of("a", "</b> \\/ \" é \b\f\n\r\t", "c/d", List.of("/")));
        assertThat(Document.read("a: x\\/y").value()).isEqualTo(Map.of("a", "x\\/y"));
        assertThat(Document.read("{a: 'x\\/y', b: it\"s\\/}").value()).isEqualTo(Map.of("a", "x\\/y", "b", "it\"s\\/"));
    }

    @ParameterizedTest
    @MethodSource("refused")
    void whatIsNoDocumentIsRefusedAtOnce(String text, String message) {
        assertThatThrownBy(() -> Document.read(text)).isInstanceOf(Document.Malformed.class).hasMessageContaining(message);
    }

    @Test
    void valuesArePlainAndKnowWhereTheyStand() {
        Document document = Document.read("a: 7\nb: [x, no, 12:30, 2026-11-01, true, ~]\nc: {d/e: 1.5}\n");
        assertThat(document.value().toString()).isEqualTo("{a=7, b=[x, no, 12:30, 2026-11-01, true, null], c={d/e=1.5}}");
        assertThat(document.placeOf("/b/2")).hasToString("Optional[line 2, column 12]");
        assertThat(document.placeOf("/c/d~1e")).hasToString("Optional[line 3, column 5]");
        assertThat(document.placeOf("/c/missing")).hasToString("Optional[line 3, column 1]");
        assertThat(Document.read("{\"a\": [1, \"x\"]}").value().toString()).isEqualTo("{a=[1, x]}");
    }
}
