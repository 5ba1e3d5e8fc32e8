package rilvan.server.orders.timing;

import java.time.Instant;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.network.Device;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Json;
import rilvan.server.store.TenantRecords;
import rilvan.server.store.Timings;
import rilvan.server.store.Timings.FreezeRow;
import tools.jackson.core.type.TypeReference;

/** Times in which nothing is changed: at some sites, for some tenants, or anywhere. */
@Component
public class Freezes {

    private static final TypeReference<Set<String>> NAMES = new TypeReference<>() {};

    private final Timings timings;
    private final StoredPlanningSource source;
    private final TenantRecords tenants;
    private final Json json;
    private final TransactionTemplate transactions;

    Freezes(Timings timings, StoredPlanningSource source, TenantRecords tenants, Json json, TransactionTemplate transactions) {
        this.timings = timings;
        this.source = source;
        this.tenants = tenants;
        this.json = json;
        this.transactions = transactions;
    }

    /**
     * A time in which nothing is changed.
     *
     * @param sites of whose devices; of any where neither sites nor tenants are named
     * @param tenants for whom
     */
    public record Freeze(String name, Set<String> sites, Set<String> tenants, Instant from, Instant until, String reason, long version, String createdBy) {

        /** Whether it keeps an order back that is at some sites and for some tenants. */
        boolean isFor(Set<String> itsSites, Set<String> itsTenants) {
            return sites.isEmpty() && tenants.isEmpty() || itsSites.stream().anyMatch(sites::contains) || itsTenants.stream().anyMatch(tenants::contains);
        }

        public String inWords() {
            return "the freeze " + name + (reason.isEmpty() ? "" : " (" + reason + ")") + ", which ends at " + until;
        }
    }

    /** Those that have not ended, the earliest first. */
    public List<Freeze> all() {
        return timings.freezes().stream().map(this::freeze).toList();
    }

    public Optional<Freeze> find(String name) {
        return timings.freeze(name).map(this::freeze);
    }

    private Freeze freeze(FreezeRow row) {
        return new Freeze(row.name(), new TreeSet<>(json.read(row.sitesJson(), NAMES)), new TreeSet<>(json.read(row.tenantsJson(), NAMES)), row.fromAt().toInstant(), row.untilAt().toInstant(), row.reason(),
                row.version(), row.createdBy());
    }

    /** What keeps an order back now; of several, what does so for longest. */
    public Optional<Freeze> keepsBack(Set<String> sites, Set<String> itsTenants) {
        return timings.freezesNow().stream().map(this::freeze).filter(freeze -> freeze.isFor(sites, itsTenants)).findFirst();
    }

    /**
     * Puts a freeze, in the place of one of that name.
     *
     * @throws ValidationFailure naming each field at fault
     */
    public Freeze put(Freeze freeze, Instant now, Precondition seen) {
        List<Problem> problems = new ArrayList<>();
        if (!PlainText.isName(freeze.name())) {
            problems.add(new Problem("/name", "'" + freeze.name() + "' is not a name; use small letters, digits and hyphens"));
        }
        PlainText.faultOfReason(freeze.reason()).ifPresent(fault -> problems.add(new Problem("/reason", fault)));
        if (!freeze.until().isAfter(now)) {
            problems.add(new Problem("/until", "is past"));
        } else if (!freeze.until().isAfter(freeze.from())) {
            problems.add(new Problem("/until", "is not after from"));
        }
        Set<String> sites = new TreeSet<>(source.network().devices().values().stream().map(Device::site).toList());
        freeze.sites().stream().filter(site -> !sites.contains(site)).forEach(site -> problems.add(new Problem("/sites", "there is no device at a site named '" + site + "'; there are " + String.join(", ", sites))));
        freeze.tenants().stream().filter(tenant -> tenants.tenant(tenant).isEmpty()).forEach(tenant -> problems.add(new Problem("/tenants", "there is no tenant named '" + tenant + "'")));
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return transactions.execute(status -> {
            seen.check(freeze.name(), timings.freeze(freeze.name()).map(row -> Long.toString(row.version())));
            timings.putFreeze(new FreezeRow(freeze.name(), json.write(freeze.sites()), json.write(freeze.tenants()), at(freeze.from()), at(freeze.until()), freeze.reason(), 0, null, freeze.createdBy()));
            return find(freeze.name()).orElseThrow();
        });
    }

    private static OffsetDateTime at(Instant time) {
        return time.atOffset(ZoneOffset.UTC);
    }

    /** @return false where there is none */
    public boolean lift(String name, Precondition seen) {
        return transactions.execute(status -> {
            seen.check(name, timings.freeze(name).map(row -> Long.toString(row.version())));
            return timings.dropFreeze(name) == 1;
        });
    }
}
