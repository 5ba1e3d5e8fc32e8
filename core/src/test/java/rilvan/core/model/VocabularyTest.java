package rilvan.core.model;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.document.Document;

class VocabularyTest {

    private static final String TEXT = Shipped.text("vocabulary.yaml");

    /** What only adds may be put into force unseen; whatever else is different may mean something else to a model. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '~', textBlock = """
        nothing: {{}}            |                              | true
        clauses:⏎                | clauses:⏎  closed-port: { type: object, properties: { port: { type: string } } }⏎ | true
        observations:⏎           | observations:⏎  silence: { type: object, properties: { from: { type: object, properties: {} }, to: { type: object, properties: {} } } }⏎ | true
        rules:⏎  own-name:       | rules:⏎  other: { description: Nothing, given: { type: object, properties: { n: { type: integer } } }, require: [{ that: "=n > 0", at: n, say: no }] }⏎  own-name: | true
        "=mtu <= most"           | "=mtu < most"                | false
        two {kind} are named     | several {kind} are named     | false
        default: last, enum      | default: first, enum         | false
        exercises: [bridge.mac_limit] | exercises: [bridge]     | false
        timeout: 5               | timeout: 6                   | false
        """)
    void aVocabularyThatOnlyAddsIsTold(String from, String to, boolean adds) {
        String other = to == null ? TEXT : TEXT.replace(from.replace("⏎", "\n"), to.replace("⏎", "\n"));
        assertThat(to == null || !other.equals(TEXT)).as("%s is there", from).isTrue();
        Vocabulary now = Vocabulary.read(Document.read(other));
        assertThat(now.extendsOnly(Vocabulary.read(Document.read(TEXT)))).isEqualTo(adds);
    }
}
