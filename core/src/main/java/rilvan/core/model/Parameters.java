package rilvan.core.model;

import com.google.common.collect.ImmutableSet;
import com.networknt.schema.Error;
import com.networknt.schema.Schema;
import com.networknt.schema.SchemaRegistry;
import com.networknt.schema.SpecificationVersion;
import dev.cel.common.types.CelType;
import dev.cel.common.types.ListType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.types.StructType;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Consumer;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.document.Document;
import rilvan.core.document.KnownNames;
import rilvan.core.document.SecretSeal;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource;
import tools.jackson.databind.json.JsonMapper;

/**
 * The parameters of a kind of service: JSON Schema 2020-12 with our formats and {@code refers}.
 *
 * <p>Formats are those of {@link Format}. {@code refers: device} and {@code refers: port} (with {@code at}, the sibling that
 * names the device) must exist and have one of the roles in {@code of}; {@code refers: site} must be one of the network's;
 * {@code refers: tenant} must be one; {@code refers: service} must stand and be of one of the models in {@code of}. Objects take no
 * fields but their properties. {@code upfront: true} has a form show a field that may be left out beside those that may not. Every property that is not required has a default, lists the empty one and groups that of
 * their fields, so that an expression may always name it.
 */
public final class Parameters {

    private static final JsonMapper JSON = JsonMapper.builder().build();
    private static final Set<String> REFERENCES = Set.of("device", "port", "site", "service", "tenant");

    /** In a completed schema: the name under which {@code $defs} has it. */
    private static final String DEFINITION = "definition";
    /** The name that a property had in an earlier version of the model: who still writes it is told the new one. */
    private static final String FORMERLY = "formerly";
    /** Of a clause: by field, or by {@code FIELD=VALUE}, the fields that say something as well where that one does. */
    static final String NEEDS = "needs";
    private static final Set<String> KEYWORDS = new TreeSet<>(Set.of("type", "title", "description", "examples", "properties", "required",
            "items", "default", "enum", "minimum", "maximum", "minItems", "maxItems", "minLength", "maxLength", "pattern", "format",
            "refers", "of", "at", "upfront", FORMERLY, "additionalProperties", NEEDS, "$ref", "$defs"));

    private final Map<String, Object> schema;
    private final Set<String> placed;
    private final ParameterReader fields;
    private final Schema validator;

    private Parameters(Map<String, Object> schema) {
        this.schema = schema;
        this.placed = placed(schema).keySet();
        this.fields = ParameterReader.of(schema);
        this.validator = SchemaRegistry.withDefaultDialect(SpecificationVersion.DRAFT_2020_12)
                .getSchema(JSON.valueToTree(standard(schema)));
    }

    /**
     * @throws ValidationFailure where the schema uses what is not read, with pointers from {@code pointer} on
     */
    static Parameters of(Map<String, Object> schema, String pointer) {
        Definitions definitions = new Definitions(pointer + "/$defs", Document.fields(schema.getOrDefault("$defs", Map.of())));
        Map<String, Object> complete = complete(schema, pointer, definitions, 0);
        complete.remove("$defs");
        return new Parameters(complete);
    }

    /**
     * @throws ValidationFailure where a schema has a keyword that is not read
     */
    static void known(Map<String, Object> schema, String pointer) {
        schema.keySet().stream().filter(keyword -> !KEYWORDS.contains(keyword)).findFirst().ifPresent(keyword -> {
            throw new ValidationFailure(pointer + "/" + Document.escape(keyword), "is not a keyword of a schema that is read here; known are "
                    + String.join(", ", KEYWORDS));
        });
    }

