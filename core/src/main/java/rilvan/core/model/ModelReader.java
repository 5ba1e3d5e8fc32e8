package rilvan.core.model;

import dev.cel.common.types.CelType;
import dev.cel.common.types.ListType;
import dev.cel.common.types.MapType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.types.StructType;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.SortedMap;
import java.util.stream.Collectors;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.KnownNames;
import rilvan.core.document.ValidationFailure;
import rilvan.core.expression.Scope;
import rilvan.core.model.Loop.Opened;
import rilvan.core.model.ServiceModel.Computed;
import rilvan.core.model.ServiceModel.Contained;
import rilvan.core.model.ServiceModel.Expectation;
import rilvan.core.model.ServiceModel.Rule;
import rilvan.core.model.ServiceModel.Statement;
import rilvan.core.model.ServiceModel.Take;

/**
 * Publishes a model: reads its text and checks every name, field, type and clause in it. A model that is published cannot
 * fail at order time for a reason of its own.
 */
public final class ModelReader {

    private static final int MOST_VERSIONS = 1_000_000;
    private static final String[] STATEMENT = {"each", "let", "when", "on", "clause", "says", "expand"};

    private final DocumentReader reader;
    private final Vocabulary vocabulary;
    private final Map<String, SortedMap<Integer, ServiceModel>> models;
    private Scope scope = Scope.of(Map.of());

    private ModelReader(DocumentReader reader, Vocabulary vocabulary, Map<String, SortedMap<Integer, ServiceModel>> models) {
        this.reader = reader;
        this.vocabulary = vocabulary;
        this.models = models;
    }

    /**
     * @param models what it may contain services of: models by name, each in its versions
     * @throws ValidationFailure naming line, column and field of everything that is wrong
     */
    public static ServiceModel read(String text, Vocabulary vocabulary, Map<String, SortedMap<Integer, ServiceModel>> models) {
        Document document = Document.read(text);
        return new ModelReader(new DocumentReader(document), vocabulary, models).read(document, text);
    }

    private ServiceModel read(Document document, String text) {
        Fields root = reader.root("model", "version", "title", "description", "parameters", "settings", "let", "services", "allocate",
                "require", "expand", "checks");
        Parameters parameters = schema(root.open("parameters"), "/parameters");
        parameters.saysSuspended().ifPresent(at -> reader.refuse("/parameters" + at, "is what every model has: a service, and each item of a list that is at devices, can be suspended; choose another name"));
        DeclaredSettings settings = DeclaredSettings.read(root.open("settings"), reader);
        Map<String, CelType> around = new LinkedHashMap<>(EvaluationContext.types(parameters, settings));
        CelType allocated = around.remove(EvaluationContext.ALLOCATIONS);
        around.forEach(this::declare);
        parameters.types().forEach(this::declare);
        // What names an allocation is worked out after it: it is read again once the allocations are known.
        Map<String, Object> lets = root.open("let");
        List<Computed> first = lets(lets, lets.keySet(), false);
        List<Contained> contained = contained(root);
        List<Take> takes = takes(root);
        Set<String> open = new LinkedHashSet<>(lets.keySet());
        first.forEach(let -> open.remove(let.name()));
        Opened parametersOnly = Loop.none(scope.without(takes.stream().map(Take::name).toList()));
        // What other services hold is known once all services of an order have taken their numbers.
        declare(EvaluationContext.ALLOCATIONS, allocated);
        List<Computed> later = lets(lets, open, true);
        List<Rule> rules = new ArrayList<>();
        List<Rule> rulesOnNumbers = new ArrayList<>();
        rules(root, parametersOnly, rules, rulesOnNumbers);
        ServiceModel model = new ServiceModel(root.text("model"), root.whole("version", 1, MOST_VERSIONS), root.text("title"),
                root.text("description", ""), parameters, settings, first, new FusedLoops<>(contained, Contained::loop), takes, later, new FusedLoops<>(rules, Rule::loop), new FusedLoops<>(rulesOnNumbers, Rule::loop),
                new FusedLoops<>(statements(root.each("expand", STATEMENT), Loop.none(scope), "expand"), Statement::loop),
                new FusedLoops<>(expectations(root), Expectation::loop), text);
        reader.finish();
        return model;
    }

