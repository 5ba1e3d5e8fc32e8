package rilvan.core.model;

import rilvan.core.expression.Scope;
import dev.cel.common.types.CelType;
import dev.cel.common.types.MapType;
import dev.cel.common.types.SimpleType;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import rilvan.core.document.Document;
import rilvan.core.document.Refused;
import rilvan.core.document.Shape;
import rilvan.core.document.Shape.Fields;
import rilvan.core.model.ServiceModel.Computed;
import rilvan.core.model.ServiceModel.Expectation;
import rilvan.core.model.ServiceModel.Rule;
import rilvan.core.model.ServiceModel.Statement;
import rilvan.core.model.ServiceModel.Take;

/**
 * Publishes a model: reads its text and checks every name, field, type and clause in it. A model that is published cannot
 * fail at order time for a reason of its own.
 */
public final class ModelReader {

    private final Shape shape;
    private final Vocabulary vocabulary;
    private Scope scope = Scope.of(Map.of());

    private ModelReader(Shape shape, Vocabulary vocabulary) {
        this.shape = shape;
        this.vocabulary = vocabulary;
    }

    /**
     * @throws Refused naming line, column and field of everything that is wrong
     */
    public static ServiceModel read(String text, Vocabulary vocabulary) {
        Document document = Document.read(text);
        return new ModelReader(new Shape(document), vocabulary).read(document, text);
    }

    private ServiceModel read(Document document, String text) {
        Fields root = shape.root("model", "version", "title", "description", "parameters", "settings", "let", "allocate", "require",
                "expand", "checks");
        Parameters parameters = schema(root.open("parameters"), "/parameters");
        Map<String, Object> settingSchema = Map.of("type", "object", "properties", root.open("settings"));
        Parameters settings = schema(settingSchema, "/settings");
        for (String name : settings.names()) {
            if (!name.matches("[a-z][a-z0-9_]*")) {
                shape.refuse("/settings/" + name, "is no name of a setting; use small letters, digits and underscores");
            }
        }
        Surroundings.types(parameters, settings).forEach(this::declare);
        parameters.types().forEach(this::declare);
        List<Computed> lets = lets(root);
        List<Take> takes = takes(root);
        ServiceModel model = new ServiceModel(root.text("model"), root.whole("version", 1, 1_000_000), root.text("title"),
                root.text("description", ""), parameters, settings, lets, takes, rules(root), statements(root), expectations(root), text);
        shape.finish();
        return model;
    }

    private Parameters schema(Map<String, Object> schema, String pointer) {
        try {
            return Parameters.of(schema, pointer);
        } catch (Refused e) {
            e.problems().forEach(problem -> shape.refuse(problem.pointer().replaceFirst("^/settings/properties", "/settings"), problem.message()));
            shape.finish();
            throw e;
        }
    }

    private void declare(String name, CelType type) {
        if (scope.type(name).isPresent()) {
            throw new Scope.Faulty("the name " + name + " is taken already");
        }
        scope = scope.with(name, type);
    }

    private List<Computed> lets(Fields root) {
        List<Computed> lets = new ArrayList<>();
        root.open("let").forEach((name, value) -> attempt("/let/" + name, () -> {
            if (!(value instanceof String text) || !text.startsWith("=")) {
                throw new Scope.Faulty("expected an expression, which starts with =");
            }
            Scope.Expression expression = scope.compile(text.substring(1));
            declare(name, expression.type());
            lets.add(new Computed(name, expression));
        }));
        return lets;
    }

    private List<Take> takes(Fields root) {
        List<Take> takes = new ArrayList<>();
        Fields all = root.fields("allocate", root.open("allocate").keySet().toArray(String[]::new));
        for (String name : root.open("allocate").keySet()) {
            attempt("/allocate/" + name, () -> {
                Fields each = all.fields(name, "pool", "each", "within", "choose", "at");
                Loop.Opened opened = loop(each);
                Optional<Scope.Expression> chosen = expression(each, "choose", SimpleType.DYN, opened.inside());
                if (chosen.isPresent() && !Set.of(SimpleType.INT, SimpleType.STRING).contains(chosen.get().type())) {
                    throw new Scope.Faulty("expected a number, or a text as the pool writes it").in("choose");
                }
                Optional<String> at = each.value("at").map(Object::toString);
                if (chosen.isPresent() != at.isPresent()) {
                    throw new Scope.Faulty("choose and at belong together: at is the field that says the chosen number");
                }
                takes.add(new Take(name, each.text("pool"), opened.loop(),
                        expression(each, "within", SimpleType.STRING, opened.inside()), chosen, at));
                declare(name, opened.loop().rounds().isEmpty() ? SimpleType.STRING
                        : MapType.create(SimpleType.STRING, SimpleType.STRING));
            });
        }
        return takes;
    }