    /**
     * Makes sure that what a schema says of its fields fits them: what is required is there, and a default is a value that is allowed.
     *
     * @throws ValidationFailure with the keyword at fault
     */
    static void sound(Map<String, Object> schema, String pointer) {
        Map<String, Object> properties = Document.fields(schema.get("properties"));
        List<?> required = schema.get("required") instanceof List<?> listed ? listed : List.of();
        for (int i = 0; i < required.size(); i++) {
            String name = String.valueOf(required.get(i));
            if (!properties.containsKey(name)) {
                throw new ValidationFailure(pointer + "/required/" + i, "there is no property '" + name + "'; " + KnownNames.instead(name, properties.keySet()));
            }
        }
        Document.fields(schema.get(NEEDS)).forEach((name, needed) -> Stream.concat(Stream.of(name.split("=")[0]), needed instanceof List<?> listed ? listed.stream().map(String::valueOf) : Stream.of())
                .filter(each -> !properties.containsKey(each)).findFirst().ifPresent(missing -> {
                    throw new ValidationFailure(pointer + "/" + NEEDS, "there is no property '" + missing + "'; " + KnownNames.instead(missing, properties.keySet()));
                }));
        Optional.ofNullable(schema.get("default")).flatMap(value -> fault(value, schema)).ifPresent(fault -> {
            throw new ValidationFailure(pointer + "/default", fault);
        });
    }

    /** The device of a port is a field beside it. */
    private static void ports(Map<String, Object> properties, String pointer) {
        properties.forEach((name, property) -> {
            String at = pointer + "/properties/" + name;
            if (Document.fields(property).get("at") instanceof String device && !"device".equals(Document.fields(properties.get(device)).get("refers"))) {
                throw new ValidationFailure(at + "/at", "there is no property '" + device + "' beside it that refers to a device; " + KnownNames.instead(device,
                        properties.keySet().stream().filter(each -> "device".equals(Document.fields(properties.get(each)).get("refers"))).toList()));
            }
        });
    }

    /**
     * Why a value is not one that a schema of a single value allows; absent where it is, and for groups and lists. The empty text is a value of any format: nothing is said. Asked for each literal and
     * each default of all models at every start, so no validator is made for each.
     */
    static Optional<String> fault(Object value, Map<String, Object> schema) {
        Object type = schema.getOrDefault("type", schema.get("format") instanceof String format ? Format.named(format).map(Format::type).orElse("") : "");
        if ("object".equals(type) || "array".equals(type) || value instanceof Map<?, ?> || value instanceof List<?>) {
            return Optional.empty();
        }
        if ("integer".equals(type) && !(value instanceof Long) || "boolean".equals(type) && !(value instanceof Boolean) || "string".equals(type) && !(value instanceof String)) {
            return Optional.of("'" + value + "' is not " + article((String) type));
        }
        if (schema.get("enum") instanceof List<?> allowed && !allowed.contains(value)) {
            return Optional.of("'" + value + "' is none of " + String.join(", ", allowed.stream().map(each -> each.equals("") ? "''" : each.toString()).toList()));
        }
        if (value instanceof Long number && (schema.get("minimum") instanceof Long low && number < low || schema.get("maximum") instanceof Long high && number > high)) {
            return Optional.of(number + " is not from " + schema.getOrDefault("minimum", "any") + " to " + schema.getOrDefault("maximum", "any"));
        }
        if (value instanceof String text && schema.get("pattern") instanceof String pattern && !Pattern.compile(pattern).matcher(text).find()) {
            return Optional.of("'" + text + "' does not have the form " + pattern);
        }
        return value.equals("") || value.equals(0L) || !(schema.get("format") instanceof String name) ? Optional.empty()
                : Format.named(name).filter(format -> format.takes(value)).flatMap(format -> format.fault(value));
    }

    /** The schema without the keywords that are ours, for the validator. */
    private static Map<String, Object> standard(Map<String, Object> schema) {
        return each(schema, plain -> plain.remove("format"));
    }

    /** A schema and all below it without the keywords that are ours, each changed by something more. */
    private static Map<String, Object> each(Map<String, Object> schema, Consumer<Map<String, Object>> change) {
        Map<String, Object> plain = new LinkedHashMap<>(schema);
        List.of("refers", "of", "at", "upfront", FORMERLY, DEFINITION).forEach(plain::remove);
        change.accept(plain);
        if (plain.get("properties") instanceof Map<?, ?> properties) {
            Map<String, Object> below = new LinkedHashMap<>();
            Document.fields(properties).forEach((name, property) -> below.put(name, each(Document.fields(property), change)));
            plain.put("properties", below);
        }
        if (plain.get("items") instanceof Map<?, ?> items) {
            plain.put("items", each(Document.fields(items), change));
        }
        return plain;
    }

