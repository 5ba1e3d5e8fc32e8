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
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.LongStream;
import rilvan.core.address.Prefix;
import rilvan.core.address.Ranges;
import rilvan.core.address.Tags;

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

    /**
     * What keeps an address from being a router's or a host's: multicast, loopback, link-local, unspecified or reserved (RFC 6890); empty
     * where nothing does. Of a prefix its first address counts.
     */
    UNUSABLE("unusable", SimpleType.STRING, args -> unusable(prefix(args[0])), SimpleType.STRING),

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

    /** What a tag text says, by name: tags("110/20") → {kind: double, outer: 110, inner: 20, span: "", number: 1100020}. */
    TAGS("tags", MapType.create(SimpleType.STRING, SimpleType.STRING), args -> Tags.parse((String) args[0]).fields(), SimpleType.STRING),

    /** What a tag text takes of its port, as numbers of the pool of tags: matched("100-101") → [409600, 413696]. */
    MATCHED("matched", ListType.create(SimpleType.INT), args -> Tags.parse((String) args[0]).numbers(), SimpleType.STRING),

    /** How many tags the frames of a tag text carry: tagCount("110/20") → 2. */
    TAG_COUNT("tagCount", SimpleType.INT, args -> (long) Tags.parse((String) args[0]).depth(), SimpleType.STRING),

    /** The sum of a list of numbers. */
    SUM("sum", SimpleType.INT, args -> ((List<?>) args[0]).stream().mapToLong(item -> (Long) item).sum(), ListType.create(SimpleType.INT)),

    /** The smallest number of a list; 0 of an empty one. */
    SMALLEST("smallest", SimpleType.INT, args -> ((List<?>) args[0]).stream().mapToLong(item -> (Long) item).min().orElse(0),
            ListType.create(SimpleType.INT)),

    /** The places of a list's items: places(["a", "b"]) → [0, 1]. */
    PLACES("places", ListType.create(SimpleType.INT), args -> LongStream.range(0, ((List<?>) args[0]).size()).boxed().toList(),
            ListType.create(TypeParamType.create("T"))),

    /**
     * Entries of a filter that never decide, because an earlier one always does. Each text is a prefix, a blank and the length
     * up to which longer prefixes count; the result tells for the place of such an entry (as a text) the place of the other.
     */
    SHADOWED("shadowed", MapType.create(SimpleType.STRING, SimpleType.INT), args -> shadowed(texts(args[0])),
            ListType.create(SimpleType.STRING)),

    /** 4 or 6: the version of IP that an address or prefix belongs to. */
    FAMILY("family", SimpleType.INT, args -> prefix(args[0]).width() == 32 ? 4L : 6L, SimpleType.STRING),

    /** An address of a prefix counted from its start, with the prefix's length: nth("192.0.2.0/31", 1) → "192.0.2.1/31". */
    NTH("nth", SimpleType.STRING, args -> prefix(args[0]).nth((Long) args[1]).toString(), SimpleType.STRING, SimpleType.INT),

    /** Items that have the same key, each group in the order of the items: grouped([1, 2, 3], ["a", "b", "a"]) → [[1, 3], [2]]. */
    GROUPED("grouped", ListType.create(ListType.create(TypeParamType.create("T"))), Functions::grouped, ListType.create(TypeParamType.create("T")), ListType.create(SimpleType.STRING)),

    /**
     * Pairs of a list's items, each item first once and second once; which ones follows from a number: neighbours(["a", "b", "c"], 0) →
     * [["a", "b"], ["b", "c"], ["c", "a"]]. None where there is only one item.
     */
    NEIGHBOURS("neighbours", ListType.create(ListType.create(TypeParamType.create("T"))), args -> neighbours((List<?>) args[0], (Long) args[1]), ListType.create(TypeParamType.create("T")), SimpleType.INT),

    /**
     * Pairs of items of different groups, in both directions, so that each item is in at least one; which ones follows from a number:
     * across([["a"], ["b", "c"]], 0) → [["a", "b"], ["b", "a"], ["c", "a"], ["a", "c"]].
     */
    ACROSS("across", ListType.create(ListType.create(TypeParamType.create("T"))), args -> across((List<?>) args[0], (Long) args[1]), ListType.create(ListType.create(TypeParamType.create("T"))), SimpleType.INT),

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

    /** What it is called in expressions. */
    String function() {
        return function;
    }

    CelFunctionDecl declaration() {
        return CelFunctionDecl.newFunctionDeclaration(function,
                CelOverloadDecl.newGlobalOverload("rilvan_" + function, result, arguments));
    }

    CelFunctionBinding binding() {
        List<Class<?>> classes = new ArrayList<>();
        arguments.forEach(argument -> classes.add(argument instanceof ListType ? List.class
                : argument.equals(SimpleType.INT) ? Long.class : String.class));
        return CelFunctionBinding.from("rilvan_" + function, ImmutableList.copyOf(classes), this::call);
    }

    /**
     * @throws Scope.Faulty where it has no result for these arguments
     */
    Object call(Object[] args) {
        try {
            return body.apply(args);
        } catch (IllegalArgumentException e) {
            // Of the library's own errors only this kind keeps its text.
            throw new Scope.Faulty(function + "(): " + e.getMessage());
        }
    }

    private static List<List<?>> grouped(Object[] args) {
        List<?> items = (List<?>) args[0];
        List<?> keys = (List<?>) args[1];
        if (items.size() != keys.size()) {
            throw new IllegalArgumentException(items.size() + " items have " + keys.size() + " keys");
        }
        Map<Object, List<Object>> groups = new LinkedHashMap<>();
        for (int i = 0; i < items.size(); i++) {
            groups.computeIfAbsent(keys.get(i), key -> new ArrayList<>()).add(items.get(i));
        }
        return List.copyOf(groups.values());
    }

    private static List<List<?>> neighbours(List<?> items, long sampleSeed) {
        List<List<?>> pairs = new ArrayList<>();
        for (int i = 0; i < items.size() && items.size() > 1; i++) {
            pairs.add(List.of(items.get(i), items.get((i + 1 + Math.floorMod(sampleSeed, items.size() - 1)) % items.size())));
        }
        return pairs;
    }

    private static List<List<?>> across(List<?> all, long sampleSeed) {
        List<List<?>> groups = all.stream().<List<?>>map(group -> (List<?>) group).filter(group -> !group.isEmpty()).toList();
        Set<List<?>> pairs = new LinkedHashSet<>();
        for (int g = 0; g < groups.size() && groups.size() > 1; g++) {
            List<?> other = groups.get((g + 1 + Math.floorMod(sampleSeed, groups.size() - 1)) % groups.size());
            for (int i = 0; i < groups.get(g).size(); i++) {
                Object there = other.get(Math.floorMod(i + sampleSeed, other.size()));
                pairs.add(List.of(groups.get(g).get(i), there));
                pairs.add(List.of(there, groups.get(g).get(i)));
            }
        }
        return List.copyOf(pairs);
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

    private static Map<String, Object> shadowed(List<String> entries) {
        Map<String, Object> shadowed = new LinkedHashMap<>();
        for (int i = 0; i < entries.size(); i++) {
            for (int j = 0; j < i && !shadowed.containsKey(Integer.toString(i)); j++) {
                String[] late = entries.get(i).split(" ");
                String[] early = entries.get(j).split(" ");
                if (prefix(early[0]).contains(prefix(late[0])) && Integer.parseInt(early[1]) >= Integer.parseInt(late[1])
                        && (prefix(early[0]).length() == prefix(late[0]).length() || prefix(late[0]).length() <= Integer.parseInt(early[1]))) {
                    shadowed.put(Integer.toString(i), (long) j);
                }
            }
        }
        return shadowed;
    }

    private static final Map<Prefix, String> UNUSABLE_RANGES = new LinkedHashMap<>();

    static {
        UNUSABLE_RANGES.put(Prefix.parse("0.0.0.0/8"), "an unspecified address");
        UNUSABLE_RANGES.put(Prefix.parse("127.0.0.0/8"), "a loopback address");
        UNUSABLE_RANGES.put(Prefix.parse("169.254.0.0/16"), "a link-local address");
        UNUSABLE_RANGES.put(Prefix.parse("224.0.0.0/4"), "a multicast address");
        UNUSABLE_RANGES.put(Prefix.parse("240.0.0.0/4"), "a reserved address");
        UNUSABLE_RANGES.put(Prefix.parse("::/128"), "an unspecified address");
        UNUSABLE_RANGES.put(Prefix.parse("::1/128"), "a loopback address");
        UNUSABLE_RANGES.put(Prefix.parse("fe80::/10"), "a link-local address");
        UNUSABLE_RANGES.put(Prefix.parse("ff00::/8"), "a multicast address");
    }

    private static String unusable(Prefix address) {
        Prefix first = Prefix.parse(address.address());
        // A default route is no address.
        return address.length() == 0 ? "" : UNUSABLE_RANGES.entrySet().stream().filter(range -> range.getKey().width() == first.width()
                && range.getKey().overlaps(first)).map(Map.Entry::getValue).findFirst().orElse("");
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
