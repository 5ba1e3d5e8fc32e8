package rilvan.core.model;

import com.google.common.base.Suppliers;
import dev.cel.common.types.CelType;
import dev.cel.common.types.ListType;
import dev.cel.common.types.SimpleType;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Consumer;
import java.util.function.Supplier;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import rilvan.core.document.Document;
import rilvan.core.expression.Bindings;
import rilvan.core.expression.Scope;

/**
 * What a part of a model is said for: {@code s in sites}, {@code pair a, b of sites}, or several of these, each seeing the
 * names of those before it; values worked out once for each round; and a condition. Bounded by the lists it goes through; it
 * cannot run for ever.
 *
 * @param steps nested, outermost first; none means once
 */
record Loop(List<Element> steps) {

    static final Loop ONCE = new Loop(List.of());

    private static final Pattern EACH = Pattern.compile("([a-z]\\w*) in (.+)");
    private static final Pattern PAIR = Pattern.compile("pair ([a-z]\\w*), ([a-z]\\w*) of (.+)");
    /** A name, or a field of what has a name. */
    static final Pattern PLAIN = Pattern.compile("[a-zA-Z]\\w*(\\.[a-zA-Z]\\w*)*");

    /** What a loop is made of. */
    sealed interface Element {

        /** Goes on with each round there is. */
        void each(LoopBindings bound, Consumer<LoopBindings> goOn);

        /** How it is written. Of steps that stand behind the same steps, those that are written alike do the same. */
        String written();

        /**
         * Over the items of a list, or over each pair of different items, the earlier one first.
         *
         * @param plain whether the list is named, so that its items stand in the document where it does
         */
        record Over(List<String> names, Scope.Expression list, boolean plain) implements Element {

            Over(List<String> names, Scope.Expression list) {
                this(names, list, PLAIN.matcher(list.text()).matches());
            }

            @Override
            public void each(LoopBindings bound, Consumer<LoopBindings> goOn) {
                List<?> items = (List<?>) list.evaluate(bound);
                for (int i = 0; i < items.size(); i++) {
                    LoopBindings first = bound.with(names.get(0), items.get(i), this, i);
                    if (names.size() == 1) {
                        goOn.accept(first);
                        continue;
                    }
                    for (int j = i + 1; j < items.size(); j++) {
                        goOn.accept(first.with(names.get(1), items.get(j), this, j));
                    }
                }
            }

            @Override
            public String written() {
                return String.join(", ", names) + " in " + list.text();
            }
        }

        /** A value by name, for what stands further inside. */
        record Given(String name, Scope.Expression value) implements Element {

            @Override
            public void each(LoopBindings bound, Consumer<LoopBindings> goOn) {
                goOn.accept(bound.with(name, value.evaluate(bound), null, 0));
            }

            @Override
            public String written() {
                return name + " = " + value.text();
            }
        }

        /** The values that a model hands to shared rules, each by its name. */
        record Handed(Map<String, Object> given, ValueExpression.Group values, Map<String, String> at) implements Element {

            @Override
            public void each(LoopBindings bound, Consumer<LoopBindings> goOn) {
                LoopBindings inside = bound;
                for (String name : values.layout().inOrder()) {
                    inside = inside.with(name, values.field(name).value(bound), this, 0);
                }
                goOn.accept(inside);
            }

            /** Whether a value is not just what some field of the document says. */
            boolean isWorkedOut(String name) {
                return values.computed().contains(name) && !values.field(name).isPlain();
            }

            /** Where a value stands that was handed over. */
            private Optional<String> pointer(String name, LoopBindings before) {
                return at.containsKey(name) ? before.pointerTo(at.get(name)) : values.field(name).origin("", before);
            }

            @Override
            public String written() {
                return "handed " + given + " " + at;
            }
        }

        /** Goes on only where this is true. */
        record Where(Scope.Expression condition) implements Element {

            @Override
            public void each(LoopBindings bound, Consumer<LoopBindings> goOn) {
                if ((Boolean) condition.evaluate(bound)) {
                    goOn.accept(bound);
                }
            }

            @Override
            public String written() {
                return "where " + condition.text();
            }
        }
    }

    /**
     * The values that names have at some moment, and where in the document they stand, as far as they stand in it. Each name
     * of a round is a link before the others, so that a loop over many items copies nothing.
     */
    static final class LoopBindings implements Bindings {

