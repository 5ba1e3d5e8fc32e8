package rilvan.core.expression;

import com.google.common.collect.ImmutableCollection;
import com.google.common.collect.ImmutableList;
import com.google.common.collect.ImmutableSet;
import dev.cel.common.CelIssue;
import dev.cel.common.CelValidationException;
import dev.cel.common.CelValidationResult;
import dev.cel.common.CelOptions;
import dev.cel.common.types.CelType;
import dev.cel.common.types.CelTypeProvider;
import dev.cel.common.types.ListType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.types.StructType;
import dev.cel.compiler.CelCompilerBuilder;
import dev.cel.compiler.CelCompilerFactory;
import dev.cel.parser.CelStandardMacro;
import dev.cel.runtime.CelEvaluationException;
import dev.cel.runtime.CelRuntime;
import dev.cel.runtime.CelRuntimeFactory;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;

/**
 * What an expression may name and of which type each name is. A misspelt name or field, or a type that does not fit, is
 * found when the model is published, not when a service is ordered.
 */
public final class Scope {

    private static final CelOptions BOUNDS = CelOptions.current().comprehensionMaxIterations(1_000_000).build();
    private static final CelRuntime RUNTIME = runtime();

    private final Map<String, CelType> names;

    private Scope(Map<String, CelType> names) {
        this.names = names;
    }

    /** A compiled expression, and the type of what it yields. */
    public record Expression(String text, CelType type, CelRuntime.Program program) {

        /**
         * @throws Faulty where the evaluation fails, which a published model does only for values its rules should refuse
         */
        public Object evaluate(Map<String, Object> values) {
            try {
                return program.eval(values);
            } catch (CelEvaluationException e) {
                throw new Faulty("=" + text + ": " + (e.getCause() instanceof Faulty own ? own.getMessage() : e.getMessage()));
            }
        }
    }

    /** An expression, or a value with expressions in it, that cannot be compiled or evaluated. */
    public static final class Faulty extends RuntimeException {

        private final String below;

        public Faulty(String message) {
            this(message, "");
        }

        private Faulty(String message, String below) {
            super(message);
            this.below = below;
        }

        /** This fault as one of a field: where it stands is told from one level further up. */
        public Faulty in(String field) {
            return new Faulty(getMessage(), "/" + field + below);
        }

        /** The field at fault, as a JSON Pointer from where the reading began. */
        public String below() {
            return below;
        }
    }

    public static Scope of(Map<String, CelType> names) {
        return new Scope(new LinkedHashMap<>(names));
    }

    /** This scope with one more name. */
    public Scope with(String name, CelType type) {
        Map<String, CelType> more = new LinkedHashMap<>(names);
        more.put(name, type);
        return new Scope(more);
    }

    public Optional<CelType> type(String name) {
        return Optional.ofNullable(names.get(name));
    }

    /**
     * Compiles an expression.
     *
     * @throws Faulty with the position and what is wrong
     */
    public Expression compile(String text) {
        CelCompilerBuilder builder = CelCompilerFactory.standardCelCompilerBuilder()
                .setOptions(BOUNDS)
                .setStandardMacros(CelStandardMacro.STANDARD_MACROS)
                .setTypeProvider(new Structs(names));
        names.forEach(builder::addVar);
        Arrays.stream(Functions.values()).forEach(function -> builder.addFunctionDeclarations(function.declaration()));
        CelValidationResult result = builder.build().compile(text);
        if (result.hasError()) {
            CelIssue issue = result.getErrors().get(0);
            throw new Faulty("=" + text + ": at character " + (issue.getSourceLocation().getColumn() + 1) + ": "
                    + issue.getMessage());
        }
        try {
            return new Expression(text, result.getAst().getResultType(), RUNTIME.createProgram(result.getAst()));
        } catch (CelEvaluationException | CelValidationException e) {
            throw new Faulty("=" + text + ": " + e.getMessage());
        }
    }

    private static CelRuntime runtime() {
        var builder = CelRuntimeFactory.standardCelRuntimeBuilder().setOptions(BOUNDS);
        Arrays.stream(Functions.values()).forEach(function -> builder.addFunctionBindings(function.binding()));
        return builder.build();
    }

    /** Whether a value of one type may stand where another is expected; {@code dyn} fits everything. */
    public static boolean fits(CelType expected, CelType actual) {
        if (expected instanceof ListType list && actual instanceof ListType given) {
            return fits(list.elemType(), given.elemType());
        }
        return expected.equals(SimpleType.DYN) || actual.equals(SimpleType.DYN) || expected.isAssignableFrom(actual)
                || actual.kind().isTypeParam();
    }

    /** Every structure that the names lead to, so that the compiler knows their fields. */
    private record Structs(Map<String, CelType> names) implements CelTypeProvider {
        @Override
        public ImmutableCollection<CelType> types() {
            ImmutableList.Builder<CelType> found = ImmutableList.builder();
            names.values().forEach(type -> collect(type, found));
            return ImmutableSet.copyOf(found.build());
        }

        private static void collect(CelType type, ImmutableList.Builder<CelType> found) {
            if (type instanceof StructType struct) {
                found.add(struct);
                struct.fields().forEach(field -> collect(field.type(), found));
            } else {
                type.parameters().forEach(parameter -> collect(parameter, found));
            }
        }

        @Override
        public Optional<CelType> findType(String typeName) {
            return types().stream().filter(type -> type.name().equals(typeName)).findFirst();
        }
    }
}
