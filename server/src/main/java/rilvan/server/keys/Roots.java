package rilvan.server.keys;

import java.util.List;

/** The keys of a store by what they are for. */
@FunctionalInterface
public interface Roots {

    /** 32 bytes each, the newest first: what is sealed now is sealed with that one. */
    List<byte[]> of(Use use);

    /** Looks whether there are newer ones, made by another instance. */
    default void renew() {}
}
