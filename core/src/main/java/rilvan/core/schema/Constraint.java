package rilvan.core.schema;

import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** What must hold where a node is (RFC 7950 §7.5.3, §7.21.5, §7.8.3). */
public sealed interface Constraint {

    /** The names of the nodes whose change may make it fail; {@code *} stands for any. */
    Set<String> names();

    /**
     * An expression of XPath 1.0 without prefixes that is true wherever the node is.
     *
     * @param says what is wrong where it is not; empty where the module does not say it
     */
    record Must(String expression, String says) implements Constraint {
        @Override
        public Set<String> names() {
            return Expression.names(expression);
        }
    }

    /**
     * The node is there only where an expression is true.
     *
     * @param ofParent whether it is worked out for the node's parent and not for the node itself
     */
    record When(String expression, boolean ofParent) implements Constraint {
        @Override
        public Set<String> names() {
            return Expression.names(expression);
        }
    }

    /** No two entries of the list have the same values in all of these leaves, each by its names from the entry on. */
    record Unique(List<List<String>> leaves) implements Constraint {
        @Override
        public Set<String> names() {
            Set<String> names = new TreeSet<>();
            leaves.forEach(names::addAll);
            return names;
        }
    }

    /** Which expressions of modules can be worked out: XPath 1.0 and {@code current()} (RFC 7950 §10.1.1). */
    final class Expression {

        private static final Pattern LITERAL = Pattern.compile("'[^']*'|\"[^\"]*\"");
        private static final Pattern CALL = Pattern.compile("([A-Za-z][\\w.-]*)\\s*\\(");
        private static final Pattern PREFIX = Pattern.compile("[A-Za-z_][\\w.-]*:(?=[A-Za-z_*])");
        private static final Pattern NAME = Pattern.compile("[A-Za-z_][\\w.-]*|\\*");
        private static final Set<String> KNOWN = Set.of("current", "last", "position", "count", "name", "local-name", "string", "concat", "starts-with", "contains", "substring-before",
                "substring-after", "substring", "string-length", "normalize-space", "translate", "boolean", "not", "true", "false", "number", "sum", "floor", "ceiling", "round",
                "and", "or", "div", "mod", "text", "node", "comment");

        private Expression() {}

        /** The functions of an expression that cannot be worked out here, by name. */
        public static Set<String> unknown(String expression) {
            Set<String> unknown = new TreeSet<>();
            CALL.matcher(LITERAL.matcher(expression).replaceAll("''")).results().map(call -> call.group(1)).filter(name -> !KNOWN.contains(name)).forEach(unknown::add);
            return unknown;
        }

        /** The expression without prefixes: siblings differ in their local names. */
        public static String withoutPrefixes(String expression) {
            StringBuilder plain = new StringBuilder();
            Matcher literal = LITERAL.matcher(expression);
            int from = 0;
            while (literal.find()) {
                plain.append(PREFIX.matcher(expression.substring(from, literal.start())).replaceAll("")).append(literal.group());
                from = literal.end();
            }
            return plain.append(PREFIX.matcher(expression.substring(from)).replaceAll("")).toString().strip().replaceAll("\\s+", " ");
        }

        static Set<String> names(String expression) {
            Set<String> names = new TreeSet<>();
            NAME.matcher(LITERAL.matcher(expression).replaceAll("''")).results().forEach(name -> names.add(name.group()));
            return names;
        }
    }
}
