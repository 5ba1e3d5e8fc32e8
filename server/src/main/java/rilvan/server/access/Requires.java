package rilvan.server.access;

import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/** Who may call an endpoint: whoever has a role that covers this one. The service does not start while an endpoint says nothing of it. */
@Target(ElementType.METHOD)
@Retention(RetentionPolicy.RUNTIME)
public @interface Requires {

    Role value();

    /** Whether it serves those whose role holds only for some tenants or sites, as far as that goes; otherwise the role must hold for all. */
    boolean scoped() default false;

    /** An endpoint for whoever is signed in, whatever they may do. */
    @Target(ElementType.METHOD)
    @Retention(RetentionPolicy.RUNTIME)
    @interface SignedIn {}

    /** An endpoint for anybody. */
    @Target(ElementType.METHOD)
    @Retention(RetentionPolicy.RUNTIME)
    @interface Nothing {}
}
