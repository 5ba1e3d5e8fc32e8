package rilvan.server.acts;

import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/** An endpoint whose requests are kept in the log of acts, the refused ones too. The service does not start while an endpoint that is no GET says nothing of it. */
@Target(ElementType.METHOD)
@Retention(RetentionPolicy.RUNTIME)
public @interface Recorded {

    /** What is done, as a verb and its object: {@code place order}. */
    String value();

    /** The kind of thing that the first part of the path names; nothing where the path names none. */
    String about() default "";

    /** An endpoint that changes nothing, or that records by itself what it does. */
    @Target(ElementType.METHOD)
    @Retention(RetentionPolicy.RUNTIME)
    @interface Not {

        /** Why nothing is recorded of it. */
        String value();
    }
}