    /** The schema with references inlined, types and closedness said outright. */
    public Map<String, Object> schema() {
        return schema;
    }

    /** The schema of what people write of a service, in which anything may be suspended as well: what forms and editors are made from. */
    public Map<String, Object> written() {
        return Suspension.described(schema, placed);
    }

    /** Where a model has a property of its own that is named as what every model has. */
    Optional<String> saysSuspended() {
        return Stream.concat(Stream.of(""), placed.stream().map(list -> "/properties/" + list + "/items")).filter(at -> Document.fields(at(at).get("properties")).containsKey(Suspension.FIELD)).findFirst()
                .map(at -> at + "/properties/" + Suspension.FIELD);
    }

    private Map<String, Object> at(String pointer) {
        Map<String, Object> node = schema;
        for (String step : pointer.isEmpty() ? new String[0] : pointer.substring(1).split("/")) {
            node = Document.fields(node.get(step));
        }
        return node;
    }

    /** The lists at the top of a schema whose items are at devices, such as sites; each with the schema of its items. */
    public static Map<String, Map<String, Object>> placed(Map<String, Object> schema) {
        Map<String, Map<String, Object>> lists = new LinkedHashMap<>();
        Document.fields(schema.get("properties")).forEach((field, property) -> {
            Map<String, Object> items = Document.fields(Document.fields(property).get("items"));
            if ("array".equals(Document.fields(property).get("type")) && items.containsKey("properties") && refersToDevices(items)) {
                lists.put(field, items);
            }
        });
        return lists;
    }

    private static boolean refersToDevices(Map<String, Object> schema) {
        return "device".equals(schema.get("refers")) || schema.get("items") instanceof Map<?, ?> items && refersToDevices(Document.fields(items))
                || Document.fields(schema.get("properties")).values().stream().anyMatch(property -> refersToDevices(Document.fields(property)));
    }

    /** Values of which a part is suspended, or no longer; as in {@link Suspension#with}. */
    public Map<String, Object> suspended(Map<String, Object> values, String place, boolean suspended) {
        return Suspension.with(values, place, suspended, placed);
    }

    /** The schema in words that everybody knows (JSON Schema 2020-12), for programs that write documents: also a number is taken where it is written otherwise. */
    public Map<String, Object> described() {
        return each(written(), plain -> Optional.ofNullable((String) plain.get("format")).flatMap(Format::named).filter(format -> !format.lenient(0L).equals(0L))
                .ifPresent(format -> plain.put("type", List.of(format.type(), "integer"))));
    }

    /** What {@code $ref} may refer to, and where that stands. */
    private record Definitions(String pointer, Map<String, Object> schemas) {}

