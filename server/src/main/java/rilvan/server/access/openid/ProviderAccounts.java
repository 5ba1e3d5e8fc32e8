package rilvan.server.access.openid;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.security.oauth2.core.oidc.user.OidcUser;
import org.springframework.stereotype.Component;
import rilvan.core.document.ValidationFailure;
import rilvan.server.Settings;
import rilvan.server.Settings.OpenId;
import rilvan.server.access.Grant;
import rilvan.server.access.People;
import rilvan.server.access.Role;
import rilvan.server.access.Scope;

/** Accounts of people who sign in at the provider: made when they first come, with the roles that the provider's claims give them each time. */
@Component
public class ProviderAccounts {

    private static final Logger LOG = LoggerFactory.getLogger(ProviderAccounts.class);

    private final OpenId settings;
    private final People people;

    ProviderAccounts(Settings settings, People people) {
        this.settings = settings.openid();
        this.people = people;
    }

    /** Why somebody whom the provider knows cannot sign in here; a word that the console has a sentence for. */
    static final class Refused extends RuntimeException {

        private final String word;

        Refused(String word, String message) {
            super(message);
            this.word = word;
        }

        String word() {
            return word;
        }
    }

    /**
     * @return the name of the account
     * @throws Refused where they have no role here, or their account cannot be
     */
    String of(OidcUser user) {
        String name = String.valueOf(user.getClaims().get(settings.nameClaim()));
        List<Grant> grants = grants(user.getClaims().get(settings.rolesClaim()));
        if (grants.isEmpty()) {
            throw new Refused("no-role", name + " has no role here by the claim " + settings.rolesClaim());
        }
        try {
            return people.fromProvider(name, settings.issuer().toString(), user.getSubject(), grants)
                    .orElseThrow(() -> new Refused("not-active", name + " may not sign in"));
        } catch (ValidationFailure | People.InTheWay e) {
            throw new Refused("name", name + " cannot have an account here: " + e.getMessage());
        }
    }

    /** What the values of a claim give; roles that come several times hold for all that they hold for each time. */
    private List<Grant> grants(Object claim) {
        Set<String> values = new HashSet<>();
        (claim instanceof Collection<?> several ? several : claim == null ? List.of() : List.of(claim)).forEach(value -> values.add(value.toString()));
        Map<Role, Scope> scopes = new LinkedHashMap<>();
        for (OpenId.Given given : settings.grants()) {
            if (values.contains(given.value())) {
                for (Grant grant : known(given)) {
                    scopes.put(grant.role(), scopes.containsKey(grant.role()) ? both(grant.role(), scopes.get(grant.role()), grant.scope()) : grant.scope());
                }
            }
        }
        List<Grant> grants = new ArrayList<>();
        scopes.forEach((role, scope) -> grants.add(new Grant(role, scope)));
        return grants;
    }

    private List<Grant> known(OpenId.Given given) {
        try {
            return people.grants(given.roles(), given.tenants(), given.sites());
        } catch (ValidationFailure e) {
            LOG.error("what rilvan.openid.grants gives to '{}' cannot be given: {}", given.value(), e.getMessage());
            throw new Refused("settings", "what the settings give to '" + given.value() + "' cannot be given: " + e.getMessage());
        }
    }

    /** Never more than the two: tenants of the one at sites of the other are neither's. */
    private static Scope both(Role role, Scope one, Scope other) {
        if (one.isAll() || other.isAll()) {
            return one.isAll() ? one : other;
        }
        if (one.sites().equals(other.sites())) {
            return new Scope(together(one.tenants(), other.tenants()), one.sites());
        }
        if (one.tenants().equals(other.tenants())) {
            return new Scope(one.tenants(), together(one.sites(), other.sites()));
        }
        throw new Refused("settings", "the role " + role.words() + " is given twice, " + one.inWords() + " and " + other.inWords() + ", which one role cannot hold for; give it once in rilvan.openid.grants");
    }

    private static Optional<Set<String>> together(Optional<Set<String>> one, Optional<Set<String>> other) {
        if (one.isEmpty() || other.isEmpty()) {
            return Optional.empty();
        }
        Set<String> all = new HashSet<>(one.get());
        all.addAll(other.get());
        return Optional.of(all);
    }
}