    private List<Rule> rules(Fields root) {
        List<Rule> rules = new ArrayList<>();
        for (Fields each : root.each("require", "each", "that", "at", "say")) {
            attempt(each.pointer(), () -> {
                Loop.Opened opened = loop(each);
                String at = each.text("at");
                if (opened.inside().type(at.split("\\.")[0]).isEmpty()) {
                    throw new Scope.Faulty(at + " names nothing in the parameters").in("at");
                }
                rules.add(new Rule(opened.loop(), expression(each, "that", SimpleType.BOOL, opened.inside())
                        .orElseThrow(() -> new Scope.Faulty("that is missing")), at,
                        Saying.within("say", () -> Saying.Sentence.read(each.text("say"), opened.inside()))));
            });
        }
        return rules;
    }

    private List<Statement> statements(Fields root) {
        List<Statement> statements = new ArrayList<>();
        int number = 0;
        for (Fields each : root.each("expand", "each", "when", "on", "clause", "says")) {
            String id = "expand/" + number++;
            attempt(each.pointer(), () -> {
                Loop.Opened opened = loop(each);
                String clause = each.text("clause");
                Map<String, Object> schema = vocabulary.clauses().get(clause);
                if (schema == null) {
                    throw new Scope.Faulty("there is no clause '" + clause + "'; there are "
                            + String.join(", ", vocabulary.clauses().keySet())).in("clause");
                }
                statements.add(new Statement(id, opened.loop(),
                        expression(each, "when", SimpleType.BOOL, opened.inside()),
                        expression(each, "on", SimpleType.STRING, opened.inside())
                                .orElseThrow(() -> new Scope.Faulty("on is missing: the device this is said on")),
                        clause, Saying.within("says", () -> Saying.read(each.open("says"), schema, opened.inside()))));
            });
        }
        return statements;
    }

    private List<Expectation> expectations(Fields root) {
        List<Expectation> expectations = new ArrayList<>();
        for (Fields each : root.each("checks", "each", "when", "expect", "from", "to")) {
            attempt(each.pointer(), () -> {
                Loop.Opened opened = loop(each);
                String observation = each.text("expect");
                Map<String, Object> schema = vocabulary.observations().get(observation);
                if (schema == null) {
                    throw new Scope.Faulty("there is no observation '" + observation + "'; there are "
                            + String.join(", ", vocabulary.observations().keySet()));
                }
                Map<String, Object> ends = new LinkedHashMap<>();
                ends.put("from", each.open("from"));
                ends.put("to", each.open("to"));
                expectations.add(new Expectation(opened.loop(), expression(each, "when", SimpleType.BOOL, opened.inside()), observation, Saying.read(ends, schema, opened.inside())));
            });
        }
        return expectations;
    }

    private Loop.Opened loop(Fields fields) {
        Optional<Object> each = fields.value("each");
        if (each.isEmpty()) {
            return new Loop.Opened(Loop.ONCE, scope);
        }
        List<String> texts = each.get() instanceof String text ? List.of(text) : fields.texts("each");
        return Saying.within("each", () -> Loop.read(texts, scope));
    }

    private static Optional<Scope.Expression> expression(Fields fields, String name, CelType expected, Scope scope) {
        return fields.value(name).map(value -> Saying.within(name, () -> {
            if (!(value instanceof String text) || !text.startsWith("=")) {
                throw new Scope.Faulty("expected an expression, which starts with =");
            }
            Scope.Expression expression = scope.compile(text.substring(1));
            if (!Scope.fits(expected, expression.type())) {
                throw new Scope.Faulty(text + " yields " + expression.type().name() + ", but " + expected.name() + " is expected");
            }
            return expression;
        }));
    }

    private void attempt(String pointer, Runnable reading) {
        try {
            reading.run();
        } catch (Scope.Faulty e) {
            shape.refuse(pointer + e.below(), e.getMessage());
        }
    }
}
