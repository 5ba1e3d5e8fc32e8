package rilvan.core.document;

import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.Stream;

/** A document, or a part of one, that is refused, with every field at fault. Nothing has been stored or sent. */
public final class ValidationFailure extends RuntimeException {

    /** As many errors as anybody reads; where there are more, their number is said. */
    public static final int MOST = 100;

    private final transient List<Problem> problems;

    /**
     * One error.
     *
     * @param pointer the field at fault, as a JSON Pointer (RFC 6901) into the document
     * @param message what is wrong and what would do
     * @param together services that would have to be in the same order; empty where that would not do
     */
    public record Problem(String pointer, String message, List<String> together) {

        public Problem(String pointer, String message) {
            this(pointer, message, List.of());
        }

        @Override
        public String toString() {
            return (pointer.isEmpty() ? "" : pointer + ": ") + message;
        }
    }

    public ValidationFailure(List<Problem> problems) {
        super(bounded(problems).stream().map(Problem::toString).collect(Collectors.joining("; ")));
        this.problems = bounded(problems);
    }

    private static List<Problem> bounded(List<Problem> problems) {
        return problems.size() <= MOST ? List.copyOf(problems)
                : Stream.concat(problems.stream().limit(MOST), Stream.of(new Problem("", "and " + (problems.size() - MOST) + " more errors"))).toList();
    }

    public ValidationFailure(String pointer, String message) {
        this(List.of(new Problem(pointer, message)));
    }

    public List<Problem> problems() {
        return problems;
    }
}
