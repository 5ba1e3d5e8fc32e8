package rilvan.server.access;

import java.util.Collection;
import java.util.List;
import java.util.stream.Collectors;

/**
 * Who calls an endpoint, and what they may do; a controller has it as an argument.
 *
 * @param grants the roles that they have at that moment, as far as their token allows
 */
public record Caller(String name, List<Grant> grants) {

    /** What a role that covers another one holds for. */
    public List<Scope> scopes(Role needed) {
        return grants.stream().filter(grant -> grant.role().covers(needed)).map(Grant::scope).distinct().toList();
    }

    /** Whether nothing is hidden from them. */
    public boolean seesAll() {
        return mayEverywhere(Role.LOOK);
    }

    public boolean mayEverywhere(Role needed) {
        return scopes(needed).stream().anyMatch(Scope::isAll);
    }

    /** @param sites those of the devices of what there is to see; one that they may see is enough */
    public boolean sees(String tenant, Collection<String> sites) {
        return scopes(Role.LOOK).stream().anyMatch(scope -> scope.isFor(tenant) && scope.seesAt(sites));
    }

    public boolean seesTenant(String tenant) {
        return scopes(Role.LOOK).stream().anyMatch(scope -> scope.isFor(tenant));
    }

    public boolean seesSite(String site) {
        return scopes(Role.LOOK).stream().anyMatch(scope -> scope.reaches(List.of(site)));
    }

    /** @param sites those of the devices that something is done on, all of them */
    public boolean may(Role needed, String tenant, Collection<String> sites) {
        return scopes(needed).stream().anyMatch(scope -> scope.isFor(tenant) && scope.reaches(sites));
    }

    public boolean mayFor(Role needed, String tenant) {
        return scopes(needed).stream().anyMatch(scope -> scope.isFor(tenant));
    }

    /** For whom and where they have a role, as in: anna has the role run … */
    public String inWords(Role needed) {
        return scopes(needed).stream().map(Scope::inWords).collect(Collectors.joining(", and "));
    }
}
