package rilvan.server.orders.agreement;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;
import rilvan.server.library.Library;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Json;
import rilvan.server.store.TenantRecords;
import rilvan.server.store.Timings;
import rilvan.server.store.Timings.RuleRow;
import tools.jackson.core.type.TypeReference;

/** The rules by which another person is to agree to an order before it begins. */
@Component
public class AgreementRules {

    private static final TypeReference<AgreementRule> RULE = new TypeReference<>() {};

    private final Timings timings;
    private final Library library;
    private final TenantRecords tenants;
    private final Json json;
    private final TransactionTemplate transactions;

    AgreementRules(Timings timings, Library library, TenantRecords tenants, Json json, TransactionTemplate transactions) {
        this.timings = timings;
        this.library = library;
        this.tenants = tenants;
        this.json = json;
        this.transactions = transactions;
    }

    /** A rule as it is kept. */
    public record Kept(AgreementRule rule, long version, String createdBy) {}

    public List<Kept> all() {
        return timings.rules().stream().map(this::kept).toList();
    }

    public Optional<Kept> find(String name) {
        return timings.rule(name).map(this::kept);
    }

    private Kept kept(RuleRow row) {
        return new Kept(json.read(row.ruleJson(), RULE), row.version(), row.createdBy());
    }

    /** Why another person is to agree to an order, by each rule that says so; none where nobody is. */
    public List<String> needed(Plan plan) {
        return timings.rules().stream().map(this::kept).flatMap(kept -> kept.rule().needed(plan).stream()).toList();
    }

    /**
     * Puts a rule, in the place of one of that name. It counts for orders that are placed from then on.
     *
     * @throws ValidationFailure naming each field at fault
     */
    public Kept put(AgreementRule rule, String who, Precondition seen) {
        List<Problem> problems = new ArrayList<>();
        if (!PlainText.isName(rule.name())) {
            problems.add(new Problem("/name", "'" + rule.name() + "' is not a name; use small letters, digits and hyphens"));
        }
        rule.tenants().stream().filter(tenant -> tenants.tenant(tenant).isEmpty()).forEach(tenant -> problems.add(new Problem("/tenants", "there is no tenant named '" + tenant + "'")));
        Set<String> models = library.catalog().models().keySet();
        rule.models().stream().filter(model -> !models.contains(model)).forEach(model -> problems.add(new Problem("/models", "there is no model named '" + model + "'")));
        if (rule.services() < 0 || rule.services() > OrderDocument.MOST_SERVICES) {
            problems.add(new Problem("/services", "must be from 0 to " + OrderDocument.MOST_SERVICES));
        }
        if (rule.devices() < 0 || rule.devices() > 100_000) {
            problems.add(new Problem("/devices", "must be from 0 to 100000"));
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return transactions.execute(status -> {
            seen.check(rule.name(), timings.rule(rule.name()).map(row -> Long.toString(row.version())));
            timings.putRule(rule.name(), json.write(rule), who);
            return find(rule.name()).orElseThrow();
        });
    }

    /** @return false where there is none */
    public boolean drop(String name, Precondition seen) {
        return transactions.execute(status -> {
            seen.check(name, timings.rule(name).map(row -> Long.toString(row.version())));
            return timings.dropRule(name) == 1;
        });
    }
}
