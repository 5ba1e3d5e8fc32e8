package rilvan.server.access;

import java.security.SecureRandom;
import java.time.Duration;
import java.time.OffsetDateTime;
import java.util.Base64;
import java.util.Optional;
import org.springframework.boot.ApplicationArguments;
import org.springframework.boot.ApplicationRunner;
import org.springframework.security.crypto.password.PasswordEncoder;
import org.springframework.stereotype.Component;
import rilvan.core.document.Digest;
import rilvan.server.store.Accounts;

/** Signing in: tokens for programs, of which only a hash is kept; and the first person who may. */
@Component
public class Tokens implements ApplicationRunner {

    private static final Duration VALID = Duration.ofDays(7);

    private final Accounts accounts;
    private final PasswordEncoder passwords;
    private final SecureRandom random = new SecureRandom();

    public Tokens(Accounts accounts, PasswordEncoder passwords) {
        this.accounts = accounts;
        this.passwords = passwords;
    }

    /** A token as it is given out, once. */
    public record Token(String token, OffsetDateTime expires) {}

    /** A new token for whoever knows the password; nothing for anybody else. */
    Optional<Token> signIn(String user, String password) {
        Optional<String> hash = accounts.passwordHash(user);
        // The same work whether or not there is such a user, so that timing tells nothing.
        boolean right = passwords.matches(password, hash.orElse("{bcrypt}$2a$10$7EqJtq98hPqEX7fNZaFWoOhi5B0aX1bqVbN1G5p5h9Qb3i6xq1v0K"));
        if (hash.isEmpty() || !right) {
            return Optional.empty();
        }
        accounts.dropExpiredTokens();
        byte[] bytes = new byte[32];
        random.nextBytes(bytes);
        Token token = new Token(Base64.getUrlEncoder().withoutPadding().encodeToString(bytes), OffsetDateTime.now().plus(VALID));
        accounts.addToken(Digest.of(token.token()), user, token.expires());
        return Optional.of(token);
    }

    public Optional<String> whose(String token) {
        return accounts.whoseToken(Digest.of(token));
    }

    /** Lets the person named by the start command in: {@code RILVAN_FIRST_USER}, {@code RILVAN_FIRST_PASSWORD}. */
    @Override
    public void run(ApplicationArguments arguments) {
        String user = System.getenv("RILVAN_FIRST_USER");
        String password = System.getenv("RILVAN_FIRST_PASSWORD");
        if (user != null && password != null && accounts.passwordHash(user).isEmpty()) {
            accounts.putUser(user, passwords.encode(password));
        }
    }
}
