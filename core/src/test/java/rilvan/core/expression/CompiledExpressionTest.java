package rilvan.core.expression;

import static org.assertj.core.api.Assertions.assertThat;

import dev.cel.common.CelAbstractSyntaxTree;
import dev.cel.common.types.ListType;
import dev.cel.common.types.MapType;
import dev.cel.common.types.SimpleType;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** What an expression comes to is what the library's interpreter says it comes to. */
class CompiledExpressionTest {

    private static final Bindings VALUES = Map.<String, Object>of(
            "n", 7L, "m", -3L, "huge", Long.MAX_VALUE, "yes", true, "text", "haven", "none", List.of(),
            "names", List.of("a", "b", "a"), "numbers", List.of(3L, 1L, 2L), "by", Map.of("a", 1L, "b", 2L))::get;
    private static final Scope SCOPE = Scope.of(Map.of("n", SimpleType.INT, "m", SimpleType.INT, "huge", SimpleType.INT, "yes", SimpleType.BOOL,
            "text", SimpleType.STRING, "none", ListType.create(SimpleType.STRING), "names", ListType.create(SimpleType.STRING),
            "numbers", ListType.create(SimpleType.INT), "by", MapType.create(SimpleType.STRING, SimpleType.INT)));

    @ParameterizedTest
    @ValueSource(strings = {
        "n", "text", "'x'", "7", "true", "[n, m]", "{'a': n, text: m}", "by.a", "by['b']", "by.c", "by['c']", "has(by.a)", "has(by.c)",
        "n == 7", "n != m", "names == ['a', 'b', 'a']", "by == {'b': 2, 'a': 1}", "n < m", "n <= 7", "n > m", "n >= 8", "!yes",
        "yes && n > 3", "yes || by.c == 1", "by.c == 1 || yes", "by.c == 1 && yes", "by.c == 1 && !yes", "by.c == 1 || !yes",
        "yes ? n : m", "yes ? n : by.c", "n + m", "n - m", "huge + n", "m - huge", "text + '-pe1'", "names + none", "names + ['c']",
        "'a' in names", "'z' in names", "'a' in by", "numbers[1]", "numbers[3]", "numbers[m]", "size(text)", "names.size()", "size(by)", "string(n)",
        "names.map(x, x + '!')", "names.filter(x, x != 'a')", "names.filter(x, x != 'a').map(x, by[x])", "names.exists(x, x == 'b')",
        "names.all(x, x == 'a')", "names.exists(x, by[x] == 1)", "['c', 'a'].exists(x, by[x] == 1)", "['c', 'b'].all(x, by[x] == 1)",
        "names.exists_one(x, x == 'b')", "by.map(k, k + text)", "none.map(x, x)", "none.all(x, x == 'a')", "numbers.map(x, names.map(y, y))",
        "names.map(x, x) + names.map(x, x)", "distinct(names)", "distinct(names).map(x, by[x] + n)", "sum(numbers)", "numbers('1-3')",
        "text.startsWith('ha')", "text.endsWith('ha')", "text.contains('ave')", "text.indexOf('v')", "text.indexOf('z')",
        "text.substring(2)", "text.substring(5)", "text.substring(6)", "text.substring(1, 3)", "text.substring(3, 1)", "text.substring(m)",
        "'a\uD83D\uDE42b'.substring(2)", "'a\uD83D\uDE42b'.indexOf('b')", "names.filter(x, x.startsWith('a'))", "overlaps('192.0.2.0/24', '192.0.2.128/25')", "network('no prefix')", "tags('110/20')", "nth('192.0.2.0/31', 1)"
    })
    void comesToTheSame(String text) {
        CelAbstractSyntaxTree checked = SCOPE.check(text);
        CompiledExpression direct = CompiledExpression.of(checked).orElseThrow(() -> new AssertionError(text + " is not covered"));
        Optional<Object> expected = value(Scope.interpreted(checked));
        assertThat(value(direct)).as(text).isEqualTo(expected);
        assertThat(value(direct)).as("%s, once more", text).isEqualTo(expected);
    }

    @ParameterizedTest
    @ValueSource(strings = {"text < 'z'", "text.indexOf('a', 2)", "int('7')", "n / m", "names.filter(x, x < 'b')"})
    void whatIsNotCoveredIsLeftToTheInterpreter(String text) {
        assertThat(CompiledExpression.of(SCOPE.check(text))).isEmpty();
        assertThat(SCOPE.compile(text).evaluate(VALUES)).isNotNull();
    }

    @Test
    void loopsAreBounded() {
        Scope scope = Scope.of(Map.of("many", ListType.create(SimpleType.INT)));
        List<Long> many = java.util.stream.LongStream.range(0, 200).boxed().toList();
        Scope.Expression nested = scope.compile("many.all(a, many.all(b, many.all(c, many.all(d, true))))");
        assertThat(org.junit.jupiter.api.Assertions.assertThrows(Scope.Faulty.class, () -> nested.evaluate(name -> many)))
                .hasMessageContaining("rounds");
    }

    /** What it comes to; nothing where it cannot be worked out. */
    private static Optional<Object> value(CompiledExpression direct) {
        try {
            return Optional.of(direct.value(VALUES));
        } catch (Scope.Faulty e) {
            return Optional.empty();
        }
    }
}
