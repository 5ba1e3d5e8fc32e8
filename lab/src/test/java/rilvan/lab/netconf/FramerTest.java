package rilvan.lab.netconf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.charset.StandardCharsets;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** Chunked framing as a server reads it (RFC 6242 §4.2). */
class FramerTest {

    private final Framer framer = new Framer();

    private void arrives(String text) {
        byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
        framer.add(bytes, 0, bytes.length);
    }

    @Test
    void aMessageIsReadHoweverItIsCut() {
        framer.switchToChunks();
        String message = "\n#4\n<a/>\n#3\n<b>\n##\n";
        for (int i = 0; i < message.length() - 1; i++) {
            arrives(message.substring(i, i + 1));
            assertThat(framer.next()).isEmpty();
        }
        arrives("\n");
        assertThat(framer.next()).contains("<a/><b>");
    }

    /** It is found at once, though no line end comes: nobody waits for one. */
    @ParameterizedTest
    @ValueSource(strings = {"<", "#4", "\n4", "\n#0", "\n#x", "\n#-1", "\n#12345678901", "\n#4 ", "\n##x", "\n#4\n<a/>x"})
    void aMalformedChunkHeaderEndsTheSession(String text) {
        framer.switchToChunks();
        arrives(text);
        assertThatThrownBy(framer::next).isInstanceOf(Framer.BadFraming.class);
    }
}
