package rilvan.server.access;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import jakarta.servlet.http.HttpServletRequest;
import java.security.Principal;
import java.util.List;
import org.springframework.boot.health.actuate.endpoint.HealthEndpoint;
import org.springframework.boot.health.contributor.Status;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.security.core.Authentication;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.ValidationFailure;
import rilvan.server.access.PeopleController.GrantView;
import rilvan.server.access.PeopleController.TokenView;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;

/** Who is there: signing in, one's own password and sign-ins; and whether the service is. */
@RestController
@RequestMapping("/api/v1")
public class SignInController {

    private final SignIns signIns;
    private final People people;
    private final PasswordCheck check;
    private final HealthEndpoint health;

    SignInController(SignIns signIns, People people, PasswordCheck check, HealthEndpoint health) {
        this.signIns = signIns;
        this.people = people;
        this.check = check;
        this.health = health;
    }

    /** What a person signs in with. */
    public record SignIn(String user, String password) {
        @Override
        public String toString() {
            return "sign-in of " + user;
        }
    }

    /**
     * Who is signed in.
     *
     * @param grants their roles, and what each holds for
     */
    public record Me(String name, String kind, List<String> roles, List<GrantView> grants) {}

    /** A change of one's own password. */
    public record PasswordChange(String present, String password) {
        @Override
        public String toString() {
            return "another password";
        }
    }

    /** Signs a person in; the answer has the token. */
    @PostMapping("/tokens")
    @ApiResponse(responseCode = "200", description = "The token.")
    @ApiResponse(responseCode = "401", description = "The password is not this account's, or there is no such account.")
    @ApiResponse(responseCode = "429", description = "Too many sign-ins were refused; `Retry-After` says when to try again.")
    @Requires.Nothing
    @Recorded.Not("sign-ins are recorded where the password is looked at")
    ResponseEntity<SignIns.Token> signIn(@RequestBody SignIn signIn, HttpServletRequest request) {
        return check.isRight(signIn.user(), signIn.password(), request.getRemoteAddr()) ? ResponseEntity.ok(signIns.signIn(signIn.user(), request.getRemoteAddr()))
                : ResponseEntity.status(HttpStatus.UNAUTHORIZED).header(HttpHeaders.WWW_AUTHENTICATE, Security.CHALLENGE).build();
    }

    /** Who is signed in, and what they may do. */
    @GetMapping("/me")
    @Requires.SignedIn
    Me me(Caller who) {
        return new Me(who.name(), people.account(who.name()).row().kind(), who.grants().stream().map(grant -> grant.role().words()).distinct().toList(), GrantView.of(who.grants()));
    }

    /** Changes one's own password; one's other sign-ins end. */
    @PutMapping("/me/password")
    @Requires.SignedIn
    @Recorded("change own password")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void password(@RequestBody PasswordChange change, Authentication who, HttpServletRequest request) {
        if (change.present() == null || !check.isRight(who.getName(), change.present(), request.getRemoteAddr())) {
            throw new ValidationFailure("/present", "is not your present password");
        }
        people.putPassword(who.getName(), change.password(), signedIn(who).token());
    }

    /** One's own sign-ins and tokens. */
    @GetMapping("/me/tokens")
    @Requires.SignedIn
    List<TokenView> tokens(Principal who) {
        return TokenView.of(signIns.of(who.getName()));
    }

    /** Ends a sign-in of one's own, at once. */
    @DeleteMapping("/me/tokens/{id}")
    @Requires.SignedIn
    @Recorded("end own token")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void end(@PathVariable long id, Principal who, Act act) {
        act.about("token", id);
        signIns.end(who.getName(), id);
    }

    private static SignIns.SignedIn signedIn(Authentication who) {
        return (SignIns.SignedIn) who.getDetails();
    }

    /** {@code up} or {@code down}. */
    public record Health(String status) {}

    /** Whether the service can do its work: database, schema, models and lease; the management port tells which of them is down. */
    @GetMapping("/health")
    @Requires.Nothing
    ResponseEntity<Health> health() {
        boolean up = health.health().getStatus().equals(Status.UP);
        return ResponseEntity.status(up ? 200 : 503).body(new Health(up ? "up" : "down"));
    }
}
