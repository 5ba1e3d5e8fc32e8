package rilvan.server.api;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.function.Consumer;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.servlet.mvc.method.annotation.StreamingResponseBody;

/** Answers of any length, line by line, each a value of JSON. */
final class Lines {

    private Lines() {}

    /** @param from is given what takes each line */
    static ResponseEntity<StreamingResponseBody> answer(Consumer<Consumer<String>> from) {
        return ResponseEntity.ok().contentType(MediaType.APPLICATION_NDJSON).body(out -> from.accept(line -> {
            try {
                out.write((line + "\n").getBytes(StandardCharsets.UTF_8));
            } catch (IOException e) {
                throw new UncheckedIOException(e);
            }
        }));
    }
}
