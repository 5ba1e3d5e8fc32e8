package rilvan.core.expression;

import com.google.common.collect.ImmutableList;
import dev.cel.common.CelFunctionDecl;
import dev.cel.common.CelOverloadDecl;
import dev.cel.common.types.CelType;
import dev.cel.common.types.ListType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.types.TypeParamType;
import dev.cel.runtime.CelFunctionBinding;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.function.Function;
import rilvan.core.network.Prefix;

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
        arguments.forEach(argument -> classes.add(argument instanceof ListType ? List.class : String.class));
        return CelFunctionBinding.from("rilvan_" + function, ImmutableList.copyOf(classes), body::apply);
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
