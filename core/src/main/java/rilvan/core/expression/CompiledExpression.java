package rilvan.core.expression;

import dev.cel.common.CelAbstractSyntaxTree;
import dev.cel.common.ast.CelExpr;
import dev.cel.common.ast.CelExpr.CelCall;
import dev.cel.common.ast.CelExpr.CelComprehension;
import dev.cel.common.types.SimpleType;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.function.BiFunction;
import java.util.function.LongPredicate;
import java.util.function.LongSupplier;
import java.util.stream.Collectors;

/**
 * A checked expression as a chain of calls. It comes to what the library's interpreter makes of it, as a test compares, at a
 * tenth of the time: expanding a service over thousands of places is mostly expressions. Covers what models are made of;
 * for an expression with anything else in it there is none, and the interpreter is asked.
 */
@FunctionalInterface
interface CompiledExpression {

    /** Rounds of a comprehension together with all those in it. */
    int MOST_ROUNDS = 1_000_000;

    /**
     * @throws Scope.Faulty where it cannot be worked out for these values
     */
    Object value(Bindings names);

    /**
     * A name bound by a comprehension, and around it those bound before. A value that could not be worked out is its fault.
     *
     * @param rounds how many rounds there were so far; one count for a comprehension and all those in it
     */
    record Link(Bindings around, String name, Object value, int[] rounds) implements Bindings {

        @Override
        public Object find(String wanted) {
            if (!name.equals(wanted)) {
                return around.find(wanted);
            }
            if (value instanceof Scope.Faulty fault) {
                throw fault;
            }
            return value;
        }
    }

    /** A list that a comprehension is filling; seen by nobody until it is full. */
    final class Growing extends ArrayList<Object> {}

    Map<String, Functions> FUNCTIONS = Arrays.stream(Functions.values()).collect(Collectors.toMap(Functions::function, each -> each));

    /** The expression as calls, if all of it is covered. */
    static Optional<CompiledExpression> of(CelAbstractSyntaxTree checked) {
        try {
            return Optional.of(of(checked.getExpr(), checked));
        } catch (NotCovered e) {
            return Optional.empty();
        }
    }

    /** Something in an expression that only the interpreter knows. */
    final class NotCovered extends RuntimeException {
        NotCovered(String what) {
            super(what, null, false, false);
        }
    }

    private static CompiledExpression of(CelExpr node, CelAbstractSyntaxTree checked) {
        return switch (node.getKind()) {
            case CONSTANT -> constant(node);
            case IDENT -> {
                String name = node.ident().name();
                yield names -> found(name, names.find(name));
            }
            case SELECT -> select(of(node.select().operand(), checked), node.select().field(), node.select().testOnly());
            case CALL -> call(node.call(), checked);
            case LIST -> {
                List<CompiledExpression> items = all(node.list().elements(), checked);
                yield names -> values(items, names);
            }
            case MAP -> {
                List<CompiledExpression> keys = all(node.map().entries().stream().map(CelExpr.CelMap.Entry::key).toList(), checked);
                List<CompiledExpression> values = all(node.map().entries().stream().map(CelExpr.CelMap.Entry::value).toList(), checked);
                yield names -> {
                    Map<Object, Object> map = new LinkedHashMap<>();
                    for (int i = 0; i < keys.size(); i++) {
                        map.put(keys.get(i).value(names), values.get(i).value(names));
                    }
                    return map;
                };
            }
            case COMPREHENSION -> comprehension(node.comprehension(), checked);
            default -> throw new NotCovered(node.getKind().name());
        };
    }

    private static Object found(String name, Object value) {
        if (value == null) {
            throw new Scope.Faulty("nothing is named '" + name + "'");
        }
        return value;
    }

    private static List<CompiledExpression> all(List<CelExpr> nodes, CelAbstractSyntaxTree checked) {
        return nodes.stream().map(node -> of(node, checked)).toList();
    }

    private static List<Object> values(List<CompiledExpression> items, Bindings names) {
        return Collections.unmodifiableList(Arrays.asList(array(items, names)));
    }

    private static Object[] array(List<CompiledExpression> items, Bindings names) {
        Object[] values = new Object[items.size()];
        for (int i = 0; i < values.length; i++) {
            values[i] = items.get(i).value(names);
        }
        return values;
    }

