package rilvan.server.api;

import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;

/** The text of a request, read up to what a document may have and no further. */
final class Body {

    private Body() {}

    static String read(HttpServletRequest request) throws IOException {
        byte[] bytes = request.getInputStream().readNBytes(Document.LONGEST + 1);
        if (bytes.length > Document.LONGEST) {
            throw new ValidationFailure("", "the document has more than " + Document.LONGEST + " bytes; split it");
        }
        return new String(bytes, StandardCharsets.UTF_8);
    }
}
