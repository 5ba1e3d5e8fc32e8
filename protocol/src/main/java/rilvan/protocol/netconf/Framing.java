package rilvan.protocol.netconf;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.util.function.Consumer;

/**
 * Takes messages out of a stream of bytes and puts them in: by end-of-message mark (RFC 6242 §4.3), and by chunks (§4.2)
 * once both sides have said base:1.1.
 */
final class Framing {

    private static final byte[] END = "]]>]]>".getBytes(StandardCharsets.US_ASCII);

    /** How much of the delimiter is still matched when the byte after a number of its bytes is another: its longest beginning that is also their end. */
    private static final int[] LONGEST_BORDER = {0, 0, 1, 0, 1, 2};

    private final int longest;
    private final ByteArrayOutputStream message = new ByteArrayOutputStream();
    private final StringBuilder header = new StringBuilder();
    private boolean chunked;
    private int matched;
    private long left;

    /** Bytes that are no framing; the session cannot go on. */
    static final class Broken extends RuntimeException {
        Broken(String message) {
            super(message);
        }
    }

    /**
     * @param longest bytes a message may have
     */
    Framing(int longest) {
        this.longest = longest;
    }

    /** From the next byte on, chunks; called when the hellos are exchanged and before anything else is read. */
    void useChunks() {
        chunked = true;
    }

    byte[] frame(String text) {
        byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
        ByteArrayOutputStream framed = new ByteArrayOutputStream(bytes.length + 32);
        if (chunked) {
            framed.writeBytes(("\n#" + bytes.length + "\n").getBytes(StandardCharsets.US_ASCII));
            framed.writeBytes(bytes);
            framed.writeBytes("\n##\n".getBytes(StandardCharsets.US_ASCII));
        } else {
            framed.writeBytes(bytes);
            framed.writeBytes(END);
        }
        return framed.toByteArray();
    }

    /**
     * Hands each message that is complete with these bytes to the receiver, which may switch the framing for the next.
     *
     * @throws Broken where the bytes are no framing, or a message is too long
     */
    void take(byte[] bytes, int from, int length, Consumer<String> receiver) {
        int i = from;
        while (i < from + length) {
            int whole = chunked ? (int) Math.min(left, from + length - i) : 0;
            makeRoom(whole);
            message.write(bytes, i, whole);
            left -= whole;
            i += whole;
            if (i < from + length && (chunked ? headerByte(bytes[i++]) : plainByte(bytes[i++]))) {
                String complete = message.toString(StandardCharsets.UTF_8);
                message.reset();
                receiver.accept(complete);
            }
        }
    }

    private boolean plainByte(byte next) {
        makeRoom(1);
        message.write(next);
        while (matched > 0 && next != END[matched]) {
            matched = LONGEST_BORDER[matched];
        }
        matched += next == END[matched] ? 1 : 0;
        if (matched < END.length) {
            return false;
        }
        byte[] all = message.toByteArray();
        message.reset();
        message.write(all, 0, all.length - END.length);
        matched = 0;
        return true;
    }

    /** A byte between chunks; says whether it ends the message. */
    private boolean headerByte(byte next) {
        header.append((char) next);
        String text = header.toString();
        if (text.equals("\n##\n")) {
            header.setLength(0);
            return true;
        }
        if (text.length() > 3 && text.endsWith("\n")) {
            if (!text.matches("\n#[1-9][0-9]{0,9}\n")) {
                throw new Broken("no chunk header: " + text.strip());
            }
            left = Long.parseLong(text.substring(2, text.length() - 1));
            header.setLength(0);
        } else if (text.length() > 14 || text.charAt(0) != '\n' || text.length() > 1 && text.charAt(1) != '#') {
            throw new Broken("no chunk header: " + text.strip());
        }
        return false;
    }

    private void makeRoom(int length) {
        if (message.size() + length > longest) {
            throw new Broken("a message of more than " + longest + " bytes");
        }
    }
}