    private Parameters schema(Map<String, Object> schema, String pointer) {
        try {
            return Parameters.of(schema, pointer);
        } catch (ValidationFailure e) {
            e.problems().forEach(problem -> reader.refuse(problem.pointer(), problem.message()));
            reader.finish();
            throw e;
        }
    }

    private void declare(String name, CelType type) {
        if (scope.type(name).isPresent()) {
            throw new Scope.Faulty("the name " + name + " is taken already");
        }
        scope = scope.with(name, type);
    }

    /**
     * @param complain whether a value that cannot be compiled is wrong; otherwise it is left out
     */
    private List<Computed> lets(Map<String, Object> lets, Set<String> names, boolean complain) {
        List<Computed> computed = new ArrayList<>();
        for (String name : names) {
            try {
                Scope.Expression expression = scope.compile(ValueExpression.text(lets.get(name)));
                declare(name, expression.type());
                computed.add(new Computed(name, expression));
            } catch (Scope.Faulty e) {
                if (complain) {
                    reader.refuse("/let/" + name + e.below(), e.getMessage());
                }
            }
        }
        return computed;
    }

    /** What contains others names them by nothing that takes numbers: their parameters are known before any number is. */
    private List<Contained> contained(Fields root) {
        List<Contained> contained = new ArrayList<>();
        Set<String> always = new HashSet<>();
        for (Fields each : root.each("services", "each", "let", "when", "name", "model", "version", "parameters")) {
            attempt(each.pointer(), () -> {
                Opened opened = loop(each, Loop.none(scope));
                if (each.text("model").equals(root.text("model"))) {
                    throw new Scope.Faulty("a model does not contain services of itself").in("model");
                }
                ServiceModel model = model(each);
                String name = each.text("name");
                if (!name.replaceAll("\\{[^}]*}", "").matches("[a-z0-9-]*")) {
                    throw new Scope.Faulty("'" + name + "' is not what a name can end with; use small letters, digits and hyphens").in("name");
                }
                if (each.value("when").isEmpty() && !always.add(name)) {
                    throw new Scope.Faulty("two services are named '" + name + "'; give each its own name").in("name");
                }
                contained.add(new Contained(opened.loop(), ValueExpression.within("name", () -> ValueExpression.Sentence.read(name, opened.inside())), model,
                        ValueExpression.within("parameters", () -> ValueExpression.read(each.open("parameters"), model.parameters().schema(), opened.inside()))));
            });
        }
        return contained;
    }

    private ServiceModel model(Fields contained) {
        String name = contained.text("model");
        int version = contained.whole("version", 1, MOST_VERSIONS);
        SortedMap<Integer, ServiceModel> versions = models.getOrDefault(name, Collections.emptySortedMap());
        if (versions.isEmpty()) {
            throw new Scope.Faulty("there is no service model '" + name + "'; " + KnownNames.instead(name, models.keySet())).in("model");
        }
        return Optional.ofNullable(versions.get(version)).orElseThrow(() -> new Scope.Faulty("the service model " + name + " has no version " + version + "; available: "
                + versions.keySet().stream().map(String::valueOf).collect(Collectors.joining(", "))).in("version"));
    }

