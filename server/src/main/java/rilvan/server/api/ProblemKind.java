package rilvan.server.api;

import java.net.URI;
import java.util.Locale;
import org.springframework.http.HttpStatus;

/** The kinds of problems (RFC 9457 §3.1.1). A program goes by the type, which stays while a kind means the same; a title may be said better. */
public enum ProblemKind {
    REFUSED(HttpStatus.UNPROCESSABLE_CONTENT, "Refused"),
    UNREADABLE_DOCUMENT(HttpStatus.BAD_REQUEST, "Unreadable document"),
    OTHER_ORDERS_IN_THE_WAY(HttpStatus.CONFLICT, "Other orders are in the way"),
    NOT_POSSIBLE_NOW(HttpStatus.CONFLICT, "Not possible now"),
    PREVIEW_OUT_OF_DATE(HttpStatus.PRECONDITION_FAILED, "The preview is out of date"),
    CHANGED_MEANWHILE(HttpStatus.PRECONDITION_FAILED, "Changed meanwhile"),
    IDEMPOTENCY_KEY_REUSED(HttpStatus.UNPROCESSABLE_CONTENT, "Idempotency key reused"),
    DEVICE_NOT_REACHED(HttpStatus.BAD_GATEWAY, "Device not reached"),
    NOT_ALLOWED(HttpStatus.FORBIDDEN, "Not allowed"),
    NOT_SIGNED_IN(HttpStatus.UNAUTHORIZED, "Not signed in"),
    TOO_MANY_SIGN_INS_REFUSED(HttpStatus.TOO_MANY_REQUESTS, "Too many sign-ins were refused"),
    NOT_FOUND(HttpStatus.NOT_FOUND, "Not found"),
    BODY_TOO_LARGE(HttpStatus.CONTENT_TOO_LARGE, "Body too large"),
    LOG_BEHIND(HttpStatus.SERVICE_UNAVAILABLE, "The log of acts is behind"),
    STORE_NOT_AVAILABLE(HttpStatus.SERVICE_UNAVAILABLE, "Store not available"),
    UNREADABLE_TEXT(HttpStatus.BAD_REQUEST, "Unreadable text"),
    INTERNAL_ERROR(HttpStatus.INTERNAL_SERVER_ERROR, "Internal error"),
    TOO_MUCH_AT_ONCE(HttpStatus.SERVICE_UNAVAILABLE, "Too much at once"),
    TOO_MUCH_BY_ONE(HttpStatus.TOO_MANY_REQUESTS, "Too much at once by one account");

    private final HttpStatus status;
    private final String title;

    ProblemKind(HttpStatus status, String title) {
        this.status = status;
        this.title = title;
    }

    HttpStatus status() {
        return status;
    }

    String title() {
        return title;
    }

    /** {@code urn:rilvan:problem:} and the name, such as {@code urn:rilvan:problem:not-found}. */
    public URI type() {
        return URI.create("urn:rilvan:problem:" + name().toLowerCase(Locale.ROOT).replace('_', '-'));
    }
}
