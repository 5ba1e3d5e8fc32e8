package rilvan.core.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Supplier;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.check.Check;
import rilvan.core.document.Document;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.expression.Scope;
import rilvan.core.model.Loop.LoopBindings;
import rilvan.core.model.ServiceModel.Take;
import rilvan.core.network.Network;
import rilvan.core.pool.Allocator;
import rilvan.core.pool.Pool;

/**
 * One service while it is expanded. The steps are apart because the services of an order depend on each other: all of them take their
 * numbers before the rules of any are held, and before any says what it becomes on devices. Call {@link #allocate}, {@link #rules} and
 * then {@link #expansion} or {@link #clauses}, in this order. Not safe for several threads.
 */
public final class ServiceExpansion {

    /** What is said where an expression has no value for some parameters, between the model's name and the reason. */
    public static final String CANNOT_WORK_OUT = " cannot be worked out for these parameters: ";

    private final ServiceModel model;
    private final ServiceDocument service;
    private final String pointer;
    private final Map<String, Object> parameters;
    private final Network network;
    private final List<Problem> notAvailable = new ArrayList<>();
    private final List<Problem> repeated = new ArrayList<>();
    private Optional<Scope.Faulty> broken = Optional.empty();
    private LoopBindings bound;
    /** The same without what is suspended; absent where nothing of it is. */
    private Optional<LoopBindings> active;

    /**
     * @param pointer where the parameters stand in their document
     * @param parameters validated, with every field
     * @param bound what can be named before anything is worked out
     * @param active the same without the items that are suspended; absent where none is
     */
    ServiceExpansion(ServiceModel model, ServiceDocument service, String pointer, Map<String, Object> parameters, Network network, LoopBindings bound, Optional<LoopBindings> active) {
        this.model = model;
        this.service = service;
        this.pointer = pointer;
        this.parameters = parameters;
        this.network = network;
        this.bound = sound(() -> computed(model.lets(), bound));
        this.active = sound(() -> active.map(start -> computed(model.lets(), start)));
    }

    public ServiceDocument service() {
        return service;
    }

    /**
     * The services that this one consists of beside what it says itself.
     *
     * @throws ValidationFailure where one would have a name that is none
     */
    public List<Component> components() {
        List<Problem> problems = new ArrayList<>();
        List<Component> components = sound(() -> model.contained().collect(bound, (contained, round, made) -> {
            Component component = Component.of(service, contained, round, pointer);
            if (PlainText.isName(component.service().name())) {
                made.accept(component);
            } else {
                problems.add(new Problem(component.outward(""), "its component would be named '" + component.service().name() + "', which is not a name: small letters, digits and hyphens, 63 at most"));
            }
        }));
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return components;
    }

    /** Takes the numbers that the service needs, also those of what is suspended. What is not to be had is said with the rules. */
    public void allocate(Allocator allocator) {
        try {
            for (Take take : model.takes()) {
                Object taken = take(take, allocator);
                bound = bound.further(take.name(), taken);
                active = active.map(each -> each.further(take.name(), taken));
            }
        } catch (Scope.Faulty e) {
            // A rule most likely says what is wrong with the parameters.
            broken = Optional.of(e);
        }
        bound = active.orElse(bound);
    }

    /** Holds the rules, over what all services of the order have taken; says everything that is wrong, also of numbers. */
    public List<Problem> rules() {
        List<Problem> problems = new ArrayList<>(notAvailable);
        problems.addAll(sound(() -> faults(model.rules())));
        if (problems.isEmpty() && broken.isEmpty()) {
            bound = sound(() -> computed(model.later(), bound));
            problems.addAll(sound(() -> faults(model.rulesOnNumbers())));
        }
        if (problems.isEmpty()) {
            // Where the model has a rule about it, that one says it better.
            problems.addAll(repeated);
            broken.ifPresent(e -> problems.add(notSound(e)));
        }
        return problems;
    }

    /**
     * What a rule comes to in one round of its loop.
     *
     * @param rule its name, such as {@code require/3}
     * @param problem what is wrong; absent where the rule holds
     */
    public record RuleResult(String rule, Optional<Problem> problem) {}

    /** What each rule comes to in each round, whatever others come to; in the place of {@link #rules}, for an author. */
    public List<RuleResult> ruleResults() {
        List<RuleResult> results = new ArrayList<>(sound(() -> results(model.rules())));
        if (broken.isEmpty()) {
            bound = sound(() -> computed(model.later(), bound));
            results.addAll(sound(() -> results(model.rulesOnNumbers())));
        }
        return results;
    }

    private List<RuleResult> results(FusedLoops<ServiceModel.Rule> rules) {
        return rules.collect(bound, (rule, each, made) -> made.accept(new RuleResult(rule.id(), fault(rule, each))));
    }