    private List<Take> takes(Fields root) {
        List<Take> takes = new ArrayList<>();
        Fields all = root.fields("allocate", root.open("allocate").keySet().toArray(String[]::new));
        for (String name : root.open("allocate").keySet()) {
            attempt("/allocate/" + name, () -> {
                Fields each = all.fields(name, "pool", "each", "let", "when", "within", "choose", "at");
                Opened opened = loop(each, Loop.none(scope));
                Optional<Scope.Expression> chosen = expression(each, "choose", SimpleType.DYN, opened.inside());
                if (chosen.isPresent() && !Set.of(SimpleType.INT, SimpleType.STRING).contains(chosen.get().type())) {
                    throw new Scope.Faulty("expected a number, or a text as the pool writes it").in("choose");
                }
                Optional<String> at = each.value("at").map(Object::toString);
                at.ifPresent(field -> RuleSet.place(field, opened));
                if (chosen.isPresent() != at.isPresent()) {
                    throw new Scope.Faulty("choose and at belong together: at is the field with the chosen number");
                }
                takes.add(new Take(name, each.text("pool"), opened.loop(),
                        within(each, opened.inside()), chosen, at));
                declare(name, opened.loop().names().isEmpty() ? SimpleType.STRING
                        : MapType.create(SimpleType.STRING, SimpleType.STRING));
            });
        }
        return takes;
    }

    /** A place, a list of places, or an expression that yields one or the other. */
    private static List<Scope.Expression> within(Fields take, Scope scope) {
        if (take.value("within").orElse("") instanceof List<?> places) {
            List<Scope.Expression> each = new ArrayList<>();
            for (Object place : places) {
                each.add(ValueExpression.within("within", () -> ValueExpression.within(String.valueOf(each.size()), () -> place(place, scope))));
            }
            return each;
        }
        return take.value("within").map(place -> List.of(ValueExpression.within("within", () -> place(place, scope)))).orElse(List.of());
    }

    private static Scope.Expression place(Object value, Scope scope) {
        Scope.Expression place = scope.compile(ValueExpression.text(value));
        if (!Scope.fits(SimpleType.STRING, place.type()) && !Scope.fits(ListType.create(SimpleType.STRING), place.type())) {
            throw new Scope.Faulty("=" + place.text() + " yields " + place.type().name() + ", but a place or a list of places is expected, each a text");
        }
        return place;
    }

    /** A rule that can be held without numbers is held without them; one that names some is held once they are taken. */
    private void rules(Fields root, Opened parametersOnly, List<Rule> rules, List<Rule> rulesOnNumbers) {
        List<Fields> each = root.each("require", "each", "let", "when", "that", "at", "say", "rules", "given");
        for (int i = 0; i < each.size(); i++) {
            Fields written = each.get(i);
            String id = "require/" + i;
            int number = rules.size() + rulesOnNumbers.size();
            attempt(written.pointer(), () -> {
                try {
                    rules.addAll(rules(number, id, written, parametersOnly));
                } catch (Scope.Faulty e) {
                    rulesOnNumbers.addAll(rules(number, id, written, Loop.none(scope)));
                }
            });
        }
    }

    private List<Rule> rules(int number, String id, Fields written, Opened outside) {
        if (written.value("rules").isEmpty()) {
            return List.of(RuleSet.rule(number, id, written.all(), outside));
        }
        String name = written.text("rules");
        RuleSet set = vocabulary.rules().get(name);
        if (set == null) {
            throw new Scope.Faulty("there are no rules '" + name + "' in the vocabulary; " + KnownNames.instead(name, vocabulary.rules().keySet())).in("rules");
        }
        Opened opened = loop(written, outside);
        Map<String, Object> given = written.open("given");
        Map<String, String> at = new LinkedHashMap<>();
        written.open("at").forEach((field, place) -> ValueExpression.within("at", () -> {
            RuleSet.place(String.valueOf(place), opened);
            return at.put(field, String.valueOf(place));
        }));
        Loop.Element.Handed handed = new Loop.Element.Handed(given, ValueExpression.within("given", () -> set.handed(given, opened.inside())), at);
        List<Rule> rules = set.rules(new Opened(opened.loop().then(handed), opened.inside()), id, number);
        rules.stream().map(Rule::at).filter(field -> handed.isWorkedOut(field) && !at.containsKey(field)).findFirst().ifPresent(field -> {
            throw new Scope.Faulty(field + " is worked out; say under at which field of the parameters is at fault: at: { " + field + ": FIELD }").in("given");
        });
        return rules;
    }

