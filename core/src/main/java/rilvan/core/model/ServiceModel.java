package rilvan.core.model;

import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.expression.Scope;
/**
 * A published service model: every expression in it has been checked against the names and types it may use.
 *
 * @param lets values worked out first
 * @param later values worked out once numbers are taken, because they name some
 * @param rules what must hold of the parameters
 * @param rulesOnNumbers what must hold of the numbers that are taken, or of what other services hold
 * @param settings the settings that it reads on devices
 * @param contained the services of other models that each of its services consists of
 * @param source the text it was read from, for people to read
 */
public record ServiceModel(
        String name,
        int version,
        String title,
        String description,
        Parameters parameters,
        DeclaredSettings settings,
        List<Computed> lets,
        FusedLoops<Contained> contained,
        List<Take> takes,
        List<Computed> later,
        FusedLoops<Rule> rules,
        FusedLoops<Rule> rulesOnNumbers,
        FusedLoops<Statement> statements,
        FusedLoops<Expectation> expectations,
        String source) {

    /** The kinds of clause it says, in the order of their first appearance. */
    public Set<String> clauseNames() {
        return statements.said().stream().map(Statement::clause).collect(Collectors.toCollection(LinkedHashSet::new));
    }

    /** The observations of its checks, each with whether it must be so ({@code true}), must not, or both, in the order of their first appearance. */
    public Map<String, Set<Boolean>> observations() {
        Map<String, Set<Boolean>> observations = new LinkedHashMap<>();
        expectations.said().forEach(each -> observations.computeIfAbsent(each.observation(), name -> new LinkedHashSet<>()).add(each.wanted()));
        return observations;
    }

    /** The fields of clauses, as {@code CLAUSE.FIELD}, that differ from service to service and that no check of this model fails for; words for people left out. */
    public Set<String> unchecked(Vocabulary vocabulary) {
        Set<String> unchecked = new TreeSet<>();
        Set<String> checked = observations().keySet();
        statements.said().forEach(statement -> statement.says().computed().stream()
                .filter(field -> !field.equals("description") && !vocabulary.exercise(checked, statement.clause(), field))
                .forEach(field -> unchecked.add(statement.clause() + "." + field)));
        return unchecked;
    }

    /**
     * A rule for people.
     *
     * @param id as {@link ServiceExpansion.RuleResult} names it
     * @param at the field at fault
     * @param words what is said where it does not hold, without the values of a service
     */
    public record RuleInWords(String id, String at, String words) {}

    /** What must hold. */
    public List<RuleInWords> rulesInWords() {
        return Stream.concat(rules.said().stream(), rulesOnNumbers.said().stream()).sorted(Comparator.comparing(Rule::number)).map(rule -> new RuleInWords(rule.id(), rule.at(), rule.message().readable())).toList();
    }

    /** Whether its services contain services of other models. */
    public boolean isComposite() {
        return !contained.said().isEmpty();
    }

    /** The services that each of its services contains, in words for a page: what their names add, each with its model. */
    public Map<String, ServiceModel> components() {
        Map<String, ServiceModel> components = new LinkedHashMap<>();
        contained.said().forEach(each -> components.put(each.name().readable(), each.model()));
        return components;
    }

    /** The models that its services contain services of, each in the version it names. */
    public List<ServiceModel> containedModels() {
        return contained.said().stream().map(Contained::model).distinct().toList();
    }

    /** What it takes, by name, each with the pool. */
    public Map<String, String> pools() {
        Map<String, String> pools = new LinkedHashMap<>();
        takes.forEach(take -> pools.put(take.name(), take.pool()));
        return pools;
    }

    /**
     * A service of another model that each service of this one contains, or several.
     *
     * @param name what its name adds to the name of the service that contains it
     */
    record Contained(Loop loop, ValueExpression.Sentence name, ServiceModel model, ValueExpression parameters) {}

    /** A value worked out once and used by name. */
    record Computed(String name, Scope.Expression value) {}

    /**
     * Numbers from a pool: one, or one for each round of a loop, found again by {@code name[item]}.
     *
     * @param within where the number is taken, a place or several each; it is the same number in all of them, and free there. Nothing means the whole network
     */
    record Take(String name, String pool, Loop loop, List<Scope.Expression> within, Optional<Scope.Expression> chosen,
            Optional<String> at) {}

    /**
     * What must hold, where in the document it is at fault if it does not, and how to say so.
     *
     * @param number its place among all the model's rules, shared ones counted each, from 0
     * @param id its place in the model's list, from 0, such as {@code require/3}; of a shared one with its place in its set, such as {@code require/3 port/0}
     */
    record Rule(int number, String id, Loop loop, Scope.Expression holds, String at, ValueExpression.Sentence message) {}

    /** A clause on a device. */
    record Statement(String id, Loop loop, Scope.Expression device, String clause, ValueExpression says) {}

    /**
     * What must be observable when the service works, or must not be.
     *
     * @param through a list of places with a device and a port: the customers' routers that it passes on its way
     */
    record Expectation(Loop loop, String observation, boolean wanted, ValueExpression says, Optional<Scope.Expression> through) {}
}
