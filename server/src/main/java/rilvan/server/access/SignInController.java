package rilvan.server.access;

import java.security.Principal;
import java.util.Map;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;

/** Who is there, tokens, and whether the service is. */
@RestController
@RequestMapping("/api/v1")
public class SignInController {

    private final Tokens tokens;

    public SignInController(Tokens tokens) {
        this.tokens = tokens;
    }

    /** What a program signs in with. */
    public record SignIn(String user, String password) {}

    @PostMapping("/tokens")
    ResponseEntity<Tokens.Token> signIn(@RequestBody SignIn signIn) {
        if (signIn.user() == null || signIn.password() == null) {
            return ResponseEntity.badRequest().build();
        }
        return tokens.signIn(signIn.user(), signIn.password()).map(ResponseEntity::ok)
                .orElseGet(() -> ResponseEntity.status(401).build());
    }

    @GetMapping("/me")
    Map<String, String> me(Principal who) {
        return Map.of("name", who.getName());
    }

    @GetMapping("/health")
    Map<String, String> health() {
        return Map.of("status", "ready");
    }
}