    private List<Statement> statements(List<Fields> items, Opened outside, String id) {
        List<Statement> statements = new ArrayList<>();
        int number = 0;
        for (Fields each : items) {
            String own = id + "/" + number++;
            attempt(each.pointer(), () -> {
                Opened opened = loop(each, outside);
                if (each.value("expand").isEmpty()) {
                    statements.add(statement(each, opened, own));
                } else if (each.value("clause").isEmpty()) {
                    statements.addAll(statements(each.each("expand", STATEMENT), opened, own + "/expand"));
                } else {
                    throw new Scope.Faulty("expected a clause or further statements under expand, not both");
                }
            });
        }
        return statements;
    }

    private Statement statement(Fields each, Opened opened, String id) {
        String clause = each.text("clause");
        Map<String, Object> schema = vocabulary.clauses().get(clause);
        if (schema == null) {
            throw new Scope.Faulty("unknown clause '" + clause + "'; " + KnownNames.instead(clause, vocabulary.clauses().keySet())).in("clause");
        }
        return new Statement(id, opened.loop(), expression(each, "on", SimpleType.STRING, opened.inside())
                .orElseThrow(() -> new Scope.Faulty("on is missing: the device of this clause")),
                clause, ValueExpression.within("says", () -> ValueExpression.read(each.open("says"), schema, opened.inside())));
    }

    private List<Expectation> expectations(Fields root) {
        List<Expectation> expectations = new ArrayList<>();
        for (Fields each : root.each("checks", "each", "let", "when", "expect", "forbid", "from", "to", "through")) {
            attempt(each.pointer(), () -> {
                Opened opened = loop(each, Loop.none(scope));
                boolean wanted = each.value("forbid").isEmpty();
                if (wanted == each.value("expect").isEmpty()) {
                    throw new Scope.Faulty("expected either expect or forbid, with an observation");
                }
                String observation = each.text(wanted ? "expect" : "forbid");
                Map<String, Object> schema = vocabulary.observations().get(observation);
                if (schema == null) {
                    throw new Scope.Faulty("unknown observation '" + observation + "'; " + KnownNames.instead(observation, vocabulary.observations().keySet()));
                }
                Map<String, Object> ends = new LinkedHashMap<>();
                ends.put("from", each.open("from"));
                ends.put("to", each.open("to"));
                expectations.add(new Expectation(opened.loop(), observation, wanted, ValueExpression.read(ends, schema, opened.inside()), through(each, opened.inside())));
            });
        }
        return expectations;
    }

    /** Places that have a device and a port. */
    private static Optional<Scope.Expression> through(Fields each, Scope scope) {
        Optional<Scope.Expression> through = expression(each, "through", ListType.create(SimpleType.DYN), scope);
        through.map(Scope.Expression::type).map(ListType.class::cast).map(ListType::elemType).filter(StructType.class::isInstance).map(StructType.class::cast)
                .filter(place -> !place.fieldNames().containsAll(Set.of("device", "port"))).ifPresent(place -> {
                    throw new Scope.Faulty("expected a list of what has a device and a port").in("through");
                });
        return through;
    }

    private static Opened loop(Fields fields, Opened outside) {
        return Loop.opened(fields.all(), outside);
    }

    private static Optional<Scope.Expression> expression(Fields fields, String name, CelType expected, Scope scope) {
        return fields.value(name).map(value -> ValueExpression.within(name, () -> ValueExpression.expression(value, expected, scope)));
    }

    private void attempt(String pointer, Runnable reading) {
        try {
            reading.run();
        } catch (Scope.Faulty e) {
            reader.refuse(pointer + e.below(), e.getMessage());
        }
    }
}
