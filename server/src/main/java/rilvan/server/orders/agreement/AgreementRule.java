package rilvan.server.orders.agreement;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import rilvan.core.plan.Plan;
import rilvan.core.plan.Plan.ChangeKind;
import rilvan.core.plan.Plan.Outcome;

/**
 * Which orders another person is to agree to: those with a service that fits all that is said of services, and as many services and devices as are said.
 *
 * @param tenants for whom one of them is; anybody where there are none
 * @param models of which model it is
 * @param kinds what becomes of it: ADD, CHANGE or REMOVE
 * @param services how many services it has at least
 * @param devices how many devices it changes at least
 */
public record AgreementRule(String name, Set<String> tenants, Set<String> models, Set<ChangeKind> kinds, int services, int devices) {

    /** Why an order needs agreement by this rule; absent where it does not. */
    Optional<String> needed(Plan plan) {
        List<Outcome> outcomes = plan.outcomes().stream().filter(outcome -> outcome.kind() != ChangeKind.KEEP && outcome.componentOf().isEmpty()).toList();
        List<Outcome> fitting = outcomes.stream().filter(this::fits).toList();
        int changed = plan.parts().size();
        return fitting.isEmpty() || outcomes.size() < services || changed < devices ? Optional.empty() : Optional.of("the rule " + name + ": " + inWords(fitting, outcomes.size(), changed));
    }

    private boolean fits(Outcome outcome) {
        return (kinds.isEmpty() || kinds.contains(outcome.kind())) && (tenants.isEmpty() || outcome.isFor().stream().anyMatch(tenants::contains)) && (models.isEmpty() || outcome.isOf().stream().anyMatch(models::contains));
    }

    private String inWords(List<Outcome> fitting, int all, int changed) {
        List<String> words = new ArrayList<>();
        if (!tenants.isEmpty() || !models.isEmpty() || !kinds.isEmpty()) {
            words.add(fitting.stream().limit(3).map(outcome -> outcome.kind().name().toLowerCase(Locale.ROOT) + " " + outcome.service()).collect(Collectors.joining(", ")) + (fitting.size() > 3 ? " and " + (fitting.size() - 3) + " others" : ""));
        }
        if (services > 1) {
            words.add(all + " services");
        }
        if (devices > 1) {
            words.add(changed + " devices");
        }
        return words.isEmpty() ? "every order" : String.join(", ", words);
    }
}