        private final Start start;
        private final LoopBindings outer;
        private final String name;
        private final Object value;
        private final Element from;
        private final int index;

        /**
         * What can be named in every round.
         *
         * @param pointers where parameters stand
         * @param places where each group of fields of the document stands, by the very object: so an item is found again in a
         *     list that was worked out from others; looked up only to say where something is wrong or comes from
         * @param partly whether lists lack some of the items that they have in the document
         */
        private record Start(Map<String, Object> values, Map<String, String> pointers, Supplier<Map<Object, String>> places, boolean partly) {}

        private LoopBindings(Start start, LoopBindings outer, String name, Object value, Element from, int index) {
            this.start = start;
            this.outer = outer;
            this.name = name;
            this.value = value;
            this.from = from;
            this.index = index;
        }

        private static LoopBindings of(Start start) {
            return new LoopBindings(start, null, "", null, null, 0);
        }

        /** The start: the parameters by name, and what else can be named. */
        static LoopBindings of(Map<String, Object> context, Map<String, Object> parameters, String pointer) {
            Map<String, Object> values = new HashMap<>(context);
            values.putAll(parameters);
            Map<String, String> pointers = new HashMap<>();
            parameters.keySet().forEach(name -> pointers.put(name, pointer + "/" + name));
            return of(new Start(values, pointers, Suppliers.memoize(() -> {
                Map<Object, String> places = new IdentityHashMap<>();
                parameters.forEach((name, value) -> place(value, pointer + "/" + name, places));
                return places;
            }), false));
        }

        /** With only some of the items of the parameters; of a start only. */
        LoopBindings only(Map<String, Object> parameters) {
            Map<String, Object> values = new HashMap<>(start.values());
            values.putAll(parameters);
            return of(new Start(values, start.pointers(), start.places(), true));
        }

        private static void place(Object value, String pointer, Map<Object, String> places) {
            if (value instanceof Map<?, ?> fields) {
                places.put(value, pointer);
                fields.forEach((name, field) -> place(field, pointer + "/" + name, places));
            } else if (value instanceof List<?> items) {
                for (int i = 0; i < items.size(); i++) {
                    place(items.get(i), pointer + "/" + i, places);
                }
            }
        }

        /** With one more name that every round sees; of a start only. */
        LoopBindings further(String name, Object value) {
            Map<String, Object> more = new HashMap<>(start.values());
            more.put(name, value);
            return of(new Start(more, start.pointers(), start.places(), start.partly()));
        }

        /**
         * With one more name for what stands further inside.
         *
         * @param from what gives it its value, where that tells where it stands in the document; otherwise null
         */
        private LoopBindings with(String further, Object itsValue, Element from, int index) {
            return new LoopBindings(start, this, further, itsValue, from, index);
        }

        /** The link of a name of a round; null where it is none. */
        private LoopBindings link(String wanted) {
            LoopBindings link = this;
            while (link.outer != null && !link.name.equals(wanted)) {
                link = link.outer;
            }
            return link.outer == null ? null : link;
        }

        @Override
        public Object find(String wanted) {
            LoopBindings link = link(wanted);
            return link == null ? start.values().get(wanted) : link.value;
        }

        /** Where the value of {@code name.field.field} stands. */
        Optional<String> pointerTo(String reference) {
            String[] parts = reference.split("\\.", 2);
            LoopBindings link = link(parts[0]);
            return (link == null ? Optional.ofNullable(start.pointers().get(parts[0])) : link.pointer())
                    .map(at -> parts.length == 1 ? at : at + "/" + parts[1].replace('.', '/'));
        }

        private Optional<String> pointer() {
            if (from instanceof Element.Handed handed) {
                return handed.pointer(name, before(handed));
            }
            Optional<String> list = from instanceof Element.Over over && over.plain() && !start.partly() ? outer.pointerTo(over.list().text()) : Optional.empty();
            return list.map(at -> at + "/" + index).or(() -> Optional.ofNullable(start.places().get().get(value)));
        }

        /** The names that there were before some were handed over. */
        private LoopBindings before(Element.Handed handed) {
            LoopBindings before = outer;
            while (before.from == handed) {
                before = before.outer;
            }
            return before;
        }
    }

    /** A loop together with the scope that stands inside it. */
    record Opened(Loop loop, Scope inside) {}

