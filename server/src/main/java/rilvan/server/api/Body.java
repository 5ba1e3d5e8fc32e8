package rilvan.server.api;

import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.nio.charset.StandardCharsets;

/** The text of a request, whose size {@link RequestBounds} bounds. */
final class Body {

    private Body() {}

    static String read(HttpServletRequest request) throws IOException {
        return new String(request.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    }
}
