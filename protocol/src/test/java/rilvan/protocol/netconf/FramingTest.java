package rilvan.protocol.netconf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class FramingTest {

    private final long seed = Long.getLong("rilvan.seed", System.nanoTime());

    /** However messages are cut into chunks and chunks into packets, the same messages come out. */
    @RepeatedTest(100)
    void messagesSurviveAnyCutting() {
        Random random = new Random(seed);
        boolean chunks = random.nextBoolean();
        List<String> messages = new ArrayList<>();
        ByteArrayOutputStream wire = new ByteArrayOutputStream();
        for (int i = 0; i < 5; i++) {
            String message = "<m>]]>]]\n##\n#1\n é 端 ]".repeat(1 + random.nextInt(4)) + i;
            messages.add(message);
            byte[] bytes = message.getBytes(StandardCharsets.UTF_8);
            if (chunks) {
                for (int from = 0; from < bytes.length;) {
                    int size = Math.min(bytes.length - from, 1 + random.nextInt(40));
                    wire.writeBytes(("\n#" + size + "\n").getBytes(StandardCharsets.US_ASCII));
                    wire.write(bytes, from, size);
                    from += size;
                }
                wire.writeBytes("\n##\n".getBytes(StandardCharsets.US_ASCII));
            } else {
                wire.writeBytes(bytes);
                wire.writeBytes("]]>]]>".getBytes(StandardCharsets.US_ASCII));
            }
        }
        Framing framing = new Framing(100_000);
        if (chunks) {
            framing.useChunks();
        }
        List<String> received = new ArrayList<>();
        byte[] bytes = wire.toByteArray();
        for (int from = 0; from < bytes.length;) {
            int size = Math.min(bytes.length - from, 1 + random.nextInt(30));
            framing.take(bytes, from, size, received::add);
            from += size;
        }
        assertThat(received).as("seed %d", seed).isEqualTo(messages);
    }

    /** The delimiter ends a message at its first occurrence, whatever bytes of it stand before. */
    @RepeatedTest(200)
    void theFirstDelimiterEndsTheMessage() {
        Random random = new Random(seed);
        StringBuilder wire = new StringBuilder();
        for (int i = random.nextInt(30); i > 0; i--) {
            wire.append("]]]>>a".charAt(random.nextInt(6)));
        }
        wire.append("]]>]]>");
        byte[] bytes = wire.toString().getBytes(StandardCharsets.US_ASCII);
        List<String> received = new ArrayList<>();
        Framing framing = new Framing(1000);
        for (byte each : bytes) {
            framing.take(new byte[] {each}, 0, 1, received::add);
        }
        assertThat(received.get(0)).as("seed %d, %s", seed, wire).isEqualTo(wire.substring(0, wire.indexOf("]]>]]>")));
    }

    @ParameterizedTest
    @ValueSource(strings = {"\n#0\n", "\n#x\n", "#5\n", "\n#99999999999999\n", "\n##x\n", "hello"})
    void whatIsNoChunkEndsTheSession(String bytes) {
        Framing framing = new Framing(1000);
        framing.useChunks();
        byte[] wire = bytes.getBytes(StandardCharsets.US_ASCII);
        assertThatThrownBy(() -> framing.take(wire, 0, wire.length, message -> { })).isInstanceOf(Framing.Broken.class);
    }

    @ParameterizedTest
    @ValueSource(booleans = {true, false})
    void aMessageWithoutEndIsNotWaitedForWithoutBound(boolean chunks) {
        Framing framing = new Framing(1000);
        if (chunks) {
            framing.useChunks();
        }
        byte[] wire = ((chunks ? "\n#4000000000\n" : "") + "x".repeat(2000)).getBytes(StandardCharsets.US_ASCII);
        assertThatThrownBy(() -> framing.take(wire, 0, wire.length, message -> { })).hasMessageContaining("more than 1000 bytes");
    }
}
