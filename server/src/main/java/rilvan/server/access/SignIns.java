package rilvan.server.access;

import java.security.SecureRandom;
import java.time.Duration;
import java.time.OffsetDateTime;
import java.util.Base64;
import java.util.Comparator;
import java.util.EnumSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.document.Digest;
import rilvan.server.acts.Act;
import rilvan.server.acts.ActLog;
import rilvan.server.acts.ActLog.Result;
import rilvan.server.acts.Origin;
import rilvan.server.store.Accounts;
import rilvan.server.store.Accounts.Issued;
import rilvan.server.store.Accounts.TokenRow;
import rilvan.server.store.Json;
import tools.jackson.core.type.TypeReference;

/** Who is signed in. Each sign-in is a token, of which only a digest is kept: of a person, in the console's cookie or at the command line, or of a program. */
@Component
public class SignIns {

    /** How long a person stays signed in without doing anything, and how long a token from the command line is valid. */
    private static final Duration SESSION = Duration.ofHours(8);
    private static final Duration SIGN_IN = Duration.ofDays(7);
    private static final int BYTES = 32;
    private static final TypeReference<List<GrantRow>> GRANTS = new TypeReference<>() {};

    private final Accounts accounts;
    private final ActLog acts;
    private final Json json;
    private final SecureRandom random = new SecureRandom();

    SignIns(Accounts accounts, ActLog acts, Json json) {
        this.json = json;
        this.accounts = accounts;
        this.acts = acts;
    }

    /** What a token is for. */
    public enum Kind {
        /** A person in the console; it lasts as long as it is used. */
        SESSION,
        /** A person at the command line. */
        SIGN_IN,
        /** A program. */
        PROGRAM
    }

    /** A token that is not there. */
    public static final class Unknown extends RuntimeException {
        Unknown(String name, long id) {
            super(name + " has no token " + id);
        }
    }

    /** A token as it is given out, once. */
    public record Token(long id, String token, OffsetDateTime expires) {}

    /**
     * Somebody whose token was brought.
     *
     * @param grants what they may do with it now
     * @param narrowed whether the token allows less than the account
     */
    record SignedIn(String name, long token, List<Grant> grants, boolean narrowed) {

        Caller caller() {
            return new Caller(name, grants);
        }
    }

    Token session(String name, String address) {
        return signedIn(name, issue(name, Kind.SESSION, "console", null, SESSION, address), address);
    }

    Token signIn(String name, String address) {
        return signedIn(name, issue(name, Kind.SIGN_IN, "command line", null, SIGN_IN, address), address);
    }

    private Token signedIn(String name, Token token, String address) {
        acts.add(new Origin(name, address, token.id(), RequestNumber.present()), "sign in", new Act(), Result.DONE, "");
        return token;
    }

    /**
     * A token for a program.
     *
     * @param roles what it may be used for, at most what the account may do; all of that where there are none
     */
    Token program(String name, String label, Set<Role> roles, Duration valid, String address) {
        return issue(name, Kind.PROGRAM, label, roles.isEmpty() ? null : roles.stream().map(Role::name).collect(Collectors.joining(",")), valid, address);
    }

    private Token issue(String name, Kind kind, String label, String roles, Duration valid, String address) {
        accounts.dropExpiredTokens();
        byte[] bytes = new byte[BYTES];
        random.nextBytes(bytes);
        String token = Base64.getUrlEncoder().withoutPadding().encodeToString(bytes);
        Issued issued = accounts.addToken(Digest.of(token), name, kind.name(), label, roles, address, valid.toSeconds());
        return new Token(issued.id(), token, issued.expires());
    }

    /** Whose token it is; nobody's where it is not known, has expired or was ended, or where the account is not active. */
    Optional<SignedIn> whose(String token) {
        String digest = Digest.of(token);
        return accounts.token(digest).map(row -> {
            if (row.isStale()) {
                accounts.used(digest, row.kind().equals(Kind.SESSION.name()) ? SESSION.toSeconds() : 0);
            }
            return signedIn(row);
        });
    }

    /** Whose token it still is, for what lasts longer than a request; nobody's once it has expired or was ended. */
    Optional<SignedIn> still(long token) {
        return accounts.tokenStill(token).map(this::signedIn);
    }

    private SignedIn signedIn(TokenRow row) {
        List<Grant> own = grants(row.grantsJson());
        return new SignedIn(row.who(), row.id(), allowed(row).map(roles -> narrowed(own, roles)).orElse(own), row.roles() != null);
    }

    /** What somebody may do with a token that is for some roles: each of these holds for what the roles of theirs that cover it hold for. */
    private static List<Grant> narrowed(List<Grant> own, Set<Role> roles) {
        return roles.stream().flatMap(role -> own.stream().filter(grant -> grant.role().covers(role)).map(grant -> new Grant(role, grant.scope()))).distinct().toList();
    }

    /** What a token is for, where that is less than all that its account may do. */
    static Optional<Set<Role>> allowed(TokenRow row) {
        return Optional.ofNullable(row.roles()).map(SignIns::named);
    }

    /** What the store says of an account's roles: an array of objects with role, tenants and sites, where the last two are null for all. */
    private record GrantRow(String role, Set<String> tenants, Set<String> sites) {}

    List<Grant> grants(String stored) {
        return json.read(stored, GRANTS).stream().map(row -> new Grant(Role.valueOf(row.role()), new Scope(Optional.ofNullable(row.tenants()), Optional.ofNullable(row.sites()))))
                .sorted(Comparator.comparing(Grant::role)).toList();
    }

    private static Set<Role> named(String names) {
        Set<Role> roles = EnumSet.noneOf(Role.class);
        Stream.of(names.split(",")).filter(name -> !name.isEmpty()).forEach(name -> roles.add(Role.valueOf(name)));
        return roles;
    }

    List<TokenRow> of(String name) {
        return accounts.tokensOf(name);
    }

    /** @throws Unknown where the account has no such token */
    void end(String name, long id) {
        if (accounts.endToken(name, id) == 0) {
            throw new Unknown(name, id);
        }
    }

    /** The console's session is over. */
    void end(String token, String address) {
        whose(token).ifPresent(who -> acts.add(new Origin(who.name(), address, who.token(), RequestNumber.present()), "sign out", new Act(), Result.DONE, ""));
        accounts.endTokenBy(Digest.of(token));
    }
}
