package rilvan.core.model;

import dev.cel.common.types.CelType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.types.StructType;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.expression.Scope;
import rilvan.core.model.Loop.Opened;
import rilvan.core.model.ServiceModel.Rule;

/**
 * Rules that every model may hold: about a port, a link, a tag. A model hands over what they are about, and what they refuse is refused at the
 * field that was handed over.
 *
 * @param about what they make sure of, for people
 * @param given JSON Schema of what a model hands over
 * @param written the rules, each as a model writes its own, naming only what is handed over, {@code service} and {@code devices}
 */
public record RuleSet(String name, String about, Map<String, Object> given, List<Map<String, Object>> written) {

    private static final String SEPARATOR = " ";

    /**
     * @param all the rule sets of a vocabulary
     */
    static RuleSet read(String name, Fields all, DocumentReader reader) {
        Fields fields = all.fields(name, "description", "given", "require");
        RuleSet set = new RuleSet(name, fields.text("description"), fields.open("given"), fields.each("require", "each", "let", "when", "that", "at", "say").stream().map(Fields::all).toList());
        if (set.written.isEmpty()) {
            reader.refuse(fields.pointer() + "/require", "is missing: the rules");
        }
        try {
            set.rules(new Opened(Loop.ONCE, Scope.of(Map.of())), "", 0);
        } catch (Scope.Faulty e) {
            reader.refuse(fields.pointer() + e.below(), e.getMessage());
        }
        return set;
    }

    /** What a model hands over. */
    ValueExpression.Group handed(Map<String, Object> values, Scope scope) {
        return (ValueExpression.Group) ValueExpression.read(values, given, scope);
    }

    /**
     * The rules as those of a model.
     *
     * @param handed the loop in whose rounds a model hands something over, with that as its last step
     * @param use which use of these rules it is, in front of each rule's own place
     * @param first the number of the first
     * @throws Scope.Faulty where one names what is not there
     */
    List<Rule> rules(Opened handed, String use, int first) {
        Map<String, CelType> names = new LinkedHashMap<>(EvaluationContext.everywhere());
        ((StructType) Parameters.type(given, "given")).fields().forEach(field -> names.put(field.name(), field.type()));
        Opened around = new Opened(handed.loop(), Scope.of(names));
        List<Rule> rules = new ArrayList<>();
        for (Map<String, Object> each : written) {
            int number = rules.size();
            rules.add(ValueExpression.within("require", () -> ValueExpression.within(String.valueOf(number), () ->
                    rule(first + number, use + SEPARATOR + name + "/" + number, each, around))));
        }
        return rules;
    }

    /** A rule as it is written in a model or in a set of rules. */
    static Rule rule(int number, String id, Map<String, Object> written, Opened outside) {
        Opened opened = Loop.opened(written, outside);
        String at = text(written, "at");
        place(at, opened);
        if (!written.containsKey("that")) {
            throw new Scope.Faulty("that is missing");
        }
        return new Rule(number, id, opened.loop(), ValueExpression.within("that", () -> ValueExpression.expression(written.get("that"), SimpleType.BOOL, opened.inside())), at,
                ValueExpression.within("say", () -> ValueExpression.Sentence.read(text(written, "say"), opened.inside())));
    }

    private static String text(Map<String, Object> written, String field) {
        if (written.get(field) instanceof String text && !text.isBlank()) {
            return text;
        }
        throw new Scope.Faulty(field + (written.containsKey(field) ? ": expected a text" : " is missing"));
    }

    /** Makes sure that there is such a field. */
    static void place(String at, Opened opened) {
        opened.inside().wrongIn(at).ifPresent(wrong -> {
            throw new Scope.Faulty(at + " names nothing in the parameters: " + wrong).in("at");
        });
    }
}
