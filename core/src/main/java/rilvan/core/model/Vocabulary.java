package rilvan.core.model;

import java.util.LinkedHashMap;
import java.util.Map;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.ValidationFailure;

/**
 * What models may say, whatever the vendor: the clauses and the observations, each with the JSON Schema of its values.
 *
 * @param clauses statements about one device, by name
 * @param observations what can be looked for, by name
 * @param timeouts seconds within which a check must pass, by observation, where an observation has a timeout of its own
 */
public record Vocabulary(Map<String, Map<String, Object>> clauses, Map<String, Map<String, Object>> observations, Map<String, Integer> timeouts) {

    private static final String TIMEOUT = "timeout";
    private static final long LONGEST_TIMEOUT_SECONDS = 600;

    /**
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public static Vocabulary read(Document document) {
        DocumentReader reader = new DocumentReader(document);
        Fields root = reader.root("clauses", "observations");
        Map<String, Integer> timeouts = new LinkedHashMap<>();
        Map<String, Object> observations = new LinkedHashMap<>();
        root.open("observations").forEach((name, entry) -> {
            Map<String, Object> schema = new LinkedHashMap<>(Parameters.map(entry));
            Object own = schema.remove(TIMEOUT);
            if (own instanceof Long seconds && seconds >= 1 && seconds <= LONGEST_TIMEOUT_SECONDS) {
                timeouts.put(name, seconds.intValue());
            } else if (own != null) {
                reader.refuse("/observations/" + name + "/" + TIMEOUT, "expected a whole number of seconds, 1 to " + LONGEST_TIMEOUT_SECONDS);
            }
            observations.put(name, schema);
        });
        Vocabulary vocabulary = new Vocabulary(schemas(reader, "/clauses", root.open("clauses")), schemas(reader, "/observations", observations), timeouts);
        reader.finish();
        return vocabulary;
    }

    private static Map<String, Map<String, Object>> schemas(DocumentReader reader, String pointer, Map<String, Object> entries) {
        Map<String, Map<String, Object>> schemas = new LinkedHashMap<>();
        entries.forEach((name, schema) -> {
            check(reader, pointer + "/" + name, Parameters.map(schema));
            schemas.put(name, Parameters.map(schema));
        });
        return schemas;
    }

    private static void check(DocumentReader reader, String pointer, Map<String, Object> schema) {
        try {
            Parameters.known(schema, pointer);
        } catch (ValidationFailure e) {
            e.problems().forEach(problem -> reader.refuse(problem.pointer(), problem.message()));
        }
        Parameters.map(schema.get("properties")).forEach((name, property) ->
                check(reader, pointer + "/properties/" + name, Parameters.map(property)));
    }
}
