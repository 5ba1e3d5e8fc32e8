package rilvan.server.api;

import java.net.URI;
import java.sql.SQLException;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.dao.DataAccessResourceFailureException;
import org.springframework.dao.DataIntegrityViolationException;
import org.springframework.dao.TransientDataAccessException;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.HttpStatusCode;
import org.springframework.http.ProblemDetail;
import org.springframework.http.ResponseEntity;
import org.springframework.http.converter.HttpMessageNotReadableException;
import org.springframework.security.core.AuthenticationException;
import org.springframework.transaction.CannotCreateTransactionException;
import org.springframework.transaction.TransactionException;
import org.springframework.web.bind.annotation.ExceptionHandler;
import org.springframework.web.bind.annotation.RestControllerAdvice;
import org.springframework.web.context.request.WebRequest;
import org.springframework.web.servlet.mvc.method.annotation.ResponseEntityExceptionHandler;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.Sessions;
import rilvan.server.access.AccessRules;
import rilvan.server.access.PasswordCheck;
import rilvan.server.access.People;
import rilvan.server.access.RecordedRequests;
import rilvan.server.access.RequestRate;
import rilvan.server.access.Security;
import rilvan.server.access.SignIns;
import rilvan.server.acts.ActLog;
import rilvan.server.events.EventStream;
import rilvan.server.events.Webhooks;
import rilvan.server.inventory.TenantBook;
import rilvan.server.keys.KeyChange;
import rilvan.server.library.Publishing;
import rilvan.server.orders.drafts.DraftBook;
import rilvan.server.orders.intake.OrderIntake;
import rilvan.server.orders.intake.PlanningTurns;
import rilvan.server.orders.timing.StartTimes;
import rilvan.server.preconditions.Precondition;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.exc.MismatchedInputException;

/** Errors as problem details (RFC 9457): what is wrong, at which field of the document (a JSON Pointer), what to do. */
@RestControllerAdvice
public class Problems extends ResponseEntityExceptionHandler {

    private static final String RETRY_SECONDS = "2";
    /** Nothing but what the status says (RFC 9457 §4.2.1). */
    private static final URI ABOUT_BLANK = URI.create("about:blank");
    private static final Logger LOG = LoggerFactory.getLogger(Problems.class);

    /** Something that is not there. */
    static final class NotFound extends RuntimeException {
        NotFound(String message) {
            super(message);
        }
    }

    /** Something that the state of what is there does not allow. */
    static final class Conflict extends RuntimeException {
        Conflict(String message) {
            super(message);
        }
    }

    /** One entry of a problem's {@code errors}. */
    public record Entry(String pointer, String detail, List<String> together) {

        Entry(String pointer, String detail) {
            this(pointer, detail, List.of());
        }
    }

    /** A problem that is gone after some seconds (RFC 9110 §10.2.3). */
    private static ResponseEntity<Object> later(ProblemKind kind, String seconds, String detail) {
        return ResponseEntity.status(kind.status()).header(HttpHeaders.RETRY_AFTER, seconds).body(problem(kind, detail, List.of()));
    }

    @ExceptionHandler
    ProblemDetail refused(ValidationFailure refused) {
        List<Problem> problems = refused.problems();
        return problem(ProblemKind.REFUSED, problems.size() == 1 ? "1 error"
                : problems.size() + " errors", problems.stream().map(each -> new Entry(each.pointer(), each.message(), each.together())).toList());
    }

    @ExceptionHandler
    ProblemDetail malformed(Document.Malformed malformed) {
        return problem(ProblemKind.UNREADABLE_DOCUMENT, "the document cannot be read",
                List.of(new Entry("", malformed.getMessage())));
    }

    @ExceptionHandler
    ProblemDetail busy(OrderIntake.Busy busy) {
        return problem(ProblemKind.OTHER_ORDERS_IN_THE_WAY, busy.getMessage(), List.of());
    }

