package rilvan.server.access;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Function;
import java.util.function.Supplier;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.security.crypto.password.PasswordEncoder;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.Digest;
import rilvan.core.document.KnownNames;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.network.Device;
import rilvan.server.acts.Act;
import rilvan.server.acts.ActLog;
import rilvan.server.acts.ActLog.Result;
import rilvan.server.acts.Origin;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.inventory.TenantBook;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Accounts;
import rilvan.server.store.Accounts.AccountRow;

/** People and programs that have an account, and what they may do. */
@Component
public class People {

    private static final Logger LOG = LoggerFactory.getLogger(People.class);
    private static final Pattern NAME = Pattern.compile("[A-Za-z0-9]([A-Za-z0-9._@-]{0,62}[A-Za-z0-9])?");
    private static final int SHORTEST = 12;
    /** What bcrypt takes into account. */
    private static final int LONGEST = 72;

    private final Accounts accounts;
    private final SignIns signIns;
    private final TenantBook tenants;
    private final StoredPlanningSource source;
    private final ActLog acts;
    private final PasswordEncoder passwords;
    private final TransactionTemplate transactions;
    /** What a wrong name is compared with, so that it takes as long as a wrong password. */
    private final String nobody;

    People(Accounts accounts, SignIns signIns, TenantBook tenants, StoredPlanningSource source, PasswordEncoder passwords, TransactionTemplate transactions, ActLog acts) {
        this.signIns = signIns;
        this.tenants = tenants;
        this.source = source;
        this.accounts = accounts;
        this.acts = acts;
        this.passwords = passwords;
        this.transactions = transactions;
        this.nobody = passwords.encode("nobody");
    }

    /** What an account is for. */
    enum Kind {
        PERSON, PROGRAM
    }

    /** The last one who administers would be gone, or there is no such account. */
    public static final class InTheWay extends RuntimeException {
        InTheWay(String message) {
            super(message);
        }
    }

    /** An account that is not there. */
    public static final class Unknown extends RuntimeException {
        Unknown(String name) {
            super("there is no account named '" + name + "'");
        }
    }

    /** An account, its roles, and what each holds for. */
    record Account(AccountRow row, List<Grant> grants) {

        /** Another one where the account may do something else, or may no longer sign in. */
        String tag() {
            return Digest.of(row.kind() + row.active() + grants.stream().map(grant -> grant.role() + grant.scope().inWords()).sorted().toList());
        }

        List<String> roles() {
            return grants.stream().map(grant -> grant.role().words()).toList();
        }
    }

    List<Account> all() {
        return accounts.accounts().stream().map(row -> new Account(row, grants(row.name()))).toList();
    }

    Account account(String name) {
        return new Account(accounts.account(name).orElseThrow(() -> new Unknown(name)), grants(name));
    }

    private List<Grant> grants(String name) {
        return signIns.grants(accounts.grants(name));
    }

    private void putGrant(String name, Grant grant) {
        String role = grant.role().name();
        accounts.addRole(name, role, grant.scope().tenants().isPresent(), grant.scope().sites().isPresent());
        grant.scope().tenants().orElse(Set.of()).forEach(tenant -> accounts.addRoleTenant(name, role, tenant));
        grant.scope().sites().orElse(Set.of()).forEach(site -> accounts.addRoleSite(name, role, site));
    }

    /** Whether a password is the account's; programs have none. */
    boolean isRight(String name, String password) {
        Optional<String> hash = accounts.passwordHash(name);
        return passwords.matches(password, hash.orElse(nobody)) && hash.isPresent();
    }

    /**
     * @param password empty for a program; null for a person who signs in at an identity provider
     * @throws ValidationFailure naming what is wrong
     * @throws InTheWay where there is an account of that name
     */
    Account add(String name, Kind kind, List<Grant> grants, String password, String by) {
        if (name == null || !NAME.matcher(name).matches()) {
            throw new ValidationFailure("/name", "is no name of an account: up to 64 letters, digits and . _ @ - between them");
        }
        if (kind == Kind.PROGRAM && password != null && !password.isEmpty()) {
            throw new ValidationFailure("/password", "a program has no password; it is given tokens");
        }
        // Who signs in elsewhere has no password here.
        String hash = password == null || kind == Kind.PROGRAM ? null : hash(name, password, "/password");
        return changed(() -> {
            if (accounts.addAccount(name, kind.name(), hash, by) == 0) {
                throw new InTheWay("there is an account named " + name + " already");
            }
            grants.forEach(grant -> putGrant(name, grant));
            Account added = account(name);
            LOG.info("{} added the {} {} with the roles {}", by, kind.name().toLowerCase(java.util.Locale.ROOT), name, added.roles());
            return added;
        });
    }

