package rilvan.server.api;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.model.ServiceDocument;
import rilvan.core.network.Tenants;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;
import rilvan.server.access.Caller;
import rilvan.server.access.Role;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.intake.OrderLimits;

/** What somebody may order whose role holds only for some tenants or sites. */
final class ScopedLimits implements OrderLimits {

    /** Makes a name one that no service has, since names have no such character (WORD JOINER), and that reads the same. */
    private static final String NOBODY = "\u2060";

    private final Sight sight;
    private final StoredPlanningSource source;
    private final Caller caller;
    private final Role needed;

    ScopedLimits(Sight sight, StoredPlanningSource source, Caller caller, Role needed) {
        this.sight = sight;
        this.source = source;
        this.caller = caller;
        this.needed = needed;
    }

    @Override
    public void check(OrderDocument order) {
        List<Problem> problems = new ArrayList<>();
        Tenants tenants = source.tenants();
        for (int i = 0; i < order.services().size(); i++) {
            ServiceDocument service = order.services().get(i);
            String at = "/services/" + i;
            tenant(service.tenant(), tenants).ifPresent(fault -> problems.add(new Problem(at + "/tenant", fault)));
            if (isHidden(service.name())) {
                problems.add(new Problem(at + "/name", "the name '" + service.name() + "' cannot be used here; choose another one"));
            }
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        decisions(order);
        if (!order.returns().isEmpty()) {
            throw Sight.notAllowed(caller, needed, "what devices held at another time is of all tenants");
        }
    }

    private Optional<String> tenant(String name, Tenants tenants) {
        return caller.mayFor(needed, name) ? tenants.fault(name)
                : caller.seesTenant(name) && tenants.tenant(name).isPresent()
                ? Optional.of(caller.name() + " has the role " + needed.words() + " " + caller.inWords(needed))
                : Optional.of("there is no tenant named '" + name + "'");
    }

    private boolean isHidden(String service) {
        return source.service(service).filter(stands -> !sight.sees(caller, stands)).isPresent();
    }

    /** What is decided about a node and all below it is decided for all services that have put something there. */
    private void decisions(OrderDocument order) {
        order.decisions().forEach((device, paths) -> {
            Ledger ledger = source.ledger(device);
            Set<String> at = sight.sites(List.of(device));
            ledger.entries().entrySet().stream().filter(entry -> paths.keySet().stream().anyMatch(path -> path.covers(entry.getKey()))).map(Map.Entry::getValue).filter(entry -> !entry.owners().stream().map(Owner::service)
                    .allMatch(owner -> source.service(owner).filter(service -> caller.may(needed, service.tenant(), at)).isPresent())).findFirst().ifPresent(entry -> {
                        throw Sight.notAllowed(caller, needed, "a node of " + device + " that this order decides about is for others, or elsewhere");
                    });
        });
    }

    @Override
    public OrderDocument seen(OrderDocument order) {
        return order.withStanding(name -> isHidden(name) ? name + NOBODY : name);
    }

    @Override
    public ValidationFailure told(ValidationFailure failure) {
        return new ValidationFailure(failure.problems().stream().map(problem -> new Problem(problem.pointer(), problem.message().replace(NOBODY, ""), problem.together())).toList());
    }

    @Override
    public void check(Plan plan) {
        Set<String> tenants = new TreeSet<>();
        plan.outcomes().forEach(outcome -> {
            tenants.addAll(outcome.isFor());
            Set<String> at = sight.sites(outcome.devices().keySet());
            outcome.isFor().stream().filter(tenant -> !caller.may(needed, tenant, at)).findFirst().ifPresent(tenant -> {
                throw Sight.notAllowed(caller, needed, outcome.service() + " is for " + tenant + (at.isEmpty() ? "" : ", at " + String.join(", ", at)));
            });
        });
        for (String site : sight.sites(plan.devices().keySet())) {
            if (tenants.stream().noneMatch(tenant -> caller.may(needed, tenant, List.of(site)))) {
                throw Sight.notAllowed(caller, needed, "this changes devices at " + site);
            }
        }
    }

    @Override
    public boolean mayRefer(Service service) {
        return sight.knows(caller, service.name());
    }
}
