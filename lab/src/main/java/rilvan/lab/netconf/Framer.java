package rilvan.lab.netconf;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.util.Optional;

/** Cuts messages out of received bytes: by end mark, and by chunks once both hellos said 1.1 (RFC 6242 §4). */
final class Framer {

    private static final String END_MARK = "]]>]]>";
    private static final int LIMIT = 32 * 1024 * 1024;
    private static final int LONGEST_HEADER = 20;

    private byte[] buffer = new byte[0];
    private boolean chunks;

    /** What arrived is no framing. */
    static final class BadFraming extends RuntimeException {
        BadFraming(String message) {
            super(message);
        }
    }

    void switchToChunks() {
        chunks = true;
    }

    void add(byte[] bytes, int from, int length) {
        byte[] longer = new byte[buffer.length + length];
        System.arraycopy(buffer, 0, longer, 0, buffer.length);
        System.arraycopy(bytes, from, longer, buffer.length, length);
        buffer = longer;
        if (buffer.length > LIMIT) {
            throw new BadFraming("more than " + LIMIT + " bytes without a message's end");
        }
    }

    /** The next whole message, if there is one. */
    Optional<String> next() {
        return chunks ? nextChunked() : nextMarked();
    }

    private Optional<String> nextMarked() {
        // Bytes as characters, so that positions in the text are positions in the buffer.
        int end = new String(buffer, StandardCharsets.ISO_8859_1).indexOf(END_MARK);
        if (end < 0) {
            return Optional.empty();
        }
        String message = new String(buffer, 0, end, StandardCharsets.UTF_8);
        drop(end + END_MARK.length());
        return Optional.of(message);
    }

    private Optional<String> nextChunked() {
        ByteArrayOutputStream message = new ByteArrayOutputStream();
        int at = 0;
        while (true) {
            int lineEnd = at + 2;
            while (lineEnd < buffer.length && buffer[lineEnd] != '\n') {
                lineEnd++;
            }
            if (lineEnd >= buffer.length) {
                // A header that can become none ends the session at once (RFC 6242 §4.2); its line end may never come.
                String begun = new String(buffer, at, Math.min(LONGEST_HEADER, buffer.length - at), StandardCharsets.US_ASCII);
                if (!begun.matches("(\n(#(#|[1-9][0-9]{0,9})?)?)?")) {
                    throw new BadFraming("no chunk header");
                }
                return Optional.empty();
            }
            String header = new String(buffer, at, lineEnd - at, StandardCharsets.US_ASCII);
            if (header.equals("\n##")) {
                drop(lineEnd + 1);
                return Optional.of(message.toString(StandardCharsets.UTF_8));
            }
            if (!header.matches("\n#[1-9][0-9]{0,9}")) {
                throw new BadFraming("no chunk header");
            }
            long size = Long.parseLong(header.substring(2));
            if (size > LIMIT) {
                throw new BadFraming("a chunk of " + size + " bytes");
            }
            if (lineEnd + 1 + size > buffer.length) {
                return Optional.empty();
            }
            message.write(buffer, lineEnd + 1, (int) size);
            at = lineEnd + 1 + (int) size;
        }
    }

    private void drop(int count) {
        byte[] rest = new byte[buffer.length - count];
        System.arraycopy(buffer, count, rest, 0, rest.length);
        buffer = rest;
    }

    byte[] frame(String message) {
        int length = message.getBytes(StandardCharsets.UTF_8).length;
        String framed = chunks ? "\n#" + length + "\n" + message + "\n##\n" : message + END_MARK;
        return framed.getBytes(StandardCharsets.UTF_8);
    }
}
