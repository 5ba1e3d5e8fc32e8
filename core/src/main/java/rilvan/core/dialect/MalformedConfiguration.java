package rilvan.core.dialect;

import rilvan.core.schema.ValueType;

/** Native text that the family's schema does not allow; the message names the path or line and what was expected. */
public final class MalformedConfiguration extends RuntimeException {
    MalformedConfiguration(String message) {
        super(message);
    }

    /** Whether just a value is at fault, which the schema does not allow where it stands. */
    public boolean isOfValue() {
        return getCause() instanceof ValueType.InvalidValue;
    }

    /** A value that the schema does not allow where it stands. */
    static MalformedConfiguration of(String message, ValueType.InvalidValue value) {
        MalformedConfiguration malformed = new MalformedConfiguration(message);
        malformed.initCause(value);
        return malformed;
    }
}
