package rilvan.server.preconditions;

import java.util.Optional;
import java.util.Set;
import java.util.function.Predicate;
import rilvan.core.document.ValidationFailure;

/** What must still be so of a thing for a request to change it, by the headers {@code If-Match} and {@code If-None-Match}. */
public final class Precondition {

    /** Of a request that has seen nothing. */
    public static final Precondition NONE = new Precondition(tag -> true);

    private final Predicate<Optional<String>> wanted;

    private Precondition(Predicate<Optional<String>> wanted) {
        this.wanted = wanted;
    }

    /** A thing is not there, or is another one than the request has seen. */
    public static final class Failed extends RuntimeException {
        private Failed(String name, boolean isThere, boolean wasThere) {
            super(!wasThere ? name + " is there already" : !isThere ? name + " has gone since it was looked at" : name + " has changed since it was looked at; look again");
        }
    }

    /** @throws ValidationFailure where a header has another form */
    public static Precondition of(Optional<String> match, Optional<String> noneMatch) {
        Optional<Set<String>> any = EntityTag.listed("If-Match", match);
        Optional<Set<String>> none = EntityTag.listed("If-None-Match", noneMatch);
        Predicate<Optional<String>> matching = tag -> match.isEmpty() || tag.isPresent() && any.map(tags -> tags.contains(tag.get())).orElse(true);
        return new Precondition(matching.and(tag -> noneMatch.isEmpty() || tag.isEmpty() || none.map(tags -> !tags.contains(tag.get())).orElse(false)));
    }

    /** @param tag what the thing has now; absent where there is none */
    boolean holds(Optional<String> tag) {
        return wanted.test(tag);
    }

    /**
     * To be asked where nobody else can change the thing until the end of the change.
     *
     * @param name of the thing, for people
     * @param tag what it has now; absent where it is not there
     * @throws Failed where it is not what was seen
     */
    public void check(String name, Optional<String> tag) {
        if (!holds(tag)) {
            throw new Failed(name, tag.isPresent(), !holds(Optional.empty()));
        }
    }
}