    private static CompiledExpression constant(CelExpr node) {
        Object value = switch (node.constant().getKind()) {
            case STRING_VALUE -> node.constant().stringValue();
            case INT64_VALUE -> node.constant().int64Value();
            case BOOLEAN_VALUE -> node.constant().booleanValue();
            default -> throw new NotCovered(node.constant().getKind().name());
        };
        return names -> value;
    }

    private static CompiledExpression select(CompiledExpression operand, String field, boolean testOnly) {
        if (testOnly) {
            return names -> map(operand.value(names)).containsKey(field);
        }
        Values.Reader reader = new Values.Reader(field);
        return names -> {
            Object group = operand.value(names);
            return there(field, group instanceof Values values ? reader.read(values) : map(group).get(field));
        };
    }

    private static Object entry(Map<?, ?> map, Object key) {
        return there(key, map.get(key));
    }

    private static Object there(Object key, Object value) {
        if (value == null) {
            throw new Scope.Faulty("there is no '" + key + "'");
        }
        return value;
    }

    private static Map<?, ?> map(Object value) {
        if (value instanceof Map<?, ?> map) {
            return map;
        }
        throw new Scope.Faulty("'" + value + "' has no fields");
    }

    private static CompiledExpression call(CelCall call, CelAbstractSyntaxTree checked) {
        List<CelExpr> nodes = new ArrayList<>();
        call.target().ifPresent(nodes::add);
        nodes.addAll(call.args());
        Functions own = call.target().isPresent() ? null : FUNCTIONS.get(call.function());
        boolean integers = nodes.stream().allMatch(node -> checked.getType(node.id()).filter(SimpleType.INT::equals).isPresent());
        List<CompiledExpression> args = all(nodes, checked);
        if (own != null) {
            return names -> own.call(array(args, names));
        }
        CompiledExpression first = args.get(0);
        return switch (call.function()) {
            case "_==_" -> two(args, Objects::equals);
            case "_!=_" -> two(args, (one, other) -> !one.equals(other));
            case "_&&_" -> either(args, false);
            case "_||_" -> either(args, true);
            case "!_" -> names -> !truth(first.value(names));
            case "_?_:_" -> names -> args.get(truth(first.value(names)) ? 1 : 2).value(names);
            case "_+_" -> two(args, CompiledExpression::plus);
            case "_-_" -> integers(integers, two(args, (one, other) -> exact(() -> Math.subtractExact((Long) one, (Long) other))));
            case "_<_" -> integers(integers, compared(args, order -> order < 0));
            case "_<=_" -> integers(integers, compared(args, order -> order <= 0));
            case "_>_" -> integers(integers, compared(args, order -> order > 0));
            case "_>=_" -> integers(integers, compared(args, order -> order >= 0));
            case "@in" -> two(args, (item, in) -> in instanceof Map<?, ?> map ? map.containsKey(item) : ((List<?>) in).contains(item));
            case "_[_]" -> two(args, CompiledExpression::at);
            case "size" -> names -> size(first.value(names));
            case "startsWith" -> two(args, (text, start) -> ((String) text).startsWith((String) start));
            case "endsWith" -> two(args, (text, end) -> ((String) text).endsWith((String) end));
            case "contains" -> two(args, (text, part) -> ((String) text).contains((String) part));
            case "indexOf" -> arguments(2, args, two(args, (text, part) -> indexOf((String) text, (String) part)));
            case "substring" -> args.size() == 2 ? two(args, (text, from) -> substring((String) text, (Long) from, Long.MAX_VALUE))
                    : names -> substring((String) first.value(names), (Long) args.get(1).value(names), (Long) args.get(2).value(names));
            case "string" -> integers(integers, names -> first.value(names).toString());
            case "@not_strictly_false" -> names -> {
                try {
                    return first.value(names);
                } catch (Scope.Faulty e) {
                    return true;
                }
            };
            default -> throw new NotCovered(call.function());
        };
    }

    private static CompiledExpression integers(boolean all, CompiledExpression direct) {
        if (!all) {
            throw new NotCovered("an operator that does not take numbers");
        }
        return direct;
    }

    private static CompiledExpression arguments(int count, List<CompiledExpression> args, CompiledExpression direct) {
        if (args.size() != count) {
            throw new NotCovered("a function called in another way");
        }
        return direct;
    }