    /**
     * Changes what an account may do, and whether it may sign in.
     *
     * @param grants all that it may do from now on; what it may do now where absent
     * @param active whether it may sign in; as now where absent
     * @throws InTheWay where nobody would be left who administers
     * @throws Precondition.Failed where it is another one than was seen
     */
    Account change(String name, Precondition seen, Optional<List<Grant>> grants, Optional<Boolean> active, String by) {
        return changed(() -> {
            Account before = unmoved(name, seen);
            boolean maySignIn = active.orElse(before.row().active());
            grants.ifPresent(given -> {
                accounts.dropRoles(name);
                given.forEach(grant -> putGrant(name, grant));
            });
            accounts.putActive(name, maySignIn);
            if (!maySignIn) {
                accounts.endTokens(name, 0);
            }
            somebodyAdministers();
            Account changed = account(name);
            LOG.info("{} changed {}: {}, with the roles {}", by, name, maySignIn ? "active" : "not active", changed.roles());
            return changed;
        });
    }

    /**
     * The account of somebody who signs in at an identity provider, with the roles that this gives them; made where they come for the first time.
     *
     * @param subject what the provider calls them for good; a name may pass on to another person
     * @return its name; absent where it may not sign in
     * @throws InTheWay where another account has that name, or nobody would be left who administers
     * @throws ValidationFailure where the name is none of an account
     */
    public Optional<String> fromProvider(String name, String issuer, String subject, List<Grant> grants) {
        return changed(() -> {
            Optional<AccountRow> known = accounts.bySubject(issuer, subject);
            if (known.isEmpty()) {
                add(name, Kind.PERSON, grants, null, "the identity provider");
                accounts.bind(name, issuer, subject);
                acts.add(Origin.SERVICE, "add account", new Act().about("account", name).after(Map.of("issuer", issuer, "subject", subject)), Result.DONE, "");
                return Optional.of(name);
            }
            Account account = account(known.get().name());
            if (!account.row().active()) {
                return Optional.<String>empty();
            }
            if (!Set.copyOf(account.grants()).equals(Set.copyOf(grants))) {
                change(account.row().name(), Precondition.NONE, Optional.of(grants), Optional.of(true), "the identity provider");
                acts.add(Origin.SERVICE, "change account", new Act().about("account", account.row().name()).before(account.roles()).after(account(account.row().name()).roles()), Result.DONE, "");
            }
            return Optional.of(account.row().name());
        });
    }

    /** Gives an account a role, or lets one that it has hold for something else. */
    Account grant(String name, Precondition seen, Grant grant, String by) {
        return changed(() -> {
            unmoved(name, seen);
            accounts.dropRole(name, grant.role().name());
            putGrant(name, grant);
            somebodyAdministers();
            LOG.info("{} gave {} the role {} {}", by, name, grant.role().words(), grant.scope().inWords());
            return account(name);
        });
    }

    /** @throws InTheWay where nobody would be left who administers */
    Account withdraw(String name, Precondition seen, Role role, String by) {
        return changed(() -> {
            unmoved(name, seen);
            accounts.dropRole(name, role.name());
            somebodyAdministers();
            LOG.info("{} took the role {} from {}", by, role.words(), name);
            return account(name);
        });
    }

    /** @throws InTheWay where nobody would be left who administers */
    void remove(String name, Precondition seen, String by) {
        changed(() -> {
            unmoved(name, seen);
            accounts.dropAccount(name);
            somebodyAdministers();
            LOG.info("{} removed {}", by, name);
            return true;
        });
    }

    private Account unmoved(String name, Precondition seen) {
        Account account = account(name);
        seen.check(name, Optional.of(account.tag()));
        return account;
    }

    private <T> T changed(Supplier<T> change) {
        return transactions.execute(status -> {
            accounts.lockAccounts();
            return change.get();
        });
    }

