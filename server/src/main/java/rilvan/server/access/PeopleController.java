package rilvan.server.access;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import jakarta.servlet.http.HttpServletRequest;
import java.security.Principal;
import java.time.Duration;
import java.time.OffsetDateTime;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.ValidationFailure;
import rilvan.server.access.People.Account;
import rilvan.server.access.People.Kind;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Accounts.TokenRow;

/** People and programs, what they may do, and where they are signed in. */
@RestController
@RequestMapping("/api/v1/people")
public class PeopleController {

    private static final int LONGEST_LABEL = 100;
    private static final int MOST_DAYS = 366;

    private final People people;
    private final SignIns signIns;

    PeopleController(People people, SignIns signIns) {
        this.people = people;
        this.signIns = signIns;
    }

    /**
     * An account.
     *
     * @param grants its roles, and what each holds for
     */
    public record AccountView(String name, String kind, boolean active, List<String> roles, List<GrantView> grants, OffsetDateTime createdAt, String createdBy) {

        private static AccountView of(Account account) {
            return new AccountView(account.row().name(), account.row().kind(), account.row().active(), account.roles(), GrantView.of(account.grants()), account.row().createdAt(),
                    account.row().createdBy());
        }
    }

    /**
     * A role, and what it holds for.
     *
     * @param tenants for services of these; null for all
     * @param sites on devices of these; null for all
     */
    public record GrantView(String role, @Nullable Set<String> tenants, @Nullable Set<String> sites) {

        static List<GrantView> of(List<Grant> grants) {
            return grants.stream().map(grant -> new GrantView(grant.role().words(), grant.scope().tenants().orElse(null), grant.scope().sites().orElse(null))).toList();
        }
    }

    /**
     * A sign-in or a program's token, without what it is.
     *
     * @param roles what it may be used for; empty where that is all that the account may do
     */
    public record TokenView(long id, String kind, String label, List<String> roles, OffsetDateTime createdAt, OffsetDateTime usedAt, String address, OffsetDateTime expires) {

        static List<TokenView> of(List<TokenRow> rows) {
            return rows.stream().map(row -> new TokenView(row.id(), row.kind(), row.label(), Role.words(SignIns.allowed(row).orElse(Set.of())),
                    row.createdAt(), row.usedAt(), row.address(), row.expires())).toList();
        }
    }

    /** What an account may do, as the log of acts keeps it. */
    private record MayDo(String kind, boolean active, List<GrantView> grants) {

        private static MayDo of(AccountView account) {
            return new MayDo(account.kind(), account.active(), account.grants());
        }
    }

    /**
     * A new account; a program has no password.
     *
     * @param tenants its roles hold for services of these; of all where null
     * @param sites its roles hold on devices of these; of all where null
     */
    public record NewAccount(String name, String kind, @Nullable List<String> roles, @Nullable List<String> tenants, @Nullable List<String> sites, @Nullable String password) {
        @Override
        public String toString() {
            return "account " + name;
        }
    }

    /**
     * All that an account may do from now on, and whether it may sign in.
     *
     * @param tenants the roles that are said hold for services of these; of all where null
     * @param sites the roles that are said hold on devices of these; of all where null
     */
    public record AccountChange(@Nullable List<String> roles, @Nullable List<String> tenants, @Nullable List<String> sites, @Nullable Boolean active) {}

    /** What a role holds for: services of these tenants, devices of these sites; null for all. */
    public record ScopeView(@Nullable List<String> tenants, @Nullable List<String> sites) {}

    /** A password that somebody who administers gives to an account. */
    public record NewPassword(String password) {
        @Override
        public String toString() {
            return "another password";
        }
    }

    /**
     * A token to be made for a program.
     *
     * @param label what it is for, for people
     * @param roles what it may be used for; none for all that the account may do
     * @param days how long it is valid, 1 to 366
     */
    public record NewToken(String label, @Nullable List<String> roles, Integer days) {}

    /** All accounts. */
    @GetMapping
    @Requires(Role.ADMINISTER)
    List<AccountView> accounts() {
        return people.all().stream().map(AccountView::of).toList();
    }

    /** An account. */
    @GetMapping("/{name}")
    @Requires(Role.ADMINISTER)
    ResponseEntity<AccountView> account(@PathVariable String name) {
        return answer(people.account(name));
    }

    private static ResponseEntity<AccountView> answer(Account account) {
        return ResponseEntity.ok().eTag(EntityTag.of(account.tag())).body(AccountView.of(account));
    }

    /** Adds an account: of a person, who signs in with a password, or of a program, which is given tokens. */
    @PostMapping
    @Requires(Role.ADMINISTER)
    @Recorded("add account")
    @ApiResponse(responseCode = "201", description = "It is added.")
    ResponseEntity<AccountView> add(@RequestBody NewAccount account, Principal who, Act act) {
        act.about("account", account.name());
        boolean program = "program".equals(account.kind());
        if (!program && !"person".equals(account.kind())) {
            throw new ValidationFailure("/kind", "must be person or program");
        }
        List<Grant> grants = people.grants(account.roles(), account.tenants(), account.sites());
        AccountView added = AccountView.of(people.add(account.name(), program ? Kind.PROGRAM : Kind.PERSON, grants, account.password() == null ? "" : account.password(), who.getName()));
        act.after(MayDo.of(added));
        return ResponseEntity.status(HttpStatus.CREATED).body(added);
    }

