package rilvan.server.access;

import jakarta.servlet.http.HttpServletRequest;
import java.security.Principal;
import java.util.Map;
import org.springframework.boot.health.actuate.endpoint.HealthEndpoint;
import org.springframework.boot.health.contributor.Status;
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
    private final HealthEndpoint health;

    public SignInController(Tokens tokens, HealthEndpoint health) {
        this.health = health;
        this.tokens = tokens;
    }

    /** What a program signs in with. */
    public record SignIn(String user, String password) {}

    @PostMapping("/tokens")
    ResponseEntity<Tokens.Token> signIn(@RequestBody SignIn signIn, HttpServletRequest request) {
        if (signIn.user() == null || signIn.password() == null) {
            return ResponseEntity.badRequest().build();
        }
        return tokens.signIn(signIn.user(), signIn.password()).map(ResponseEntity::ok)
                .orElseGet(() -> {
                    Security.refused(signIn.user(), request);
                    return ResponseEntity.status(401).build();
                });
    }

    @GetMapping("/me")
    Map<String, String> me(Principal who) {
        return Map.of("name", who.getName());
    }

    /** Whether the service can do its work: database, schema, models and lease; the management port tells which of them is down. */
    @GetMapping("/health")
    ResponseEntity<Map<String, String>> health() {
        boolean up = health.health().getStatus().equals(Status.UP);
        return ResponseEntity.status(up ? 200 : 503).body(Map.of("status", up ? "up" : "down"));
    }
}
