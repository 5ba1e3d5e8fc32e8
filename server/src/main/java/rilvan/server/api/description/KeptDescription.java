package rilvan.server.api.description;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import org.springframework.beans.factory.annotation.Value;
import org.springframework.http.HttpMethod;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Component;
import org.springframework.web.filter.OncePerRequestFilter;
import org.springframework.web.util.ContentCachingResponseWrapper;
import rilvan.server.library.Library;

/** Keeps the description of the interface until another library is in force: making it takes half a second, and anybody may ask for it. */
@Component
class KeptDescription extends OncePerRequestFilter {

    private final Library library;
    private final String address;
    private volatile Kept kept = new Kept(-1, "", new byte[0]);

    KeptDescription(Library library, @Value("${springdoc.api-docs.path}") String address) {
        this.library = library;
        this.address = address;
    }

    /** A description, and the version of the library that it is of. */
    private record Kept(long library, String type, byte[] text) {}

    @Override
    protected boolean shouldNotFilter(HttpServletRequest request) {
        return !request.getRequestURI().equals(address) || !HttpMethod.GET.matches(request.getMethod()) || request.getQueryString() != null;
    }

    @Override
    protected void doFilterInternal(HttpServletRequest request, HttpServletResponse response, FilterChain chain) throws ServletException, IOException {
        long version = library.inForce().version();
        Kept last = kept;
        if (last.library() == version) {
            response.setContentType(last.type());
            response.getOutputStream().write(last.text());
            return;
        }
        ContentCachingResponseWrapper made = new ContentCachingResponseWrapper(response);
        chain.doFilter(request, made);
        if (made.getStatus() == HttpStatus.OK.value()) {
            kept = new Kept(version, made.getContentType(), made.getContentAsByteArray());
        }
        made.copyBodyToResponse();
    }
}
