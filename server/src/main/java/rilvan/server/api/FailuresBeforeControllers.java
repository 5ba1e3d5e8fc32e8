package rilvan.server.api;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import org.springframework.beans.factory.annotation.Qualifier;
import org.springframework.core.Ordered;
import org.springframework.core.annotation.Order;
import org.springframework.dao.DataAccessException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import org.springframework.web.filter.OncePerRequestFilter;
import org.springframework.web.servlet.HandlerExceptionResolver;

/** What fails before a controller is reached, such as looking up a token while the store is away, is answered as {@link Problems} has it. */
@Component
@Order(Ordered.HIGHEST_PRECEDENCE + 1)
class FailuresBeforeControllers extends OncePerRequestFilter {

    private final HandlerExceptionResolver problems;

    FailuresBeforeControllers(@Qualifier("handlerExceptionResolver") HandlerExceptionResolver problems) {
        this.problems = problems;
    }

    @Override
    protected void doFilterInternal(HttpServletRequest request, HttpServletResponse response, FilterChain chain) throws ServletException, IOException {
        try {
            chain.doFilter(request, response);
        } catch (DataAccessException | TransactionException e) {
            if (response.isCommitted() || problems.resolveException(request, response, null, e) == null) {
                throw e;
            }
        }
    }
}
