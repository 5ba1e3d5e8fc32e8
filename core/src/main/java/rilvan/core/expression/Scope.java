package rilvan.core.expression;

import com.google.common.collect.ImmutableCollection;
import com.google.common.collect.ImmutableSet;
import dev.cel.checker.CelStandardDeclarations;
import dev.cel.common.CelAbstractSyntaxTree;
import dev.cel.common.CelIssue;
import dev.cel.common.CelOptions;
import dev.cel.common.CelValidationException;
import dev.cel.common.CelValidationResult;
import dev.cel.common.types.CelKind;
import dev.cel.common.types.CelType;
import dev.cel.common.types.CelTypeProvider;
import dev.cel.common.types.ListType;
import dev.cel.common.types.MapType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.types.StructType;
import dev.cel.compiler.CelCompiler;
import dev.cel.compiler.CelCompilerBuilder;
import dev.cel.compiler.CelCompilerFactory;
import dev.cel.extensions.CelExtensions;
import dev.cel.parser.CelStandardMacro;
import dev.cel.runtime.CelEvaluationException;
import dev.cel.runtime.CelRuntime;
import dev.cel.runtime.CelRuntimeFactory;
import java.util.Arrays;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Stream;
import rilvan.core.document.KnownNames;

/**
 * What an expression may name and of which type each name is. A misspelt name or field, or a type that does not fit, is
 * found when the model is published, not when a service is ordered.
 */
public final class Scope {

    private static final CelOptions BOUNDS = CelOptions.current().comprehensionMaxIterations(1_000_000).build();
    private static final CelRuntime RUNTIME = runtime();
    /** Kinds of value that no model has, so that compilations need not look at their operators. */
    private static final Set<CelKind> UNUSED = Set.of(CelKind.DOUBLE, CelKind.UINT, CelKind.BYTES, CelKind.TIMESTAMP, CelKind.DURATION);
    private static final CelStandardDeclarations OPERATORS = CelStandardDeclarations.newBuilder().filterFunctions((function, overload) ->
            Stream.concat(Stream.of(overload.celOverloadDecl().resultType()), overload.celOverloadDecl().parameterTypes().stream())
                    .noneMatch(type -> UNUSED.contains(type.kind()))).build();
    private static final CelCompiler BASE = CelCompilerFactory.standardCelCompilerBuilder().setOptions(BOUNDS)
            .setStandardEnvironmentEnabled(false).setStandardDeclarations(OPERATORS)
            .setStandardMacros(CelStandardMacro.STANDARD_MACROS).addLibraries(CelExtensions.strings())
            .addFunctionDeclarations(Arrays.stream(Functions.values()).map(Functions::declaration).toList()).build();

    private final Map<String, CelType> names;
    private CelCompiler compiler;

    private Scope(Map<String, CelType> names) {
        this.names = names;
    }

    /** A compiled expression, and the type of what it yields. */
    public static final class Expression {

        private final String text;
        private final CelType type;
        private final CompiledExpression direct;

        private Expression(String text, CelType type, CompiledExpression direct) {
            this.text = text;
            this.type = type;
            this.direct = direct;
        }

        public String text() {
            return text;
        }

        public CelType type() {
            return type;
        }