    private static Map<String, Object> complete(Map<String, Object> given, String pointer, Definitions definitions, int depth) {
        if (depth > 20) {
            throw new ValidationFailure(pointer, "definitions that contain themselves are not read");
        }
        Map<String, Object> node = new LinkedHashMap<>(given);
        Object definition = node.remove(DEFINITION);
        known(node, pointer);
        if (definition != null) {
            node.put(DEFINITION, definition);
        }
        if (node.remove("$ref") instanceof String reference) {
            String name = reference.replaceFirst("^#/\\$defs/", "");
            if (!definitions.schemas().containsKey(name)) {
                throw new ValidationFailure(pointer + "/$ref", "there is no " + reference);
            }
            Map<String, Object> inlined = new LinkedHashMap<>(Document.fields(definitions.schemas().get(name)));
            inlined.putAll(node);
            inlined.put(DEFINITION, name);
            return complete(inlined, definitions.pointer() + "/" + name, definitions, depth + 1);
        }
        sound(node, pointer);
        if (node.get("refers") instanceof String kind) {
            if (!REFERENCES.contains(kind) || kind.equals("port") && !(node.get("at") instanceof String)) {
                throw new ValidationFailure(pointer + "/refers", "'" + kind + "' is nothing to refer to; expected device, site, service, tenant, or port together with at: the field of the device");
            }
            node.putIfAbsent("type", "string");
        }
        if (node.get("format") instanceof String format) {
            Optional<Format> known = Format.named(format);
            if (known.isEmpty()) {
                throw new ValidationFailure(pointer + "/format", "is not known; " + KnownNames.nearest(format, Format.names()).map(near -> "the nearest is " + near + "; ").orElse("") + "known are " + String.join(", ", Format.names()));
            }
            node.putIfAbsent("type", known.get().type());
        }
        if ("object".equals(node.get("type"))) {
            node.putIfAbsent("additionalProperties", false);
            Set<?> required = Set.copyOf((List<?>) node.getOrDefault("required", List.of()));
            Map<String, Object> properties = new LinkedHashMap<>();
            Document.fields(node.getOrDefault("properties", Map.of())).forEach((name, property) -> {
                String at = pointer + "/properties/" + name;
                Map<String, Object> complete = complete(Document.fields(property), at, definitions, depth + 1);
                if (!required.contains(name) && !complete.containsKey("default")) {
                    boolean group = "object".equals(complete.get("type")) && !complete.containsKey("required");
                    if (!group && !"array".equals(complete.get("type"))) {
                        throw new ValidationFailure(at, "is neither required nor has a default");
                    }
                    complete.put("default", group ? Map.of() : List.of());
                }
                properties.put(name, complete);
            });
            node.put("properties", properties);
            ports(properties, pointer);
        } else if ("array".equals(node.get("type"))) {
            node.put("items", complete(Document.fields(node.getOrDefault("items", Map.of())), pointer + "/items", definitions, depth + 1));
        } else if (!(node.get("type") instanceof String type && Set.of("string", "integer", "boolean").contains(type))) {
            throw new ValidationFailure(pointer + "/type", "expected object, array, string, integer, boolean, or a known format");
        }
        return node;
    }

    /** The names that expressions see: the top-level properties with their types. */
    Map<String, CelType> types() {
        Map<String, CelType> types = new LinkedHashMap<>();
        Document.fields(schema.get("properties")).forEach((name, property) -> types.put(name, type(Document.fields(property), name)));
        return types;
    }

    static CelType type(Map<String, Object> schema, String name) {
        return switch ((String) schema.getOrDefault("type", "")) {
            case "string" -> SimpleType.STRING;
            case "integer" -> SimpleType.INT;
            case "boolean" -> SimpleType.BOOL;
            case "array" -> ListType.create(type(Document.fields(schema.get("items")), (String) schema.getOrDefault(DEFINITION, name) + ".item"));
            case "object" -> {
                // What is defined once is one type, wherever it is used.
                String type = (String) schema.getOrDefault(DEFINITION, name);
                Map<String, CelType> fields = new LinkedHashMap<>();
                Document.fields(schema.getOrDefault("properties", Map.of())).forEach((field, property) ->
                        fields.put(field, type(Document.fields(property), type + "." + field)));
                yield StructType.create(type, ImmutableSet.copyOf(fields.keySet()), field -> Optional.ofNullable(fields.get(field)));
            }
            default -> SimpleType.DYN;
        };
    }

    /**
     * Validates a service's parameters and fills in defaults.
     *
     * @param tenant whom the service is for
     * @param pointer where the parameters stand in the document
     * @return the parameters with every property there
     * @throws ValidationFailure naming every field at fault
     */
    public Map<String, Object> validate(Map<String, Object> values, PlanningSource source, String tenant, String pointer) {
        List<Problem> problems = new ArrayList<>();
        Map<String, Object> plain = new LinkedHashMap<>();
        Suspension suspension = Suspension.taken(values, plain, placed, pointer, problems);
        Map<String, Object> read = Document.fields(fields.lenient(plain));
        for (Error error : validator.validate(JSON.valueToTree(read))) {
            problems.add(problem(error, pointer));
        }
        if (problems.isEmpty()) {
            Map<String, Object> complete = completed(read);
            fields.check(complete, ParameterReader.Location.top(pointer, source, tenant, problems));
            suspension.tooFew(schema, complete, pointer).ifPresent(problems::add);
            if (problems.isEmpty()) {
                return suspension.in(complete);
            }
        } else {
            // What is of the right type is looked at all the same: everything that is wrong is said at once.
            Set<String> said = problems.stream().map(Problem::pointer).collect(Collectors.toSet());
            List<Problem> further = new ArrayList<>();
            fields.check(read, ParameterReader.Location.top(pointer, source, tenant, further));
            further.stream().filter(each -> !said.contains(each.pointer())).forEach(problems::add);
        }
        throw new ValidationFailure(problems);
    }

