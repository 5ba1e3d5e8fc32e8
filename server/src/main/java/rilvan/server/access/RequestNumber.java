package rilvan.server.access;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.util.Optional;
import java.util.UUID;
import org.slf4j.MDC;
import org.springframework.core.Ordered;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import org.springframework.web.filter.OncePerRequestFilter;

/** Gives each request a number (a UUID, RFC 9562), by which its answer, its lines in the service's log and its act are found. */
@Component
@Order(Ordered.HIGHEST_PRECEDENCE)
public class RequestNumber extends OncePerRequestFilter {

    private static final String CONTEXT = "request";
    private static final String HEADER = "Request-Id";

    @Override
    protected void doFilterInternal(HttpServletRequest request, HttpServletResponse response, FilterChain chain) throws ServletException, IOException {
        String number = UUID.randomUUID().toString();
        response.setHeader(HEADER, number);
        try (MDC.MDCCloseable context = MDC.putCloseable(CONTEXT, number)) {
            chain.doFilter(request, response);
        }
    }

    /** The number of the request that this thread answers. */
    public static String present() {
        return Optional.ofNullable(MDC.get(CONTEXT)).orElse("");
    }
}