    private static Precondition seen(Optional<String> match) {
        return Precondition.of(match, Optional.empty());
    }

    /** Changes what an account may do, or whether it may sign in; what is not said stays as it is. {@code If-Match} with its entity tag makes sure that it is still what was seen. */
    @PutMapping("/{name}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "change account", about = "account")
    ResponseEntity<AccountView> change(@PathVariable String name, @RequestBody AccountChange change, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Principal who, Act act) {
        act.before(MayDo.of(AccountView.of(people.account(name))));
        if (change.roles() == null && (change.tenants() != null || change.sites() != null)) {
            throw new ValidationFailure("/roles", "is missing: say all roles, which hold for these tenants and sites from now on");
        }
        Account after = people.change(name, seen(match), Optional.ofNullable(change.roles()).map(roles -> people.grants(roles, change.tenants(), change.sites())),
                Optional.ofNullable(change.active()), who.getName());
        act.after(MayDo.of(AccountView.of(after)));
        return answer(after);
    }

    /** Gives a role, or lets one that is there hold for something else; the others stay. */
    @PutMapping("/{name}/roles/{role}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "give role", about = "account")
    ResponseEntity<AccountView> grant(@PathVariable String name, @PathVariable String role, @RequestBody ScopeView scope, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Principal who, Act act) {
        act.before(MayDo.of(AccountView.of(people.account(name))));
        Account after = people.grant(name, seen(match), people.grants(List.of(role), scope.tenants(), scope.sites()).get(0), who.getName());
        act.after(MayDo.of(AccountView.of(after)));
        return answer(after);
    }

    /** Takes a role; the others stay. */
    @DeleteMapping("/{name}/roles/{role}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "take role", about = "account")
    ResponseEntity<AccountView> withdraw(@PathVariable String name, @PathVariable String role, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Principal who, Act act) {
        act.before(MayDo.of(AccountView.of(people.account(name))));
        Account after = people.withdraw(name, seen(match), People.roles(List.of(role), "/roles").iterator().next(), who.getName());
        act.after(MayDo.of(AccountView.of(after)));
        return answer(after);
    }

    /** Removes an account; what it has done keeps its name. */
    @DeleteMapping("/{name}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "remove account", about = "account")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void remove(@PathVariable String name, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Principal who, Act act) {
        act.before(MayDo.of(AccountView.of(people.account(name))));
        people.remove(name, seen(match), who.getName());
    }

    /** Gives a person another password; their sign-ins end. */
    @PutMapping("/{name}/password")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "put password", about = "account")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void password(@PathVariable String name, @RequestBody NewPassword password) {
        people.putPassword(name, password.password(), 0);
    }

    /** Where an account is signed in, and its tokens. */
    @GetMapping("/{name}/tokens")
    @Requires(Role.ADMINISTER)
    List<TokenView> tokens(@PathVariable String name) {
        return TokenView.of(signIns.of(people.account(name).row().name()));
    }

    /** Makes a token for a program; it is told this once. */
    @PostMapping("/{name}/tokens")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "make token", about = "account")
    @ApiResponse(responseCode = "201", description = "The token.")
    ResponseEntity<SignIns.Token> token(@PathVariable String name, @RequestBody NewToken token, HttpServletRequest request, Act act) {
        Account account = people.account(name);
        if (!account.row().kind().equals(Kind.PROGRAM.name())) {
            throw new ValidationFailure("", name + " is a person, who signs in with a password; tokens are for programs");
        }
        String label = token.label() == null ? "" : token.label().strip();
        if (label.isEmpty() || label.length() > LONGEST_LABEL || label.chars().anyMatch(Character::isISOControl)) {
            throw new ValidationFailure("/label", "says in 1 to " + LONGEST_LABEL + " characters what the token is for");
        }
        if (token.days() < 1 || token.days() > MOST_DAYS) {
            throw new ValidationFailure("/days", "is the number of days that the token is valid, 1 to " + MOST_DAYS);
        }
        Set<Role> roles = People.roles(token.roles(), "/roles");
        roles.stream().filter(role -> account.grants().stream().noneMatch(own -> own.role().covers(role))).findFirst().ifPresent(role -> {
            throw new ValidationFailure("/roles", name + " does not have the role " + role.words() + ", so a token of it cannot have it either");
        });
        SignIns.Token made = signIns.program(name, label, roles, Duration.ofDays(token.days()), request.getRemoteAddr());
        act.about("token", made.id()).after(Map.of("label", label, "roles", Role.words(roles), "expires", made.expires()));
        return ResponseEntity.status(HttpStatus.CREATED).body(made);
    }

    /** Ends a sign-in or a token, at once. */
    @DeleteMapping("/{name}/tokens/{id}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "end token", about = "account")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void end(@PathVariable String name, @PathVariable long id, Act act) {
        act.about("token", id);
        signIns.end(people.account(name).row().name(), id);
    }
}
