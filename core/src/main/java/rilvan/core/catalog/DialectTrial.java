package rilvan.core.catalog;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.check.Viewpoint;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.Dialect.Observation;
import rilvan.core.dialect.MalformedConfiguration;
import rilvan.core.dialect.Template;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.document.Xml;
import rilvan.core.expression.Scope;
import rilvan.core.model.Clause;
import rilvan.core.model.SampleValues;
import rilvan.core.model.Vocabulary;
import rilvan.core.network.Device;
import rilvan.core.network.Network;

/**
 * Tries a dialect before any service does: each template is filled with sample values of its clause, and read back by the family's schema; each request of an observation
 * is made of sample values, and an answer that says nothing is read.
 */
final class DialectTrial {

    private static final String ANYWHERE = "sample";
    private static final String LOOPBACK = "203.0.113.1";

    private DialectTrial() {}

    /** What is wrong in the templates, each with the clause. */
    static List<Problem> of(Dialect dialect, Vocabulary vocabulary) {
        List<Problem> problems = new ArrayList<>();
        Map<String, Object> about = dialect.about(new Device(ANYWHERE, dialect.name(), "pe", ANYWHERE, "", 1, "", LOOPBACK, true, List.of(), List.of()), Network.EMPTY);
        dialect.clauses().keySet().stream().filter(clause -> !clause.equals(Dialect.NATIVE)).forEach(clause ->
                clause(dialect, clause, SampleValues.of(vocabulary.clauses().get(clause)), about).ifPresent(problems::add));
        dialect.observations().forEach((name, observation) -> {
            for (Map<String, Object> request : requests(vocabulary.observations().get(name))) {
                Optional<String> fault = fault(observation, request, dialect.commandLine().isPresent());
                if (fault.isPresent()) {
                    problems.add(new Problem("/observations/" + name, fault.get() + "; so it is for " + said(request)));
                    break;
                }
            }
        });
        return problems;
    }

    /** What is wrong with a template: one that cannot say some values is not, one that can say none is. */
    private static Optional<Problem> clause(Dialect dialect, String clause, List<Map<String, Object>> samples, Map<String, Object> about) {
        String pointer = "/clauses/" + clause;
        Optional<Problem> unsayable = Optional.empty();
        boolean sayable = false;
        for (Map<String, Object> says : samples) {
            try {
                dialect.say(new Clause(ANYWHERE, clause, ANYWHERE, says), about);
                sayable = true;
            } catch (ValidationFailure e) {
                Problem problem = new Problem(pointer, named(dialect.clauses().get(clause).name(), reason(e.getMessage())) + "; so it is for " + said(says));
                // A family may have no way to say some values: an order with such a one is refused.
                if (!(e.getCause() instanceof MalformedConfiguration malformed && malformed.isOfValue() || e.getCause() instanceof Template.Unsayable)) {
                    return Optional.of(problem);
                }
                unsayable = unsayable.or(() -> Optional.of(problem));
            }
        }
        return sayable ? Optional.empty() : unsayable;
    }

    /** What an observation may be asked with, by the provider's device and by the customer's router. */
    private static List<Map<String, Object>> requests(Map<String, Object> schema) {
        return SampleValues.of(schema).stream().flatMap(ends -> Stream.of(true, false).map(customers ->
                Viewpoint.request(Viewpoint.located(fields(ends.get("from")), LOOPBACK), Viewpoint.located(fields(ends.get("to")), LOOPBACK), customers, customers))).distinct().toList();
    }

    @SuppressWarnings("unchecked")
    private static Map<String, Object> fields(Object group) {
        return (Map<String, Object>) group;
    }

    private static Optional<String> fault(Observation observation, Map<String, Object> request, boolean lines) {
        try {
            List<Template> templates = Stream.concat(Stream.of(observation.request()), observation.way().stream().map(Observation.Way::request)).toList();
            for (Template template : templates) {
                String text = template.fill(request);
                if (lines ? text.strip().lines().count() != 1 : !Xml.isWellFormed(text)) {
                    return Optional.of(template.name() + ": it becomes " + (lines ? "no single line" : "no XML element") + ": " + text.strip());
                }
            }
            observation.read("", request);
            return Optional.empty();
        } catch (Template.TemplateFault e) {
            return Optional.of(e.getMessage());
        } catch (Scope.Faulty e) {
            return Optional.of("an answer without any of its values cannot be read: " + e.getMessage());
        }
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