    /** Values with every property there and in canonical form; they have been validated before. */
    Map<String, Object> completed(Map<String, Object> values) {
        return Document.fields(fields.completed(values));
    }

    /** The secrets among values, as they were written. */
    public List<String> secrets(Map<String, Object> values) {
        return fields.secrets(values).toList();
    }

    /** Values with their secrets sealed; what cannot be a secret stays as it was written, and {@link #validate} refuses it. */
    public Map<String, Object> sealed(Map<String, Object> values, SecretSeal seal) {
        return Document.fields(fields.sealed(values, seal));
    }

    /** The services that values refer to, in the order in which they are named. */
    public Set<String> services(Map<String, Object> values) {
        return named("service", values);
    }

    /** The tenants that values refer to, in the order in which they are named. */
    public Set<String> tenants(Map<String, Object> values) {
        return named("tenant", values);
    }

    private Set<String> named(String kind, Map<String, Object> values) {
        return fields.named(kind, values).collect(Collectors.toCollection(LinkedHashSet::new));
    }

    /** Values with another name for a tenant that they refer to. */
    public Map<String, Object> withTenant(String from, String to, Map<String, Object> values) {
        return Document.fields(fields.renamed("tenant", from, to, values));
    }

    /** The names of the top-level properties. */
    public Set<String> names() {
        return Document.fields(schema.get("properties")).keySet();
    }

    /** Whether a value is of the type of a top-level property. */
    boolean takes(String name, Object value) {
        return validator.validate(JSON.valueToTree(Map.of(name, value))).isEmpty();
    }

    /** The present name of a property that had another one earlier. */
    private static Optional<String> renamed(Object schema, String former) {
        Map<String, Object> node = Document.fields(schema);
        Map<String, Object> properties = Document.fields(node.get("properties"));
        return properties.entrySet().stream().filter(property -> former.equals(Document.fields(property.getValue()).get(FORMERLY))).map(Map.Entry::getKey).findFirst()
                .or(() -> Stream.concat(properties.values().stream(), Stream.ofNullable(node.get("items")))
                        .flatMap(below -> renamed(below, former).stream()).findFirst());
    }

    private Problem problem(Error error, String pointer) {
        String at = pointer + error.getInstanceLocation();
        Object bound = error.getArguments().length > 0 ? error.getArguments()[0] : "";
        return switch (error.getKeyword()) {
            case "required" -> new Problem(at + "/" + Document.escape(error.getProperty()), "is missing");
            case "additionalProperties" -> new Problem(at + "/" + Document.escape(error.getProperty()), renamed(schema, error.getProperty()).map(now -> "was renamed; write " + now).orElse("is not a field of this model"));
            case "type" -> new Problem(at, "must be " + article(String.valueOf(error.getArguments()[1])) + ", not "
                    + article(String.valueOf(error.getArguments()[0])));
            case "minItems" -> new Problem(at, "needs at least " + bound + " entries");
            case "minLength" -> new Problem(at, "must have at least " + bound + " characters");
            case "maxItems" -> new Problem(at, "may have at most " + bound + " entries");
            case "minimum" -> new Problem(at, "must be at least " + bound);
            case "maximum" -> new Problem(at, "must be at most " + bound);
            case "enum" -> new Problem(at, "must be one of " + String.valueOf(bound).replaceAll("[\\[\\]\"]", "").replaceAll(",\\s*", ", "));
            case "pattern" -> new Problem(at, "does not have the form " + bound);
            case "maxLength" -> new Problem(at, "may have at most " + bound + " characters");
            default -> new Problem(at, error.getMessage());
        };
    }

    private static String article(String type) {
        return switch (type) {
            case "integer" -> "a whole number";
            case "string" -> "a text";
            case "object" -> "a group of fields";
            case "array" -> "a list";
            case "boolean" -> "true or false";
            default -> type;
        };
    }
}
