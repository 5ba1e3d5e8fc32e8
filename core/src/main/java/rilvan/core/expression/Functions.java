package rilvan.core.expression;

import com.google.common.collect.ImmutableList;
import dev.cel.common.CelFunctionDecl;
import dev.cel.common.CelOverloadDecl;
import dev.cel.common.types.CelType;
import dev.cel.common.types.ListType;
import dev.cel.common.types.MapType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.types.TypeParamType;
import dev.cel.runtime.CelFunctionBinding;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.function.Function;
import rilvan.core.address.Prefix;
import rilvan.core.address.Ranges;

/** The functions that expressions of models may call besides those of CEL itself. */
enum Functions {

    /** The items of a list without repetitions, in the order of their first appearance. */
    DISTINCT("distinct", ListType.create(TypeParamType.create("T")), args -> List.copyOf(new LinkedHashSet<>((List<?>) args[0])),
            ListType.create(TypeParamType.create("T"))),

    /** Whether two prefixes share an address. */
    OVERLAPS("overlaps", SimpleType.BOOL, args -> prefix(args[0]).overlaps(prefix(args[1])),
            SimpleType.STRING, SimpleType.STRING),

    /** Those prefixes of the first list that share an address with one of the second. */
    OVERLAPPING("overlapping", ListType.create(SimpleType.STRING), Functions::overlapping,
            ListType.create(SimpleType.STRING), ListType.create(SimpleType.STRING)),

    /** Whether the address (or prefix) given first lies in the network of the second. */
    INSIDE("inside", SimpleType.BOOL, args -> prefix(args[1]).network().contains(prefix(address(args[0]))),
            SimpleType.STRING, SimpleType.STRING),

    /** The network an interface address lies in: 192.0.2.2/31 → 192.0.2.2/31, 198.51.100.9/24 → 198.51.100.0/24. */
    NETWORK("network", SimpleType.STRING, args -> prefix(args[0]).network().toString(), SimpleType.STRING),

    /** An interface address without its length. */
    ADDRESS("address", SimpleType.STRING, args -> address(args[0]), SimpleType.STRING),

    /** The length of a prefix or interface address, in bits. */
    LENGTH("length", SimpleType.INT, args -> (long) prefix(args[0]).length(), SimpleType.STRING),

    /** Whether a host may have this interface address: not the network's own and not the broadcast one. */
    IS_HOST("isHost", SimpleType.BOOL, args -> prefix(args[0]).isHost(), SimpleType.STRING),

    /** The items of several lists as one list. */
    FLAT("flat", ListType.create(TypeParamType.create("T")),
            args -> ((List<?>) args[0]).stream().flatMap(list -> ((List<?>) list).stream()).toList(),
            ListType.create(ListType.create(TypeParamType.create("T")))),

    /** The items that stand in a list more than once, each once. */
    DUPLICATES("duplicates", ListType.create(TypeParamType.create("T")), Functions::duplicates,
            ListType.create(TypeParamType.create("T"))),

    /**
     * Which of many prefixes share an address with an earlier one. Each text is an owner, a blank and a prefix; the result
     * tells for such a text which other one it clashes with. Prefixes of one owner may overlap.
     */
    CLASHES("clashes", MapType.create(SimpleType.STRING, SimpleType.STRING), args -> Clashes.among(texts(args[0])),
            ListType.create(SimpleType.STRING)),

    /** The numbers that ranges come to: "100-102,110" → [100, 101, 102, 110]. */
    NUMBERS("numbers", ListType.create(SimpleType.INT), args -> Ranges.numbers((String) args[0]), SimpleType.STRING),

    /** 4 or 6: the version of IP that an address or prefix belongs to. */
    FAMILY("family", SimpleType.INT, args -> prefix(args[0]).width() == 32 ? 4L : 6L, SimpleType.STRING),

    /** An address of a prefix counted from its start, with the prefix's length: nth("192.0.2.0/31", 1) → "192.0.2.1/31". */
    NTH("nth", SimpleType.STRING, args -> prefix(args[0]).nth((Long) args[1]).toString(), SimpleType.STRING, SimpleType.INT),

    /** The texts of a list with something between them. */
    JOIN("join", SimpleType.STRING, args -> String.join((String) args[1], texts(args[0])),
            ListType.create(SimpleType.STRING), SimpleType.STRING);

    private final String function;
    private final CelType result;
    private final Function<Object[], Object> body;
    private final List<CelType> arguments;

    Functions(String function, CelType result, Function<Object[], Object> body, CelType... arguments) {
        this.function = function;
        this.result = result;
        this.body = body;
        this.arguments = List.of(arguments);
    }

    CelFunctionDecl declaration() {
        return CelFunctionDecl.newFunctionDeclaration(function,
                CelOverloadDecl.newGlobalOverload("rilvan_" + function, result, arguments));
    }

    CelFunctionBinding binding() {
        List<Class<?>> classes = new ArrayList<>();
        arguments.forEach(argument -> classes.add(argument instanceof ListType ? List.class
                : argument.equals(SimpleType.INT) ? Long.class : String.class));
        return CelFunctionBinding.from("rilvan_" + function, ImmutableList.copyOf(classes), args -> {
            try {
                return body.apply(args);
            } catch (IllegalArgumentException e) {
                // Of the library's own errors only this kind keeps its text.
                throw new Scope.Faulty(function + "(): " + e.getMessage());
            }
        });
    }

    private static List<String> overlapping(Object[] args) {
        List<String> found = new ArrayList<>();
        List<Prefix> others = texts(args[1]).stream().map(Prefix::parse).toList();
        for (String text : texts(args[0])) {
            Prefix prefix = Prefix.parse(text);
            if (others.stream().anyMatch(prefix::overlaps)) {
                found.add(text);
            }
        }
        return found;
    }

    private static List<?> duplicates(Object[] args) {
        Set<Object> seen = new HashSet<>();
        return ((List<?>) args[0]).stream().filter(item -> !seen.add(item)).distinct().toList();
    }

    private static Prefix prefix(Object text) {
        return Prefix.parse((String) text);
    }

    private static String address(Object text) {
        return prefix(text).address();
    }

    @SuppressWarnings("unchecked")
    private static List<String> texts(Object list) {
        return (List<String>) list;
    }
}