    /** Clauses and checks. */
    public Expansion expansion() {
        return Suspension.isWhole(parameters) ? new Expansion(service, model.version(), parameters, List.of(), List.of()) : sound(() -> new Expansion(service, model.version(), parameters,
                model.statements().collect(bound, (statement, each, made) -> made.accept(clause(statement, each))), checks()));
    }

    /**
     * A clause, and where in the service's parameters its values stand.
     *
     * @param sources pointers by field, for the fields that say just what the document says
     */
    public record Sourced(Clause clause, Map<String, String> sources) {}

    /** Clauses, for whoever asks where they come from. */
    public List<Sourced> clauses() {
        return Suspension.isWhole(parameters) ? List.of() : sound(() -> model.statements().collect(bound, (statement, each, made) -> {
            Map<String, String> sources = new LinkedHashMap<>();
            Clause clause = clause(statement, each);
            clause.says().keySet().forEach(field -> statement.says().origin("/" + field, each).ifPresent(at -> sources.put(field, at)));
            made.accept(new Sourced(clause, sources));
        }));
    }

    private Problem notSound(Scope.Faulty e) {
        return new Problem(pointer, "the model " + model.name() + CANNOT_WORK_OUT + e.getMessage());
    }

    private <T> T sound(Supplier<T> work) {
        try {
            return work.get();
        } catch (Scope.Faulty e) {
            throw new ValidationFailure(List.of(notSound(e)));
        }
    }

    private static LoopBindings computed(List<ServiceModel.Computed> lets, LoopBindings start) {
        LoopBindings bound = start;
        for (ServiceModel.Computed let : lets) {
            bound = bound.further(let.name(), let.value().evaluate(bound));
        }
        return bound;
    }

    private List<Problem> faults(FusedLoops<ServiceModel.Rule> rules) {
        return rules.collect(bound, (rule, each, made) -> fault(rule, each).ifPresent(made));
    }

    private Optional<Problem> fault(ServiceModel.Rule rule, LoopBindings each) {
        return (Boolean) rule.holds().evaluate(each) ? Optional.empty()
                : Optional.of(new Problem(each.pointerTo(rule.at()).orElse(pointer), rule.message().value(each)));
    }

    private Object take(Take take, Allocator allocator) {
        Map<String, Object> byItem = new LinkedHashMap<>();
        List<String> names = take.loop().names();
        take.loop().run(bound, each -> {
            Pool pool = Optional.ofNullable(network.pools().get(take.pool())).orElseThrow(() ->
                    new ValidationFailure("", "the network has no pool named '" + take.pool() + "', which the model takes numbers from"));
            String item = String.join(" ", names.stream().map(name -> item(each.find(name))).toList());
            if (byItem.containsKey(item)) {
                repeated.add(new Problem(names.isEmpty() ? pointer : each.pointerTo(names.get(names.size() - 1)).orElse(pointer), "two items are named '" + item
                        + "', and take their numbers by that name (" + take.name() + "); give each a name of its own"));
                return;
            }
            String key = take.name() + (item.isEmpty() ? "" : "/" + item);
            List<String> within = within(take, each);
            try {
                byItem.put(item, pool.write(number(take, each, allocator, pool, within, key)));
            } catch (Allocator.NotAvailable e) {
                notAvailable.add(new Problem(take.at().flatMap(each::pointerTo).orElse(pointer), e.getMessage()));
            }
        });
        return names.isEmpty() ? byItem.get("") : byItem;
    }

    /** The places where a number is taken; the whole network where none is said. */
    private static List<String> within(Take take, LoopBindings each) {
        List<String> places = take.within().stream().map(expression -> expression.evaluate(each))
                .flatMap(place -> place instanceof List<?> several ? several.stream() : Stream.of(place)).map(String::valueOf).distinct().toList();
        return places.isEmpty() ? List.of("") : places;
    }

    /** A chosen number where one is chosen: a text that is empty chooses none. */
    private static long number(Take take, LoopBindings each, Allocator allocator, Pool pool, List<String> within, String key) {
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

    private static Clause clause(ServiceModel.Statement statement, LoopBindings each) {
        return new Clause((String) statement.device().evaluate(each), statement.clause(), statement.id(),
                Document.fields(statement.says().value(each)));
    }

    private static Set<Network.End> ports(Optional<Scope.Expression> through, LoopBindings each) {
        return through.stream().flatMap(expression -> ((List<?>) expression.evaluate(each)).stream()).map(site -> (Map<?, ?>) site)
                .map(site -> new Network.End((String) site.get("device"), (String) site.get("port"))).collect(Collectors.toSet());
    }

    private List<Check> checks() {
        return model.expectations().collect(bound, (expectation, each, made) -> {
            Map<String, Object> says = Document.fields(expectation.says().value(each));
            made.accept(new Check(service.name(), expectation.observation(), expectation.wanted(), Document.fields(says.get("from")),
                    Document.fields(says.get("to"))).following(service.customersToFollow(), ports(expectation.through(), each)));
        });
    }
}
