package rilvan.server.access;

import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.authentication;

import java.util.List;
import java.util.stream.Stream;
import org.springframework.security.authentication.UsernamePasswordAuthenticationToken;
import org.springframework.test.web.servlet.request.RequestPostProcessor;

/** Somebody who is signed in, for tests of controllers. */
public final class SomebodySignedIn {

    private SomebodySignedIn() {}

    public static RequestPostProcessor with(String name, Role... roles) {
        UsernamePasswordAuthenticationToken who = UsernamePasswordAuthenticationToken.authenticated(name, null, List.of());
        who.setDetails(new SignIns.SignedIn(name, 1, Stream.of(roles).map(role -> new Grant(role, Scope.ALL)).toList(), false));
        return authentication(who);
    }
}
