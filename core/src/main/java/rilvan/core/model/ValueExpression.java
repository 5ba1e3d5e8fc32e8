package rilvan.core.model;

import dev.cel.common.types.CelType;
import dev.cel.common.types.ListType;
import dev.cel.common.types.SimpleType;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.IntStream;
import rilvan.core.document.Document;
import rilvan.core.document.KnownNames;
import rilvan.core.expression.Scope;
import rilvan.core.expression.Values;
import rilvan.core.model.Loop.LoopBindings;
import rilvan.core.model.Loop.Opened;

/** A value as a model writes it: a constant, an expression (a text that starts with {@code =}), or a group of such values. */
sealed interface ValueExpression {

    /** How a list is written that has one item for each round of a loop. */
    List<String> ROUNDS = List.of("each", "let", "when", "item");

    Object value(LoopBindings names);

    /**
     * Where in the document stands just what this value says at a place inside of it; absent where it is worked out otherwise.
     *
     * @param pointer a JSON pointer from this value on
     */
    default Optional<String> origin(String pointer, LoopBindings names) {
        return Optional.empty();
    }

    /** The first step of a pointer that is not empty. */
    private static String step(String pointer) {
        return pointer.substring(1).split("/", 2)[0];
    }

    private static String below(String pointer) {
        return pointer.substring(1 + step(pointer).length());
    }

    /** Whether it just says what something else says that has a name. */
    default boolean isPlain() {
        return false;
    }

    /** Of a group, the fields whose values are worked out. */
    default List<String> computed() {
        return List.of();
    }

    /** The same whatever the service. */
    record Constant(Object constant) implements ValueExpression {
        @Override
        public Object value(LoopBindings names) {
            return constant;
        }
    }

    /** Worked out for each service. */
    record Computed(Scope.Expression expression) implements ValueExpression {
        @Override
        public Object value(LoopBindings names) {
            return expression.evaluate(names);
        }

        @Override
        public boolean isPlain() {
            return Loop.PLAIN.matcher(expression.text()).matches();
        }

        @Override
        public Optional<String> origin(String pointer, LoopBindings names) {
            return isPlain() ? names.pointerTo(expression.text()).map(at -> at + pointer) : Optional.empty();
        }
    }

    /** Several values by name. */
    record Group(Values.Layout layout, List<ValueExpression> fields) implements ValueExpression {

        static Group of(Map<String, ValueExpression> fields) {
            return new Group(new Values.Layout(List.copyOf(fields.keySet())), List.copyOf(fields.values()));
        }

        ValueExpression field(String name) {
            return fields.get(layout.place(name));
        }

        @Override
        public Object value(LoopBindings names) {
            Object[] values = new Object[fields.size()];
            for (int i = 0; i < values.length; i++) {
                values[i] = fields.get(i).value(names);
            }
            return new Values(layout, values);
        }

        @Override
        public Optional<String> origin(String pointer, LoopBindings names) {
            int place = pointer.isEmpty() ? -1 : layout.place(step(pointer));
            return place < 0 ? Optional.empty() : fields.get(place).origin(below(pointer), names);
        }

        @Override
        public List<String> computed() {
            return IntStream.range(0, fields.size()).filter(i -> !(fields.get(i) instanceof Constant)).mapToObj(layout.inOrder()::get).toList();
        }
    }

    /** Several values in order. */
    record Sequence(List<ValueExpression> items) implements ValueExpression {
        @Override
        public Object value(LoopBindings names) {
            return items.stream().map(item -> item.value(names)).toList();
        }

        @Override
        public Optional<String> origin(String pointer, LoopBindings names) {
            return pointer.isEmpty() ? Optional.empty() : items.get(Integer.parseInt(step(pointer))).origin(below(pointer), names);
        }
    }

    /** One value for each round of a loop. */
    record Rounds(Loop loop, ValueExpression item) implements ValueExpression {
        @Override
        public Object value(LoopBindings names) {
            return rounds(names).stream().map(item::value).toList();
        }

        private List<LoopBindings> rounds(LoopBindings names) {
            List<LoopBindings> rounds = new ArrayList<>();
            loop.run(names, rounds::add);
            return rounds;
        }

        @Override
        public Optional<String> origin(String pointer, LoopBindings names) {
            if (pointer.isEmpty()) {
                return Optional.empty();
            }
            LoopBindings round = rounds(names).get(Integer.parseInt(step(pointer)));
            return below(pointer).isEmpty() ? loop.item(round) : item.origin(below(pointer), round);
        }
    }

    /** A sentence with expressions in braces. */
    record Sentence(String text, List<ValueExpression> parts) implements ValueExpression {

        private static final Pattern GAP = Pattern.compile("\\{([^}]+)}");

        static Sentence read(String text, Scope scope) {
            List<ValueExpression> parts = new ArrayList<>();
            Matcher gap = GAP.matcher(text);
            int from = 0;
            while (gap.find()) {
                parts.add(new Constant(text.substring(from, gap.start())));
                parts.add(new Computed(scope.compile(gap.group(1))));
                from = gap.end();
            }
            parts.add(new Constant(text.substring(from)));
            return new Sentence(text, parts);
        }

