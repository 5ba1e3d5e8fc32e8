package rilvan.core.catalog;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.MalformedConfiguration;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.Clause;
import rilvan.core.model.SampleValues;
import rilvan.core.model.Vocabulary;

/** Tries a dialect before any service does: each template is filled with sample values of its clause, and read back by the family's schema. */
final class DialectTrial {

    private static final String ANYWHERE = "sample";

    private DialectTrial() {}

    /** What is wrong in the templates, each with the clause. */
    static List<Problem> of(Dialect dialect, Vocabulary vocabulary) {
        List<Problem> problems = new ArrayList<>();
        dialect.clauses().keySet().stream().filter(clause -> !clause.equals(Dialect.NATIVE)).forEach(clause -> {
            for (Map<String, Object> says : SampleValues.of(vocabulary.clauses().get(clause))) {
                try {
                    dialect.say(new Clause(ANYWHERE, clause, ANYWHERE, says));
                } catch (ValidationFailure e) {
                    // A family may have no way to say some values: an order with such a one is refused.
                    if (e.getCause() instanceof MalformedConfiguration malformed && malformed.isOfValue()) {
                        continue;
                    }
                    problems.add(new Problem("/clauses/" + clause, named(dialect.clauses().get(clause).name(), reason(e.getMessage())) + "; so it is for " + said(says)));
                    break;
                }
            }
        });
        return problems;
    }

    /** A reason says which template it is about. */
    private static String named(String template, String reason) {
        return reason.contains(template) ? reason : template + ": " + reason;
    }

    private static String reason(String message) {
        int at = message.indexOf(Dialect.CANNOT_SAY);
        return at < 0 ? message : message.substring(message.indexOf(": ", at) + 2);
    }

    private static String said(Map<String, Object> says) {
        return says.entrySet().stream().map(field -> field.getKey() + " " + inWords(field.getValue())).collect(Collectors.joining(", "));
    }

    private static String inWords(Object value) {
        return value instanceof Map<?, ?> frames ? frames.values().stream().map(String::valueOf).filter(text -> !text.isEmpty()).collect(Collectors.joining(" ")) : "'" + value + "'";
    }
}
