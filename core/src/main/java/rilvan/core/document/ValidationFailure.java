package rilvan.core.document;

import java.util.List;
import java.util.stream.Collectors;

/** A document, or a part of one, that is refused, with every field at fault. Nothing has been stored or sent. */
public final class ValidationFailure extends RuntimeException {

    private final transient List<Problem> problems;

    /**
     * One error.
     *
     * @param pointer the field at fault, as a JSON Pointer (RFC 6901) into the document
     * @param message what is wrong and what would do
     */
    public record Problem(String pointer, String message) {
        @Override
        public String toString() {
            return (pointer.isEmpty() ? "" : pointer + ": ") + message;
        }
    }

    public ValidationFailure(List<Problem> problems) {
        super(problems.stream().map(Problem::toString).collect(Collectors.joining("; ")));
        this.problems = List.copyOf(problems);
    }

    public ValidationFailure(String pointer, String message) {
        this(List.of(new Problem(pointer, message)));
    }

    public List<Problem> problems() {
        return problems;
    }
}