    @ExceptionHandler({Conflict.class, Publishing.InTheWay.class, People.InTheWay.class, TenantBook.InTheWay.class, DraftBook.InTheWay.class, StartTimes.NotNow.class, OrderIntake.NotAsked.class, Webhooks.TooMany.class, KeyChange.Refused.class})
    ProblemDetail conflict(RuntimeException conflict) {
        return problem(ProblemKind.NOT_POSSIBLE_NOW, conflict.getMessage(), List.of());
    }

    @ExceptionHandler
    ProblemDetail moved(OrderIntake.PreviewMoved moved) {
        return problem(ProblemKind.PREVIEW_OUT_OF_DATE, moved.getMessage(), List.of());
    }

    @ExceptionHandler
    ProblemDetail changedMeanwhile(Precondition.Failed moved) {
        return problem(ProblemKind.CHANGED_MEANWHILE, moved.getMessage(), List.of());
    }

    @ExceptionHandler
    ProblemDetail keyReused(OrderIntake.KeyReused reused) {
        return problem(ProblemKind.IDEMPOTENCY_KEY_REUSED, reused.getMessage(), List.of());
    }

    @ExceptionHandler
    ProblemDetail cannotOpen(Sessions.CannotOpen cannot) {
        return problem(ProblemKind.DEVICE_NOT_REACHED, cannot.getMessage(), List.of());
    }

    @ExceptionHandler
    ProblemDetail notAllowed(AccessRules.NotAllowed refused) {
        return problem(ProblemKind.NOT_ALLOWED, refused.getMessage(), List.of());
    }

    @ExceptionHandler
    ResponseEntity<Object> notSignedIn(AuthenticationException missing) {
        return ResponseEntity.status(HttpStatus.UNAUTHORIZED).header(HttpHeaders.WWW_AUTHENTICATE, Security.CHALLENGE)
                .body(problem(ProblemKind.NOT_SIGNED_IN, "this needs a sign-in: a token in the header Authorization, or a session of the console", List.of()));
    }

    @ExceptionHandler
    ResponseEntity<Object> tooManySignIns(PasswordCheck.TooMany tooMany) {
        return later(ProblemKind.TOO_MANY_SIGN_INS_REFUSED, Long.toString(tooMany.seconds()), tooMany.getMessage());
    }

    @ExceptionHandler
    ResponseEntity<Object> full(EventStream.Full full) {
        return later(ProblemKind.TOO_MUCH_AT_ONCE, "60", full.getMessage());
    }

    @ExceptionHandler
    ResponseEntity<Object> tooMany(RequestRate.TooMany tooMany) {
        return later(ProblemKind.TOO_MUCH_BY_ONE, Long.toString(tooMany.seconds()), tooMany.getMessage());
    }

    @ExceptionHandler({NotFound.class, People.Unknown.class, SignIns.Unknown.class, TenantBook.Unknown.class, DraftBook.Unknown.class, Webhooks.Unknown.class, KeyChange.Unknown.class})
    ProblemDetail notFound(RuntimeException missing) {
        return problem(ProblemKind.NOT_FOUND, missing.getMessage(), List.of());
    }

    @ExceptionHandler
    ResponseEntity<Object> tooLong(RequestBounds.TooLong tooLong) {
        return ResponseEntity.status(HttpStatus.CONTENT_TOO_LARGE).body(problem(ProblemKind.BODY_TOO_LARGE, tooLong.getMessage(), List.of()));
    }

    @ExceptionHandler
    ResponseEntity<Object> logFull(ActLog.Full full) {
        return later(ProblemKind.LOG_BEHIND, RETRY_SECONDS, full.getMessage());
    }

    /** More is asked for than can be worked out now: nothing of the request was done. */
    @ExceptionHandler
    ResponseEntity<Object> overloaded(PlanningTurns.Overloaded overloaded) {
        ProblemKind kind = overloaded.isByOneAccount() ? ProblemKind.TOO_MUCH_BY_ONE : ProblemKind.TOO_MUCH_AT_ONCE;
        return later(kind, RETRY_SECONDS, overloaded.getMessage());
    }

