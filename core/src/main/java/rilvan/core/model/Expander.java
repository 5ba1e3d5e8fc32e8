package rilvan.core.model;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource;
import rilvan.core.model.Loop.LoopBindings;
import rilvan.core.pool.Allocator;
import rilvan.core.pool.PendingAllocations;
import rilvan.core.pool.StoredAllocations;

/**
 * Expands services: validates parameters, takes numbers, holds the rules, makes clauses and checks. The same document with the same
 * numbers held gives the same result, always.
 */
public final class Expander {

    private final PlanningSource source;
    private final StoredAllocations numbers;

    /**
     * @param numbers what is taken, as rules and expressions see it
     */
    public Expander(PlanningSource source, StoredAllocations numbers) {
        this.source = source;
        this.numbers = numbers;
    }

    /**
     * The parameters of a service, validated and with every field.
     *
     * @param pointer where the service stands in its document, for the pointers of problems
     * @throws ValidationFailure naming every field at fault
     */
    public Map<String, Object> parameters(ServiceModel model, ServiceDocument service, String pointer) {
        return model.parameters().validate(service.parameters(), source, service.tenant(), pointer + "/parameters");
    }

    /**
     * Begins to expand a service.
     *
     * @param parameters as {@link #parameters} gives them
     * @param sampleSeed chooses what is sampled where there are too many checks for all of them
     */
    public ServiceExpansion begin(ServiceModel model, ServiceDocument service, String pointer, Map<String, Object> parameters, long sampleSeed) {
        String at = pointer + "/parameters";
        Map<String, Object> active = Suspension.active(parameters);
        Map<String, Object> context = EvaluationContext.values(model, service, source, numbers, sampleSeed);
        LoopBindings whole = LoopBindings.of(context, parameters, at);
        if (active == parameters) {
            return new ServiceExpansion(model, service, at, parameters, source.network(), whole, Optional.empty());
        }
        if (model.isComposite()) {
            throw new ValidationFailure(at, "a service that has components is suspended as a whole, with suspended: true beside its parameters, and not in parts");
        }
        return new ServiceExpansion(model, service, at, parameters, source.network(), whole, Optional.of(whole.only(active)));
    }

    /**
     * A service that stands, by itself, up to where its clauses can be asked for.
     *
     * @throws ValidationFailure naming every field at fault
     */
    public ServiceExpansion alone(ServiceModel model, ServiceDocument service, long sampleSeed) {
        ServiceExpansion expansion = begin(model, service, "", parameters(model, service, ""), sampleSeed);
        expansion.allocate(new Allocator(service.name(), numbers, new PendingAllocations()));
        List<Problem> problems = expansion.rules();
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return expansion;
    }
}
