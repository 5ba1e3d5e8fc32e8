package rilvan.core.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.BiFunction;
import rilvan.core.check.Check;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource;
import rilvan.core.expression.Scope;
import rilvan.core.model.Loop.LoopBindings;
import rilvan.core.model.ServiceModel.Take;
import rilvan.core.network.Network;
import rilvan.core.pool.Allocator;
import rilvan.core.pool.PendingAllocations;
import rilvan.core.pool.Pool;
import rilvan.core.pool.StoredAllocations;

/**
 * Works out one service: validates its parameters, holds the rules, takes numbers, makes clauses and checks. The same
 * document with the same numbers held gives the same result, always.
 */
public final class Expander {

    private final PlanningSource source;
    private final Network network;
    private final StoredAllocations numbers;

    public Expander(PlanningSource source, StoredAllocations numbers) {
        this.source = source;
        this.network = source.network();
        this.numbers = numbers;
    }

    /**
     * @param pointer where the service stands in its document, for the pointers of problems
     * @param taken numbers taken for the order so far; what this service takes is added
     * @throws ValidationFailure naming every field at fault
     */
    public Expansion expand(ServiceModel model, ServiceDocument service, String pointer, PendingAllocations taken) {
        return work(model, service, pointer, taken, (parameters, bound) ->
                new Expansion(service, model.version(), parameters, clauses(model, bound), checks(model, bound, service)));
    }

    /**
     * A clause, and where in the service's parameters its values stand.
     *
     * @param sources pointers by field, for the fields that say just what the document says
     */
    public record Sourced(Clause clause, Map<String, String> sources) {}

    /**
     * The clauses of a service, for whoever asks where they come from.
     *
     * @throws ValidationFailure naming every field at fault
     */
    public List<Sourced> sourced(ServiceModel model, ServiceDocument service) {
        return work(model, service, "", new PendingAllocations(), (parameters, bound) -> model.statements().collect(bound, (statement, each, made) -> {
            Map<String, String> sources = new LinkedHashMap<>();
            statement.says().references().forEach((field, reference) -> each.pointerTo(reference).ifPresent(at -> sources.put(field, at)));
            made.accept(new Sourced(clause(statement, each), sources));
        }));
    }

    /** Validates, holds the rules, takes the numbers; what is made of it then is up to who asks. */
    private <T> T work(ServiceModel model, ServiceDocument service, String pointer, PendingAllocations taken, BiFunction<Map<String, Object>, LoopBindings, T> made) {
        String at = pointer + "/parameters";
        Map<String, Object> parameters = model.parameters().validate(service.parameters(), source, at);
        LoopBindings start = LoopBindings.of(EvaluationContext.values(model, service, source, numbers), parameters, at);
        try {
            return made.apply(parameters, worked(model, service, start, at, taken));
        } catch (Scope.Faulty e) {
            throw new ValidationFailure(at, "the model " + model.name() + " cannot be worked out for these parameters: " + e.getMessage());
        }
    }

    private LoopBindings worked(ServiceModel model, ServiceDocument service, LoopBindings start, String at, PendingAllocations taken) {
        LoopBindings bound = computed(model.lets(), start);
        hold(model, bound, at);
        Allocator allocator = new Allocator(service.name(), numbers, taken);
        for (Take take : model.takes()) {
            bound = take(take, bound, allocator, at);
        }
        return computed(model.later(), bound);
    }

    private static LoopBindings computed(List<ServiceModel.Computed> lets, LoopBindings start) {
        LoopBindings bound = start;
        for (ServiceModel.Computed let : lets) {
            bound = bound.further(let.name(), let.value().evaluate(bound));
        }
        return bound;
    }

    private static void hold(ServiceModel model, LoopBindings bound, String pointer) {
        List<Problem> problems = model.rules().collect(bound, (rule, each, made) -> {
            if (!(Boolean) rule.holds().evaluate(each)) {
                made.accept(new Problem(each.pointerTo(rule.at()).orElse(pointer), rule.message().value(each)));
            }
        });
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
    }

    private LoopBindings take(Take take, LoopBindings bound, Allocator allocator, String pointer) {
        Pool pool = network.pools().get(take.pool());
        if (pool == null) {
            throw new ValidationFailure("", "the network has no pool named '" + take.pool() + "', which the model takes numbers from");
        }
        List<Problem> problems = new ArrayList<>();
        Map<String, Object> byItem = new LinkedHashMap<>();
        List<String> names = take.loop().names();
        take.loop().run(bound, each -> {
            String item = String.join(" ", names.stream().map(name -> item(each.find(name))).toList());
            String key = take.name() + (item.isEmpty() ? "" : "/" + item);
            String within = take.within().map(expression -> (String) expression.evaluate(each)).orElse("");
            try {
                byItem.put(item, pool.write(take(take, each, allocator, pool, within, key)));
            } catch (Allocator.NotAvailable e) {
                problems.add(new Problem(take.at().flatMap(each::pointerTo).orElse(pointer), e.getMessage()));
            }
        });
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return bound.further(take.name(), names.isEmpty() ? byItem.get("") : byItem);
    }

    /** A chosen number where one is chosen: a text that is empty chooses none. */
    private static long take(Take take, LoopBindings each, Allocator allocator, Pool pool, String within, String key) {
        Object chosen = take.chosen().map(expression -> expression.evaluate(each)).orElse("");
        if (chosen instanceof Long number) {
            return allocator.choose(pool, within, key, number);
        }
        String text = (String) chosen;
        return text.isEmpty() ? allocator.take(pool, within, key) : allocator.choose(pool, within, key, text);
    }

    /** What an item of a loop is called in keys: itself if it is a text, its name if it has one. */
    private static String item(Object value) {
        return value instanceof Map<?, ?> fields ? String.valueOf(fields.get("name")) : String.valueOf(value);
    }

    private static List<Clause> clauses(ServiceModel model, LoopBindings bound) {
        return model.statements().collect(bound, (statement, each, made) -> made.accept(clause(statement, each)));
    }

    private static Clause clause(ServiceModel.Statement statement, LoopBindings each) {
        return new Clause((String) statement.device().evaluate(each), statement.clause(), statement.id(),
                Parameters.map(statement.says().value(each)));
    }

    private static List<Check> checks(ServiceModel model, LoopBindings bound, ServiceDocument service) {
        return model.expectations().collect(bound, (expectation, each, made) -> {
            Map<String, Object> says = Parameters.map(expectation.says().value(each));
            made.accept(new Check(service.name(), expectation.observation(), expectation.wanted(), Parameters.map(says.get("from")),
                    Parameters.map(says.get("to"))));
        });
    }
}
