package rilvan.core.model;

import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.ValidationFailure;

/**
 * What models may say, whatever the vendor: the clauses and the observations, each with the JSON Schema of its values.
 *
 * @param clauses statements about one device, by name
 * @param observations what can be looked for, by name
 * @param exercises by observation, the clauses that it fails for where they are wrong on a device, as {@code CLAUSE} or {@code CLAUSE.FIELD}
 * @param unobserved fields of clauses that no observation fails for, as {@code CLAUSE.FIELD}
 * @param timeouts seconds within which a check must pass, by observation, where an observation has a timeout of its own
 * @param rules rules that models share, by name
 */
public record Vocabulary(Map<String, Map<String, Object>> clauses, Map<String, Map<String, Object>> observations, Map<String, Set<String>> exercises, Set<String> unobserved,
        Map<String, Integer> timeouts, Map<String, RuleSet> rules) {

    /** A vocabulary in which nothing can be said. */
    public static final Vocabulary NOTHING = new Vocabulary(Map.of(), Map.of(), Map.of(), Set.of(), Map.of(), Map.of());

    private static final String TIMEOUT = "timeout";
    private static final String DEVICE = "device";
    private static final String EXERCISES = "exercises";
    private static final long LONGEST_TIMEOUT_SECONDS = 600;

    /**
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public static Vocabulary read(Document document) {
        DocumentReader reader = new DocumentReader(document);
        Fields root = reader.root("version", "clauses", "observations", "unobserved", "rules");
        root.whole("version", 1, 1_000_000, 1);
        Map<String, Object> clauses = root.open("clauses");
        Map<String, Integer> timeouts = new LinkedHashMap<>();
        Map<String, Set<String>> exercises = new LinkedHashMap<>();
        Map<String, Object> observations = new LinkedHashMap<>();
        root.open("observations").forEach((name, entry) -> {
            Map<String, Object> schema = new LinkedHashMap<>(Document.fields(entry));
            Object own = schema.remove(TIMEOUT);
            if (own instanceof Long seconds && seconds >= 1 && seconds <= LONGEST_TIMEOUT_SECONDS) {
                timeouts.put(name, seconds.intValue());
            } else if (own != null) {
                reader.refuse("/observations/" + name + "/" + TIMEOUT, "expected a whole number of seconds, 1 to " + LONGEST_TIMEOUT_SECONDS);
            }
            exercises.put(name, exercised(reader, "/observations/" + name + "/" + EXERCISES, schema.remove(EXERCISES), clauses));
            observations.put(name, schema);
        });
        clauses.forEach((name, schema) -> {
            if (Document.fields(Document.fields(schema).get("properties")).containsKey(DEVICE)) {
                reader.refuse("/clauses/" + name + "/properties/" + DEVICE, "is the name under which templates see the device itself; name the field otherwise");
            }
        });
        Vocabulary vocabulary = new Vocabulary(schemas(reader, "/clauses", clauses), schemas(reader, "/observations", observations), exercises,
                exercised(reader, "/unobserved", root.list("unobserved"), clauses), timeouts, rules(root, reader));
        reader.finish();
        return vocabulary;
    }

    private static Map<String, RuleSet> rules(Fields root, DocumentReader reader) {
        Map<String, Object> written = root.open("rules");
        Fields all = root.fields("rules", written.keySet().toArray(String[]::new));
        Map<String, RuleSet> rules = new LinkedHashMap<>();
        written.forEach((name, set) -> {
            Map<String, Object> given = Document.fields(Document.fields(set).get("given"));
            if (check(reader, "/rules/" + name + "/given", given)) {
                rules.put(name, RuleSet.read(name, all, reader));
            }
        });
        return rules;
    }

    /**
     * Whether all that can be said with another vocabulary can be said with this one, and means the same: it was only added to. What stands in the
     * other's words then stands in this one's.
     */
    public boolean extendsOnly(Vocabulary other) {
        return clauses.entrySet().containsAll(other.clauses.entrySet()) && observations.entrySet().containsAll(other.observations.entrySet())
                && exercises.entrySet().containsAll(other.exercises.entrySet()) && unobserved.containsAll(other.unobserved)
                && timeouts.entrySet().containsAll(other.timeouts.entrySet()) && rules.entrySet().containsAll(other.rules.entrySet());
    }

    private static Set<String> exercised(DocumentReader reader, String pointer, Object listed, Map<String, Object> clauses) {
        Set<String> exercised = new LinkedHashSet<>();
        if (listed instanceof List<?> names) {
            names.stream().map(String::valueOf).forEach(name -> {
                String[] parts = name.split("\\.", 2);
                if (!clauses.containsKey(parts[0])
                        || parts.length > 1 && !Document.fields(Document.fields(clauses.get(parts[0])).get("properties")).containsKey(parts[1])) {
                    reader.refuse(pointer, "there is no clause or field '" + name + "'");
                }
                exercised.add(name);
            });
        } else if (listed != null) {
            reader.refuse(pointer, "expected a list of clauses, and of fields as CLAUSE.FIELD");
        }
        return exercised;
    }

    /** Whether some of the observations fail where a field of a clause is wrong on a device. */
    public boolean exercise(Set<String> some, String clause, String field) {
        String named = clause + "." + field;
        boolean byItself = unobserved.contains(named) || exercises.values().stream().anyMatch(each -> each.contains(named));
        return some.stream().anyMatch(observation -> exercises.getOrDefault(observation, Set.of()).contains(byItself ? named : clause));
    }

    private static Map<String, Map<String, Object>> schemas(DocumentReader reader, String pointer, Map<String, Object> entries) {
        Map<String, Map<String, Object>> schemas = new LinkedHashMap<>();
        entries.forEach((name, schema) -> {
            check(reader, pointer + "/" + name, Document.fields(schema));
            schemas.put(name, Document.fields(schema));
        });
        return schemas;
    }

    /** Whether a schema is sound; what is wrong in it is told to the reader. */
    private static boolean check(DocumentReader reader, String pointer, Map<String, Object> schema) {
        boolean sound = true;
        try {
            Parameters.known(schema, pointer);
            Parameters.sound(schema, pointer);
        } catch (ValidationFailure e) {
            e.problems().forEach(problem -> reader.refuse(problem.pointer(), problem.message()));
            sound = false;
        }
        if (schema.containsKey("items")) {
            sound &= check(reader, pointer + "/items", Document.fields(schema.get("items")));
        }
        for (Map.Entry<String, Object> property : Document.fields(schema.get("properties")).entrySet()) {
            sound &= check(reader, pointer + "/properties/" + property.getKey(), Document.fields(property.getValue()));
        }
        return sound;
    }
}