    /** Nobody hears this; it ends the request as one of which nothing was done. */
    @ExceptionHandler
    ResponseEntity<Object> nobodyWaits(PlanningTurns.NobodyWaits gone) {
        LOG.info("an order is not worked out further, since the client that asked for it has closed its connection");
        return later(ProblemKind.TOO_MUCH_AT_ONCE, RETRY_SECONDS, "the connection was closed before this was done");
    }

    /** The store was lost while something was written to it. */
    @ExceptionHandler
    ResponseEntity<Object> storeLost(TransactionException lost) {
        LOG.warn("it is not known whether a request was carried out, since the store did not answer: {}", lost.getMessage());
        return later(ProblemKind.STORE_NOT_AVAILABLE, RETRY_SECONDS, "the store did not answer, and it is not known whether this was done; look before you try again");
    }

    /** The store is away, or has no connection free: nothing of the request was done. */
    @ExceptionHandler({DataAccessResourceFailureException.class, CannotCreateTransactionException.class, TransientDataAccessException.class})
    ResponseEntity<Object> storeAway(RuntimeException away) {
        LOG.warn("a request was refused, since the store did not answer: {}", away.getMessage());
        return later(ProblemKind.STORE_NOT_AVAILABLE, RETRY_SECONDS, "the store does not answer now; try again");
    }

    /** What the store cannot keep as text: PostgreSQL refuses the character NUL (SQLSTATE 22021 and 22P05). */
    @ExceptionHandler
    ProblemDetail unstorable(DataIntegrityViolationException refused) {
        if (refused.getMostSpecificCause() instanceof SQLException cause && List.of("22021", "22P05").contains(cause.getSQLState())) {
            return problem(ProblemKind.UNREADABLE_TEXT, "the request contains the character NUL, which is not for text", List.of());
        }
        return unforeseen(refused);
    }

    @ExceptionHandler
    ProblemDetail unforeseen(RuntimeException failure) {
        LOG.error("a request failed", failure);
        return problem(ProblemKind.INTERNAL_ERROR, "an unexpected error; see the log of the service",
                List.of());
    }

    /** A body of which a field cannot be what was sent. */
    @Override
    protected ResponseEntity<Object> handleHttpMessageNotReadable(HttpMessageNotReadableException unreadable, HttpHeaders headers, HttpStatusCode status, WebRequest request) {
        if (unreadable.getCause() instanceof JacksonException cause) {
            String pointer = cause.getPath().stream().map(at -> "/" + (at.getPropertyName() == null ? Integer.toString(at.getIndex()) : Document.escape(at.getPropertyName()))).collect(Collectors.joining());
            String detail = cause instanceof MismatchedInputException ? "has a value of another type than it must have" : cause.getOriginalMessage();
            return ResponseEntity.badRequest().body(problem(ProblemKind.UNREADABLE_DOCUMENT, "the document cannot be read", List.of(new Entry(pointer, detail))));
        }
        return super.handleHttpMessageNotReadable(unreadable, headers, status, request);
    }

    /** What the framework refuses by itself has the form of our own. */
    @Override
    protected ResponseEntity<Object> createResponseEntity(Object body, HttpHeaders headers, HttpStatusCode status, WebRequest request) {
        if (body instanceof ProblemDetail problem && (problem.getProperties() == null || !problem.getProperties().containsKey("errors"))) {
            problem.setType(Optional.ofNullable(problem.getType()).orElse(ABOUT_BLANK));
            problem.setProperty("errors", List.of());
        }
        return super.createResponseEntity(body, headers, status, request);
    }

    private static ProblemDetail problem(ProblemKind kind, String detail, List<Entry> entries) {
        ProblemDetail problem = ProblemDetail.forStatusAndDetail(kind.status(), detail);
        problem.setType(kind.type());
        problem.setTitle(kind.title());
        problem.setProperty("errors", entries);
        RecordedRequests.refused(entries.isEmpty() ? detail : entries.stream().map(each -> (each.pointer() + " " + each.detail()).strip()).collect(Collectors.joining("; ")));
        return problem;
    }
}
