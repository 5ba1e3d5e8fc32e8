package rilvan.core.expression;

/** What the names in an expression stand for. */
@FunctionalInterface
public interface Bindings {

    /** The value of a name; null where nothing is named so. */
    Object find(String name);
}