    private static CompiledExpression two(List<CompiledExpression> args, BiFunction<Object, Object, Object> body) {
        CompiledExpression one = args.get(0);
        CompiledExpression other = args.get(1);
        return names -> body.apply(one.value(names), other.value(names));
    }

    private static CompiledExpression compared(List<CompiledExpression> args, LongPredicate holds) {
        return two(args, (one, other) -> holds.test(Long.compare((Long) one, (Long) other)));
    }

    private static boolean truth(Object value) {
        if (value instanceof Boolean truth) {
            return truth;
        }
        throw new Scope.Faulty("'" + value + "' is neither true nor false");
    }

    /** And, or: where one side decides, it does not matter that the other cannot be worked out. */
    private static CompiledExpression either(List<CompiledExpression> args, boolean decides) {
        CompiledExpression one = args.get(0);
        CompiledExpression other = args.get(1);
        return names -> {
            boolean first;
            try {
                first = truth(one.value(names));
            } catch (Scope.Faulty e) {
                if (truth(other.value(names)) == decides) {
                    return decides;
                }
                throw e;
            }
            return first == decides ? decides : truth(other.value(names));
        };
    }

    private static Object plus(Object one, Object other) {
        if (one instanceof Long number) {
            return exact(() -> Math.addExact(number, (Long) other));
        }
        if (one instanceof String text) {
            return text + other;
        }
        if (one instanceof Growing growing) {
            growing.addAll((List<?>) other);
            return growing;
        }
        List<Object> both = new ArrayList<>((List<?>) one);
        both.addAll((List<?>) other);
        return both;
    }

    private static Object exact(LongSupplier number) {
        try {
            return number.getAsLong();
        } catch (ArithmeticException e) {
            throw new Scope.Faulty("a number gets too large");
        }
    }

    private static Object at(Object container, Object key) {
        if (container instanceof List<?> list) {
            long place = (Long) key;
            if (place < 0 || place >= list.size()) {
                throw new Scope.Faulty("a list of " + list.size() + " has no place " + place);
            }
            return list.get((int) place);
        }
        return entry(map(container), key);
    }

    /** Places in a text are counted in characters as people see them (Unicode code points), as CEL does. */
    private static long indexOf(String text, String part) {
        int place = text.indexOf(part);
        return place < 0 ? place : text.codePointCount(0, place);
    }

    private static String substring(String text, long from, long until) {
        int length = text.codePointCount(0, text.length());
        long end = until == Long.MAX_VALUE ? length : until;
        if (from < 0 || from > end || end > length) {
            throw new Scope.Faulty("'" + text + "' has no part from " + from + " to " + end);
        }
        return text.substring(text.offsetByCodePoints(0, (int) from), text.offsetByCodePoints(0, (int) end));
    }

    private static Object size(Object value) {
        return (long) (value instanceof String text ? text.codePointCount(0, text.length())
                : value instanceof List<?> list ? list.size() : map(value).size());
    }

    private static CompiledExpression comprehension(CelComprehension node, CelAbstractSyntaxTree checked) {
        if (!node.iterVar2().isEmpty()) {
            throw new NotCovered("a comprehension with two names");
        }
        CompiledExpression range = of(node.iterRange(), checked);
        CompiledExpression start = of(node.accuInit(), checked);
        CompiledExpression goesOn = of(node.loopCondition(), checked);
        CompiledExpression step = of(node.loopStep(), checked);
        CompiledExpression result = of(node.result(), checked);
        return names -> {
            Object over = range.value(names);
            Object sum = start.value(names);
            sum = sum instanceof List<?> list && list.isEmpty() ? new Growing() : sum;
            int[] rounds = names instanceof Link link ? link.rounds() : new int[1];
            for (Object item : over instanceof Map<?, ?> map ? map.keySet() : (List<?>) over) {
                if (++rounds[0] > MOST_ROUNDS) {
                    throw new Scope.Faulty("takes more than " + MOST_ROUNDS + " rounds");
                }
                Bindings inside = new Link(new Link(names, node.accuVar(), sum, rounds), node.iterVar(), item, rounds);
                if (!truth(goesOn.value(inside))) {
                    break;
                }
                try {
                    sum = step.value(inside);
                } catch (Scope.Faulty e) {
                    // A later round may decide without this one.
                    sum = e;
                }
            }
            return result.value(new Link(names, node.accuVar(), sum instanceof Growing growing ? Collections.unmodifiableList(growing) : sum, rounds));
        };
    }
}
