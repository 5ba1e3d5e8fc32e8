package rilvan.core.model;

import java.util.LinkedHashMap;
import java.util.Map;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.ValidationFailure;

/**
 * What models may say, whatever the vendor: the clauses and the observations, each with the JSON Schema of its values.
 *
 * @param clauses statements about one device, by name
 * @param observations what can be looked for, by name
 * @param patience how many seconds an observation may take to become so, where it has a time of its own
 */
public record Vocabulary(Map<String, Map<String, Object>> clauses, Map<String, Map<String, Object>> observations, Map<String, Integer> patience) {

    private static final String PATIENCE = "patience";
    private static final long LONGEST_PATIENCE = 600;

    /**
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public static Vocabulary read(Document document) {
        DocumentReader shape = new DocumentReader(document);
        Fields root = shape.root("clauses", "observations");
        Map<String, Integer> patience = new LinkedHashMap<>();
        Map<String, Object> observations = new LinkedHashMap<>();
        root.open("observations").forEach((name, entry) -> {
            Map<String, Object> schema = new LinkedHashMap<>(Parameters.map(entry));
            Object own = schema.remove(PATIENCE);
            if (own instanceof Long seconds && seconds >= 1 && seconds <= LONGEST_PATIENCE) {
                patience.put(name, seconds.intValue());
            } else if (own != null) {
                shape.refuse("/observations/" + name + "/" + PATIENCE, "expected a whole number of seconds, 1 to " + LONGEST_PATIENCE);
            }
            observations.put(name, schema);
        });
        Vocabulary vocabulary = new Vocabulary(schemas(shape, "/clauses", root.open("clauses")), schemas(shape, "/observations", observations), patience);
        shape.finish();
        return vocabulary;
    }

    private static Map<String, Map<String, Object>> schemas(DocumentReader shape, String pointer, Map<String, Object> entries) {
        Map<String, Map<String, Object>> schemas = new LinkedHashMap<>();
        entries.forEach((name, schema) -> {
            check(shape, pointer + "/" + name, Parameters.map(schema));
            schemas.put(name, Parameters.map(schema));
        });
        return schemas;
    }

    private static void check(DocumentReader shape, String pointer, Map<String, Object> schema) {
        try {
            Parameters.known(schema, pointer);
        } catch (ValidationFailure e) {
            e.problems().forEach(problem -> shape.refuse(problem.pointer(), problem.message()));
        }
        Parameters.map(schema.get("properties")).forEach((name, property) ->
                check(shape, pointer + "/properties/" + name, Parameters.map(property)));
    }
}
