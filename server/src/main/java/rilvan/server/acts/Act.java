package rilvan.server.acts;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;

/** What a request is doing. Whoever answers it says here what it is about and what it changes; a controller has it as an argument. */
public final class Act {

    private final Set<String> about = new LinkedHashSet<>();
    private Object before;
    private Object after;

    /** @param kind of a thing, such as {@code order} */
    public Act about(String kind, Object name) {
        about.add(kind + " " + name);
        return this;
    }

    /** How the thing was. */
    public Act before(Object value) {
        before = value;
        return this;
    }

    /** How the thing is from now on. */
    public Act after(Object value) {
        after = value;
        return this;
    }

    List<String> things() {
        return new ArrayList<>(about);
    }

    Object before() {
        return before;
    }

    Object after() {
        return after;
    }
}
