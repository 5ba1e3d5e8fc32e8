package rilvan.core.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import rilvan.core.check.Check;
import rilvan.core.document.Refused;
import rilvan.core.document.Refused.Problem;
import rilvan.core.model.Loop.Bound;
import rilvan.core.model.ServiceModel.Take;
import rilvan.core.network.Network;
import rilvan.core.pool.Allocation;
import rilvan.core.pool.Allocator;
import rilvan.core.pool.Numbers;
import rilvan.core.pool.Pool;

/**
 * Works out one service: validates its parameters, holds the rules, takes numbers, makes clauses and checks. The same
 * document with the same numbers held gives the same result, always.
 */
public final class Expander {

    private final Network network;
    private final Numbers numbers;

    public Expander(Network network, Numbers numbers) {
        this.network = network;
        this.numbers = numbers;
    }

    /**
     * @param pointer where the service stands in its document, for the pointers of problems
     * @param taken numbers taken for the order so far; what this service takes is added
     * @throws Refused naming every field at fault
     */
    public Expansion expand(ServiceModel model, ServiceDocument service, String pointer, List<Allocation> taken) {
        String at = pointer + "/parameters";
        Map<String, Object> parameters = model.parameters().validate(service.parameters(), network, at);
        Map<String, Object> values = new LinkedHashMap<>(parameters);
        values.put("service", Map.of("name", service.name(), "tenant", service.tenant()));
        Map<String, String> pointers = new LinkedHashMap<>();
        parameters.keySet().forEach(name -> pointers.put(name, at + "/" + name));
        Bound bound = new Bound(values, pointers);
        for (ServiceModel.Computed let : model.lets()) {
            bound = bound.with(let.name(), let.value().evaluate(bound.values()), java.util.Optional.empty());
        }
        hold(model, bound, at);
        Allocator allocator = new Allocator(service.name(), numbers, taken);
        for (Take take : model.takes()) {
            bound = take(take, bound, allocator);
        }
        return new Expansion(service, model.version(), parameters, clauses(model, bound), checks(model, bound, service));
    }

    private static void hold(ServiceModel model, Bound bound, String pointer) {
        List<Problem> problems = new ArrayList<>();
        model.rules().forEach(rule -> rule.loop().run(bound, each -> {
            if (!(Boolean) rule.holds().evaluate(each.values())) {
                problems.add(new Problem(each.pointerTo(rule.at()).orElse(pointer), rule.message().value(each.values())));
            }
        }));
        if (!problems.isEmpty()) {
            throw new Refused(problems);
        }
    }

    private Bound take(Take take, Bound bound, Allocator allocator) {
        Pool pool = network.pools().get(take.pool());
        if (pool == null) {
            throw new Refused("", "the network has no pool named '" + take.pool() + "', which the model takes numbers from");
        }
        List<Problem> problems = new ArrayList<>();
        Map<String, Object> byItem = new LinkedHashMap<>();
        take.loop().run(bound, each -> {
            String item = take.loop().rounds().isEmpty() ? "" : item(each.values().get(take.loop().rounds().get(0).names().get(0)));
            String key = take.name() + (item.isEmpty() ? "" : "/" + item);
            String within = take.within().map(expression -> (String) expression.evaluate(each.values())).orElse("");
            try {
                long number = take.chosen().isPresent()
                        ? allocator.choose(pool, within, key, (Long) take.chosen().get().evaluate(each.values()))
                        : allocator.take(pool, within, key);
                byItem.put(item, pool.write(number));
            } catch (Allocator.NotAvailable e) {
                problems.add(new Problem(take.at().flatMap(each::pointerTo).orElse(""), e.getMessage()));
            }
        });
        if (!problems.isEmpty()) {
            throw new Refused(problems);
        }
        return bound.with(take.name(), take.loop().rounds().isEmpty() ? byItem.get("") : byItem, java.util.Optional.empty());
    }

    /** What an item of a loop is called in keys: itself if it is a text, its name if it has one. */
    private static String item(Object value) {
        return value instanceof Map<?, ?> fields ? String.valueOf(fields.get("name")) : String.valueOf(value);
    }

    private static List<Clause> clauses(ServiceModel model, Bound bound) {
        List<Clause> clauses = new ArrayList<>();
        model.statements().forEach(statement -> statement.loop().run(bound, each -> {
            if (statement.condition().isEmpty() || (Boolean) statement.condition().get().evaluate(each.values())) {
                clauses.add(new Clause((String) statement.device().evaluate(each.values()), statement.clause(), statement.id(),
                        Parameters.map(statement.says().value(each.values()))));
            }
        }));
        return clauses;
    }

    private static List<Check> checks(ServiceModel model, Bound bound, ServiceDocument service) {
        List<Check> checks = new ArrayList<>();
        model.expectations().forEach(expectation -> expectation.loop().run(bound, each -> {
            Map<String, Object> says = Parameters.map(expectation.says().value(each.values()));
            checks.add(new Check(service.name(), expectation.observation(), Parameters.map(says.get("from")),
                    Parameters.map(says.get("to"))));
        }));
        return checks;
    }
}