        /** The sentence whatever the service: an expression that is just a name is that name in italics, any other an ellipsis. */
        String readable() {
            return GAP.matcher(text).replaceAll(gap -> {
                // The name of a loop is one letter and says nothing to people.
                String words = gap.group(1).replaceFirst("^\\w\\.", "").replaceAll("[._]", " ");
                return gap.group(1).matches("[\\w.]+") ? "*" + words + "*" : "…";
            });
        }

        @Override
        public String value(LoopBindings names) {
            StringBuilder text = new StringBuilder();
            for (ValueExpression part : parts) {
                Object value = part.value(names);
                text.append(value instanceof List<?> list ? String.join(", ", list.stream().map(Object::toString).toList()) : value);
            }
            return text.toString();
        }
    }

    /** The text of a value that must be an expression. */
    static String text(Object value) {
        if (!(value instanceof String text) || !text.startsWith("=")) {
            throw new Scope.Faulty("expected an expression, which starts with =");
        }
        return text.substring(1);
    }

    /** Reads a value that must be an expression of a type. */
    static Scope.Expression expression(Object value, CelType expected, Scope scope) {
        Scope.Expression expression = scope.compile(text(value));
        if (!Scope.fits(expected, expression.type())) {
            throw new Scope.Faulty("=" + expression.text() + " yields " + expression.type().name() + ", but " + expected.name() + " is expected");
        }
        return expression;
    }

    /** Reads a field; what is wrong there is told with the field. */
    static <T> T within(String field, Supplier<T> reading) {
        try {
            return reading.get();
        } catch (Scope.Faulty e) {
            throw e.in(field);
        }
    }

    /**
     * Reads a value and makes sure that it fits what is expected.
     *
     * @param schema JSON Schema of what is expected
     * @throws Scope.Faulty where an expression is wrong or the type does not fit
     */
    static ValueExpression read(Object value, Map<String, Object> schema, Scope scope) {
        CelType expected = Parameters.type(schema, "expected");
        if (value instanceof String text && text.startsWith("=")) {
            Scope.Expression expression = scope.compile(text.substring(1));
            if (!Scope.fits(expected, expression.type())) {
                throw new Scope.Faulty(text + ": yields " + expression.type().name() + ", but " + expected.name() + " is expected");
            }
            return new Computed(expression);
        }
        if (value instanceof Map<?, ?> map && expected instanceof ListType) {
            map.keySet().stream().filter(key -> !ROUNDS.contains(key)).findFirst().ifPresent(key -> {
                throw new Scope.Faulty("'" + key + "' is not known here; a list is written as one, or as " + String.join(", ", ROUNDS));
            });
            if (!map.containsKey("item")) {
                throw new Scope.Faulty("'item' is missing: what there is once for each round");
            }
            Opened opened = Loop.opened(Document.fields(map), Loop.none(scope));
            return new Rounds(opened.loop(), within("item", () -> read(map.get("item"), Document.fields(schema.get("items")), opened.inside())));
        }
        if (value instanceof Map<?, ?> map) {
            Map<String, Object> properties = Document.fields(schema.get("properties"));
            Map<String, ValueExpression> fields = new LinkedHashMap<>();
            for (Map.Entry<?, ?> entry : map.entrySet()) {
                if (!properties.containsKey(entry.getKey())) {
                    throw new Scope.Faulty("'" + entry.getKey() + "' is not known here; " + KnownNames.instead((String) entry.getKey(), properties.keySet()));
                }
                String name = (String) entry.getKey();
                fields.put(name, within(name, () -> read(entry.getValue(), Document.fields(properties.get(name)), scope)));
            }
            properties.forEach((name, property) -> Optional.ofNullable(Document.fields(property).get("default"))
                    .ifPresent(unsaid -> fields.putIfAbsent(name, new Constant(unsaid))));
            for (Object required : (List<?>) schema.getOrDefault("required", List.of())) {
                if (!fields.containsKey(required)) {
                    throw new Scope.Faulty("'" + required + "' is missing");
                }
            }
            return Group.of(fields);
        }
        if (value instanceof List<?> list) {
            Map<String, Object> items = Document.fields(schema.get("items"));
            List<ValueExpression> row = new ArrayList<>();
            for (Object item : list) {
                row.add(within(String.valueOf(row.size()), () -> read(item, items, scope)));
            }
            return new Sequence(row);
        }
        CelType actual = value instanceof Long ? SimpleType.INT : value instanceof Boolean ? SimpleType.BOOL : SimpleType.STRING;
        if (value == null || expected instanceof ListType || !Scope.fits(expected, actual)) {
            throw new Scope.Faulty("'" + value + "' is no " + expected.name());
        }
        Parameters.fault(value, schema).ifPresent(fault -> {
            throw new Scope.Faulty(fault);
        });
        return new Constant(value);
    }
}
