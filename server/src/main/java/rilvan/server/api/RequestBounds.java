package rilvan.server.api;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ReadListener;
import jakarta.servlet.ServletException;
import jakarta.servlet.ServletInputStream;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletRequestWrapper;
import jakarta.servlet.http.HttpServletResponse;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.net.URLDecoder;
import java.nio.charset.StandardCharsets;
import java.util.Optional;
import org.springframework.core.Ordered;
import org.springframework.core.annotation.Order;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Component;
import org.springframework.web.filter.OncePerRequestFilter;
import rilvan.core.document.Document;

/**
 * Bounds of every request, whoever sends it and before anybody reads it: the size of its body, and no control characters in its address.
 * It comes before the sign-in, since a body that fills the memory does so unsigned as well.
 */
@Component
@Order(Ordered.HIGHEST_PRECEDENCE)
class RequestBounds extends OncePerRequestFilter {

    /** Bytes of a request to sign in. */
    private static final int LONGEST_SIGN_IN = 16_384;

    /** More came than the request may have. */
    static final class TooLong extends IOException {
        private final int most;

        TooLong(int most) {
            super("the body of this request has more than " + most + " bytes; split it into several requests");
            this.most = most;
        }

        int most() {
            return most;
        }
    }

    @Override
    protected void doFilterInternal(HttpServletRequest request, HttpServletResponse response, FilterChain chain) throws ServletException, IOException {
        int most = request.getRequestURI().endsWith("/tokens") ? LONGEST_SIGN_IN : Document.LONGEST;
        if (hasControlCharacters(request)) {
            refuse(response, HttpStatus.BAD_REQUEST, "Unreadable address", "the address of this request contains a control character, or an invalid % escape");
        } else if (request.getContentLengthLong() > most) {
            refuse(response, HttpStatus.CONTENT_TOO_LARGE, "Body too large", new TooLong(most).getMessage());
        } else {
            chain.doFilter(new Bounded(request, most), response);
        }
    }

    private static void refuse(HttpServletResponse response, HttpStatus status, String title, String detail) throws IOException {
        response.setStatus(status.value());
        response.setContentType("application/problem+json");
        response.getWriter().write("{\"title\":\"" + title + "\",\"status\":" + status.value() + ",\"detail\":\"" + detail + "\",\"errors\":[]}");
    }

    private static boolean hasControlCharacters(HttpServletRequest request) {
        String address = request.getRequestURI() + Optional.ofNullable(request.getQueryString()).map(query -> "?" + query).orElse("");
        try {
            return URLDecoder.decode(address, StandardCharsets.UTF_8).chars().anyMatch(Character::isISOControl);
        } catch (IllegalArgumentException e) {
            return true;
        }
    }

    /** A request whose body ends with an error where it becomes too long. */
    private static final class Bounded extends HttpServletRequestWrapper {

        private final int most;
        private ServletInputStream body;

        private Bounded(HttpServletRequest request, int most) {
            super(request);
            this.most = most;
        }

        @Override
        public ServletInputStream getInputStream() throws IOException {
            if (body == null) {
                body = new BoundedBody(super.getInputStream(), most);
            }
            return body;
        }

        @Override
        public BufferedReader getReader() throws IOException {
            return new BufferedReader(new InputStreamReader(getInputStream(), StandardCharsets.UTF_8));
        }
    }

    private static final class BoundedBody extends ServletInputStream {

        private final ServletInputStream body;
        private final int most;
        private long read;

        private BoundedBody(ServletInputStream body, int most) {
            this.body = body;
            this.most = most;
        }

        private void count(int bytes) throws TooLong {
            read += Math.max(0, bytes);
            if (read > most) {
                throw new TooLong(most);
            }
        }

        @Override
        public int read() throws IOException {
            int each = body.read();
            count(each < 0 ? 0 : 1);
            return each;
        }

        @Override
        public int read(byte[] into, int from, int length) throws IOException {
            int bytes = body.read(into, from, length);
            count(bytes);
            return bytes;
        }

        @Override
        public boolean isFinished() {
            return body.isFinished();
        }

        @Override
        public boolean isReady() {
            return body.isReady();
        }

        @Override
        public void setReadListener(ReadListener listener) {
            body.setReadListener(listener);
        }
    }
}