    private void somebodyAdministers() {
        if (accounts.activePeople(Role.ADMINISTER.name()) == 0) {
            throw new InTheWay("nobody would be left who may administer; give that role to somebody else first");
        }
    }

    /**
     * Gives an account another password; its sign-ins end but for one.
     *
     * @param but the token of whoever changes their own; 0 for none
     */
    void putPassword(String name, String password, long but) {
        AccountRow row = account(name).row();
        if (row.kind().equals(Kind.PROGRAM.name())) {
            throw new ValidationFailure("/password", "a program has no password; it is given tokens");
        }
        if (row.issuer() != null) {
            throw new ValidationFailure("/password", name + " signs in at " + row.issuer() + " and has no password here");
        }
        String hash = hash(name, password, "/password");
        transactions.executeWithoutResult(status -> {
            accounts.putPassword(name, hash);
            accounts.endTokens(name, but);
        });
        LOG.info("the password of {} was changed", name);
    }

    private String hash(String name, String password, String pointer) {
        int length = password == null ? 0 : password.length();
        if (length < SHORTEST || password.getBytes(StandardCharsets.UTF_8).length > LONGEST) {
            throw new ValidationFailure(pointer, "has " + length + " characters; a password has at least " + SHORTEST + ", and at most " + LONGEST + " bytes");
        }
        if (password.equalsIgnoreCase(name)) {
            throw new ValidationFailure(pointer, "is the account's name; take another one");
        }
        return passwords.encode(password);
    }

    /**
     * Roles that hold for the same.
     *
     * @param tenants for services of these; of all where null
     * @param sites on devices of these; of all where null
     * @throws ValidationFailure naming a role, tenant or site that is not known, and a role that holds for all only
     */
    public List<Grant> grants(List<String> words, List<String> tenants, List<String> sites) {
        Set<Role> roles = roles(words, "/roles");
        Scope scope = new Scope(Optional.ofNullable(tenants).map(LinkedHashSet::new), Optional.ofNullable(sites).map(LinkedHashSet::new));
        List<Problem> problems = new ArrayList<>();
        roles.stream().filter(role -> !scope.isAll() && !role.canBeScoped()).forEach(role ->
                problems.add(new Problem("/roles", "the role " + role.words() + " holds for all tenants and sites only; give it by itself")));
        each(tenants, "/tenants", name -> this.tenants.known().tenants().fault(name), problems);
        Set<String> known = source.network().devices().values().stream().map(Device::site).collect(Collectors.toCollection(TreeSet::new));
        each(sites, "/sites", site -> known.contains(site) ? Optional.empty() : Optional.of("there is no site named '" + site + "'; " + KnownNames.instead(site, known)), problems);
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return roles.stream().map(role -> new Grant(role, scope)).toList();
    }

    private static void each(List<String> names, String pointer, Function<String, Optional<String>> fault, List<Problem> problems) {
        for (int i = 0; names != null && i < names.size(); i++) {
            String at = pointer + "/" + i;
            fault.apply(String.valueOf(names.get(i))).ifPresent(wrong -> problems.add(new Problem(at, wrong)));
        }
    }

    /** @throws ValidationFailure naming a role that is not known */
    static Set<Role> roles(List<String> words, String pointer) {
        Set<Role> roles = EnumSet.noneOf(Role.class);
        List<String> given = words == null ? List.of() : words;
        for (int i = 0; i < given.size(); i++) {
            String word = String.valueOf(given.get(i));
            int at = i;
            roles.add(Role.named(word).orElseThrow(() -> new ValidationFailure(pointer + "/" + at, "there is no role '" + word + "'; " + KnownNames.instead(word, Role.words(Role.ALL)))));
        }
        return roles;
    }

    /** The first start makes one account that may do everything. */
    void first(String name, String password) {
        if (accounts.account(name).isEmpty()) {
            accounts.addAccount(name, Kind.PERSON.name(), passwords.encode(password), "the first start");
            Role.ALL.forEach(role -> putGrant(name, new Grant(role, Scope.ALL)));
            acts.add(Origin.SERVICE, "add account", new Act().about("account", name).after(Map.of("roles", Role.words(Role.ALL))), Result.DONE, "");
        }
    }
}