    static Opened none(Scope scope) {
        return new Opened(ONCE, scope);
    }

    /** The names of the items it goes over, outermost first. */
    List<String> names() {
        return steps.stream().filter(Element.Over.class::isInstance).flatMap(step -> ((Element.Over) step).names().stream()).toList();
    }

    Loop then(Element step) {
        List<Element> longer = new ArrayList<>(steps);
        longer.add(step);
        return new Loop(longer);
    }

    /** Where the item that a round is about stands in the document. */
    Optional<String> item(LoopBindings round) {
        List<String> names = names();
        return names.isEmpty() ? Optional.empty() : round.pointerTo(names.get(names.size() - 1));
    }

    /** The loop of {@code each}, {@code let} and {@code when}, in the order they are written in, inside another. */
    static Opened opened(Map<String, Object> written, Opened outside) {
        Opened opened = outside;
        for (Map.Entry<String, Object> field : written.entrySet()) {
            Opened before = opened;
            opened = switch (field.getKey()) {
                case "each" -> ValueExpression.within("each", () -> over(texts(field.getValue()), before));
                case "let" -> ValueExpression.within("let", () -> given(field.getValue(), before));
                case "when" -> new Opened(before.loop().then(new Element.Where(
                        ValueExpression.within("when", () -> ValueExpression.expression(field.getValue(), SimpleType.BOOL, before.inside())))), before.inside());
                default -> before;
            };
        }
        return opened;
    }

    private static List<String> texts(Object value) {
        List<?> texts = value instanceof List<?> several ? several : List.of(value);
        if (!texts.stream().allMatch(String.class::isInstance)) {
            throw new Scope.Faulty("expected NAME in LIST, or a list of such texts");
        }
        return texts.stream().map(String.class::cast).toList();
    }

    private static Opened given(Object values, Opened outside) {
        if (!(values instanceof Map<?, ?>)) {
            throw new Scope.Faulty("expected fields");
        }
        Opened opened = outside;
        for (Map.Entry<String, Object> let : Document.fields(values).entrySet()) {
            Opened before = opened;
            opened = ValueExpression.within(let.getKey(), () -> {
                if (before.inside().type(let.getKey()).isPresent()) {
                    throw new Scope.Faulty("the name " + let.getKey() + " is taken already");
                }
                Scope.Expression value = before.inside().compile(ValueExpression.text(let.getValue()));
                return new Opened(before.loop().then(new Element.Given(let.getKey(), value)), before.inside().with(let.getKey(), value.type()));
            });
        }
        return opened;
    }

    /**
     * Reads rounds that stand inside a loop.
     *
     * @throws Scope.Faulty where one has no known form or does not go over a list
     */
    static Opened over(List<String> texts, Opened outer) {
        Loop loop = outer.loop();
        Scope inside = outer.inside();
        for (String text : texts) {
            Matcher each = EACH.matcher(text);
            Matcher pair = PAIR.matcher(text);
            if (!pair.matches() && !each.matches()) {
                throw new Scope.Faulty("'" + text + "': expected NAME in LIST, or pair NAME, NAME of LIST");
            }
            List<String> names = pair.matches() ? List.of(pair.group(1), pair.group(2)) : List.of(each.group(1));
            Scope.Expression over = inside.compile(pair.matches() ? pair.group(3) : each.group(2));
            if (!(over.type() instanceof ListType list)) {
                throw new Scope.Faulty("'" + text + "': " + over.text() + " is not a list");
            }
            CelType item = list.hasElemType() ? list.elemType() : SimpleType.DYN;
            for (String name : names) {
                if (inside.type(name).isPresent()) {
                    throw new Scope.Faulty("'" + text + "': the name " + name + " is taken already");
                }
                inside = inside.with(name, item);
            }
            loop = loop.then(new Element.Over(names, over));
        }
        return new Opened(loop, inside);
    }

    /** Calls the body for each round with the names bound. */
    void run(LoopBindings bound, Consumer<LoopBindings> body) {
        run(0, bound, body);
    }

    private void run(int depth, LoopBindings bound, Consumer<LoopBindings> body) {
        if (depth == steps.size()) {
            body.accept(bound);
        } else {
            steps.get(depth).each(bound, round -> run(depth + 1, round, body));
        }
    }
}
