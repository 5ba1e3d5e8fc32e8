package rilvan.core.dialect;

/** Native text that the family's schema does not allow; the message names the path or line and what was expected. */
public final class MalformedConfiguration extends RuntimeException {
    MalformedConfiguration(String message) {
        super(message);
    }
}
