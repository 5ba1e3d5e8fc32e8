package rilvan.server.access;

import java.util.List;
import org.springframework.core.Ordered;
import org.springframework.core.annotation.Order;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.ProblemDetail;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.ExceptionHandler;
import org.springframework.web.bind.annotation.RestControllerAdvice;

/** What is wrong with who asks, as problem details (RFC 9457). */
@RestControllerAdvice
@Order(Ordered.HIGHEST_PRECEDENCE)
class AccessProblems {

    @ExceptionHandler
    ProblemDetail notAllowed(AccessRules.NotAllowed refused) {
        return problem(HttpStatus.FORBIDDEN, "Not allowed", refused.getMessage());
    }

    @ExceptionHandler
    ProblemDetail unknown(People.Unknown unknown) {
        return problem(HttpStatus.NOT_FOUND, "Not found", unknown.getMessage());
    }

    @ExceptionHandler
    ProblemDetail inTheWay(People.InTheWay conflict) {
        return problem(HttpStatus.CONFLICT, "Not possible now", conflict.getMessage());
    }

    @ExceptionHandler
    ResponseEntity<Object> tooMany(PasswordCheck.TooMany tooMany) {
        return ResponseEntity.status(HttpStatus.TOO_MANY_REQUESTS).header(HttpHeaders.RETRY_AFTER, Long.toString(tooMany.seconds()))
                .body(problem(HttpStatus.TOO_MANY_REQUESTS, "Too many sign-ins were refused", tooMany.getMessage()));
    }

    private static ProblemDetail problem(HttpStatus status, String title, String detail) {
        ProblemDetail problem = ProblemDetail.forStatusAndDetail(status, detail);
        problem.setTitle(title);
        problem.setProperty("errors", List.of());
        return problem;
    }
}
