package rilvan.core.model;

import rilvan.core.expression.Scope;
import dev.cel.common.types.CelType;
import dev.cel.common.types.ListType;
import dev.cel.common.types.SimpleType;
import dev.cel.runtime.CelVariableResolver;
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

/**
 * What a part of a model is said for: {@code s in sites}, {@code pair a, b of sites}, or several of these, each seeing the
 * names of those before it; values worked out once for each round; and a condition. Bounded by the lists it goes through; it
 * cannot run for ever.
 *
 * @param steps nested, outermost first; none means once
 */
record Loop(List<Step> steps) {

    static final Loop ONCE = new Loop(List.of());

    private static final Pattern EACH = Pattern.compile("([a-z]\\w*) in (.+)");
    private static final Pattern PAIR = Pattern.compile("pair ([a-z]\\w*), ([a-z]\\w*) of (.+)");
    /** A name, or a field of what has a name. */
    static final Pattern PLAIN = Pattern.compile("[a-zA-Z]\\w*(\\.[a-zA-Z]\\w*)*");

    /** What a loop is made of. */
    sealed interface Step {

        /**
         * Over the items of a list, or over each pair of different items, the earlier one first.
         *
         * @param plain whether the list is named, so that its items stand in the document where it does
         */
        record Over(List<String> names, Scope.Expression list, boolean plain) implements Step {

            Over(List<String> names, Scope.Expression list) {
                this(names, list, PLAIN.matcher(list.text()).matches());
            }
        }

        /** A value by name, for what stands further inside. */
        record Given(String name, Scope.Expression value) implements Step {}

        /** Goes on only where this is true. */
        record Where(Scope.Expression condition) implements Step {}
    }

    /**
     * The values that names have at some moment, and where in the document they stand, as far as they stand in it. Each further
     * name is a link before the others, so that a loop over many items copies nothing.
     */
    static final class Bound implements CelVariableResolver {

        private final Start start;
        private final Bound outer;
        private final String name;
        private final Object value;
        private final Supplier<Optional<String>> pointer;

        /**
         * What can be named at first.
         *
         * @param places where each group of fields of the document stands, by the very object: so an item is found again in a
         *     list that was worked out from others
         */
        private record Start(Map<String, Object> values, Map<String, String> pointers, IdentityHashMap<Object, String> places) {}

        private Bound(Start start, Bound outer, String name, Object value, Supplier<Optional<String>> pointer) {
            this.start = start;
            this.outer = outer;
            this.name = name;
            this.value = value;
            this.pointer = pointer;
        }

        /** The start: the parameters by name, and what else can be named. */
        static Bound of(Map<String, Object> surroundings, Map<String, Object> parameters, String pointer) {
            Start start = new Start(new HashMap<>(surroundings), new HashMap<>(), new IdentityHashMap<>());
            parameters.forEach((name, value) -> {
                start.values().put(name, value);
                start.pointers().put(name, pointer + "/" + name);
                place(value, pointer + "/" + name, start.places());
            });
            return new Bound(start, null, "", null, Optional::empty);
        }

        private static void place(Object value, String pointer, IdentityHashMap<Object, String> places) {
            if (value instanceof Map<?, ?> fields) {
                places.put(value, pointer);
                fields.forEach((name, field) -> place(field, pointer + "/" + name, places));
            } else if (value instanceof List<?> items) {
                for (int i = 0; i < items.size(); i++) {
                    place(items.get(i), pointer + "/" + i, places);
                }
            }
        }

        Bound with(String further, Object itsValue) {
            return with(further, itsValue, Optional::empty);
        }

        private Bound with(String further, Object itsValue, Supplier<Optional<String>> itsPointer) {
            return new Bound(start, this, further, itsValue, itsPointer);
        }

        /** The link of a name that was added to the start; null where none was. */
        private Bound link(String wanted) {
            Bound link = this;
            while (link.outer != null && !link.name.equals(wanted)) {
                link = link.outer;
            }
            return link.outer == null ? null : link;
        }

        @Override
        public Optional<Object> find(String wanted) {
            Bound link = link(wanted);
            return link == null ? Optional.ofNullable(start.values().get(wanted)) : Optional.of(link.value);
        }

        Optional<String> placeOf(Object item) {
            return Optional.ofNullable(start.places().get(item));
        }

        /** Where the value of {@code name.field.field} stands. */
        Optional<String> pointerTo(String reference) {
            String[] parts = reference.split("\\.", 2);
            Bound link = link(parts[0]);
            return (link == null ? Optional.ofNullable(start.pointers().get(parts[0])) : link.pointer.get())
                    .map(at -> parts.length == 1 ? at : at + "/" + parts[1].replace('.', '/'));
        }
    }

    /** A loop together with the scope that stands inside it. */
    record Opened(Loop loop, Scope inside) {}

    static Opened none(Scope scope) {
        return new Opened(ONCE, scope);
    }

    /** The names of the items it goes over, outermost first. */
    List<String> names() {
        return steps.stream().filter(Step.Over.class::isInstance).flatMap(step -> ((Step.Over) step).names().stream()).toList();
    }

    Loop then(Step step) {
        List<Step> longer = new ArrayList<>(steps);
        longer.add(step);
        return new Loop(longer);
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
                throw new Scope.Faulty("'" + text + "': " + over.text() + " is no list");
            }
            CelType item = list.hasElemType() ? list.elemType() : SimpleType.DYN;
            for (String name : names) {
                if (inside.type(name).isPresent()) {
                    throw new Scope.Faulty("'" + text + "': the name " + name + " is taken already");
                }
                inside = inside.with(name, item);
            }
            loop = loop.then(new Step.Over(names, over));
        }
        return new Opened(loop, inside);
    }

    /** Calls the body for each round with the names bound. */
    void run(Bound bound, Consumer<Bound> body) {
        run(0, bound, body);
    }

    private void run(int depth, Bound bound, Consumer<Bound> body) {
        if (depth == steps.size()) {
            body.accept(bound);
        } else if (steps.get(depth) instanceof Step.Over over) {
            run(depth, over, bound, body);
        } else if (steps.get(depth) instanceof Step.Given given) {
            run(depth + 1, bound.with(given.name(), given.value().evaluate(bound)), body);
        } else if (steps.get(depth) instanceof Step.Where where && (Boolean) where.condition().evaluate(bound)) {
            run(depth + 1, bound, body);
        }
    }

    private void run(int depth, Step.Over over, Bound bound, Consumer<Bound> body) {
        List<?> items = (List<?>) over.list().evaluate(bound);
        Optional<String> base = over.plain() ? bound.pointerTo(over.list().text()) : Optional.empty();
        for (int i = 0; i < items.size(); i++) {
            Bound first = bound.with(over.names().get(0), items.get(i), place(base, bound, items.get(i), i));
            if (over.names().size() == 1) {
                run(depth + 1, first, body);
                continue;
            }
            for (int j = i + 1; j < items.size(); j++) {
                run(depth + 1, first.with(over.names().get(1), items.get(j), place(base, bound, items.get(j), j)), body);
            }
        }
    }

    private static Supplier<Optional<String>> place(Optional<String> base, Bound bound, Object item, int index) {
        return () -> base.map(at -> at + "/" + index).or(() -> bound.placeOf(item));
    }
}