        /**
         * @throws Faulty where the evaluation fails, which a published model does only for values its rules should refuse
         */
        public Object evaluate(Bindings names) {
            try {
                return direct.value(names);
            } catch (Faulty e) {
                throw new Faulty("=" + text + ": " + e.getMessage());
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

        /** This fault as one of a field: its place is known one level further up. */
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

    /** The functions that expressions may call besides CEL's own. */
    public static List<String> functions() {
        return Arrays.stream(Functions.values()).map(Functions::function).toList();
    }

    /** This scope with one more name. */
    public Scope with(String name, CelType type) {
        Map<String, CelType> more = new LinkedHashMap<>(names);
        more.put(name, type);
        return new Scope(more);
    }

    /** This scope without some names. */
    public Scope without(Collection<String> gone) {
        Map<String, CelType> fewer = new LinkedHashMap<>(names);
        fewer.keySet().removeAll(gone);
        return new Scope(fewer);
    }

    /** What is wrong in a path such as {@code s.bgp.as}, whose first part is a name and whose others are fields; absent where it leads somewhere. */
    public Optional<String> wrongIn(String path) {
        String[] parts = path.split("\\.", -1);
        CelType type = names.get(parts[0]);
        if (type == null) {
            return Optional.of("there is no '" + parts[0] + "'; " + KnownNames.instead(parts[0], names.keySet()));
        }
        for (int i = 1; i < parts.length; i++) {
            String part = parts[i];
            if (type instanceof StructType struct) {
                if (struct.findField(part).isEmpty()) {
                    return Optional.of(parts[i - 1] + " has no field '" + part + "'; " + KnownNames.instead(part, struct.fieldNames()));
                }
                type = struct.findField(part).get().type();
            } else if (type instanceof ListType || type instanceof SimpleType && !type.equals(SimpleType.DYN)) {
                return Optional.of(parts[i - 1] + " has no fields");
            } else {
                // What comes out of some functions is known when it is worked out.
                type = SimpleType.DYN;
            }
        }
        return Optional.empty();
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
        CelAbstractSyntaxTree checked = check(text);
        return new Expression(text, checked.getResultType(), CompiledExpression.of(checked).orElseGet(() -> interpreted(checked)));
    }

    CelAbstractSyntaxTree check(String text) {
        CelValidationResult result = compiler().compile(text);
        try {
            if (!result.hasError()) {
                return result.getAst();
            }
        } catch (CelValidationException e) {
            throw new Faulty("=" + text + ": " + e.getMessage());
        }
        CelIssue issue = result.getErrors().get(0);
        throw new Faulty("=" + text + ": at character " + (issue.getSourceLocation().getColumn() + 1) + ": " + issue.getMessage());
    }

    /** Worked out by the library's interpreter. */
    static CompiledExpression interpreted(CelAbstractSyntaxTree checked) {
        try {
            CelRuntime.Program program = RUNTIME.createProgram(checked);
            return names -> {
                try {
                    return program.eval(name -> Optional.ofNullable(names.find(name)));
                } catch (CelEvaluationException e) {
                    throw e.getCause() instanceof Faulty own ? own : new Faulty(e.getMessage());
                }
            };
        } catch (CelEvaluationException e) {
            throw new Faulty(e.getMessage());
        }
    }

    /** Made when it is first needed: making one costs more than many compilations. */
    private CelCompiler compiler() {
        if (compiler == null) {
            CelCompilerBuilder builder = BASE.toCompilerBuilder().setTypeProvider(Structs.of(names));
            names.forEach(builder::addVar);
            compiler = builder.build();
        }
        return compiler;
    }

    private static CelRuntime runtime() {
        var builder = CelRuntimeFactory.standardCelRuntimeBuilder().setOptions(BOUNDS)
                .addLibraries(CelExtensions.strings());
        Arrays.stream(Functions.values()).forEach(function -> builder.addFunctionBindings(function.binding()));
        return builder.build();
    }

    /** Whether a value of one type may stand where another is expected; {@code dyn} fits everything, and so does any group of fields. */
    public static boolean fits(CelType expected, CelType actual) {
        if (expected instanceof StructType struct && struct.fieldNames().isEmpty()) {
            return actual instanceof StructType || actual instanceof MapType || actual.equals(SimpleType.DYN);
        }
        if (expected instanceof ListType list && actual instanceof ListType given) {
            return fits(list.elemType(), given.elemType());
        }
        return expected.equals(SimpleType.DYN) || actual.equals(SimpleType.DYN) || expected.isAssignableFrom(actual)
                || actual.kind().isTypeParam();
    }

    /** Every structure that the names lead to, so that the compiler knows their fields. */
    private record Structs(Map<String, CelType> byName) implements CelTypeProvider {

        static Structs of(Map<String, CelType> names) {
            Map<String, CelType> byName = new LinkedHashMap<>();
            names.values().forEach(type -> collect(type, byName));
            return new Structs(byName);
        }

        private static void collect(CelType type, Map<String, CelType> byName) {
            if (type instanceof StructType struct) {
                if (byName.put(struct.name(), struct) == null) {
                    struct.fields().forEach(field -> collect(field.type(), byName));
                }
            } else {
                type.parameters().forEach(parameter -> collect(parameter, byName));
            }
        }

        @Override
        public ImmutableCollection<CelType> types() {
            return ImmutableSet.copyOf(byName.values());
        }

        @Override
        public Optional<CelType> findType(String typeName) {
            return Optional.ofNullable(byName.get(typeName));
        }
    }
}
