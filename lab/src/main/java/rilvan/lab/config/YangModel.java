package rilvan.lab.config;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.opendaylight.yangtools.yang.common.QName;
import org.opendaylight.yangtools.yang.data.impl.codec.TypeDefinitionAwareCodec;
import org.opendaylight.yangtools.yang.model.api.ChoiceSchemaNode;
import org.opendaylight.yangtools.yang.model.api.ContainerSchemaNode;
import org.opendaylight.yangtools.yang.model.api.DataNodeContainer;
import org.opendaylight.yangtools.yang.model.api.DataSchemaNode;
import org.opendaylight.yangtools.yang.model.api.EffectiveModelContext;
import org.opendaylight.yangtools.yang.model.api.LeafListSchemaNode;
import org.opendaylight.yangtools.yang.model.api.LeafSchemaNode;
import org.opendaylight.yangtools.yang.model.api.ListSchemaNode;
import org.opendaylight.yangtools.yang.model.api.Module;
import org.opendaylight.yangtools.yang.model.api.RpcDefinition;
import org.opendaylight.yangtools.yang.model.api.TypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.LeafrefTypeDefinition;
import org.opendaylight.yangtools.yang.model.spi.source.FileYangTextSource;
import org.opendaylight.yangtools.yang.parser.api.YangParser;
import org.opendaylight.yangtools.yang.parser.api.YangParserException;
import org.opendaylight.yangtools.yang.parser.impl.DefaultYangParserFactory;

/** A family's YANG modules (RFC 7950): which nodes there are, what a value may be, what a whole configuration must hold. */
public final class YangModel {

    private final EffectiveModelContext context;
    private final List<DataSchemaNode> roots = new ArrayList<>();
    // All devices of the family ask at the same time.
    private final Map<DataSchemaNode, List<DataSchemaNode>> children = new ConcurrentHashMap<>();
    private final Map<TypeDefinition<?>, Optional<TypeDefinitionAwareCodec<Object, ?>>> codecs = new ConcurrentHashMap<>();

    private final Map<String, String> texts;

    private YangModel(EffectiveModelContext context, Map<String, String> texts) {
        this.context = context;
        this.texts = texts;
        context.getModules().stream().sorted((a, b) -> a.getName().compareTo(b.getName()))
                .forEach(module -> module.getChildNodes().forEach(node -> withoutChoices(node).forEach(roots::add)));
    }

    /** Reads all modules of a folder. */
    public static YangModel read(Path folder) throws IOException, YangParserException {
        YangParser parser = new DefaultYangParserFactory().createParser();
        Map<String, String> texts = new HashMap<>();
        try (Stream<Path> files = Files.list(folder)) {
            for (Path file : files.filter(path -> path.toString().endsWith(".yang")).sorted().toList()) {
                parser.addSource(new FileYangTextSource(file));
                texts.put(file.getFileName().toString().replaceFirst("\\.yang$", ""), Files.readString(file));
            }
        }
        return new YangModel(parser.buildEffectiveModel(), texts);
    }

    /** Namespace and revision of every module, for the hello (RFC 6020 §5.6.4). */
    public List<String> capabilities() {
        return context.getModules().stream().map(module -> module.getNamespace() + "?module=" + module.getName()
                + module.getRevision().map(revision -> "&amp;revision=" + revision).orElse("")).sorted().toList();
    }

    /** The text of a module, by its name (RFC 6022 §3.1). */
    public Optional<String> text(String module) {
        return Optional.ofNullable(texts.get(module));
    }

    /** The nodes that may stand below another; the top-level ones where it is absent. */
    List<DataSchemaNode> childrenOf(Optional<DataSchemaNode> parent) {
        return parent.map(node -> children.computeIfAbsent(node, known -> known instanceof DataNodeContainer container
                ? container.getChildNodes().stream().<DataSchemaNode>flatMap(YangModel::withoutChoices).toList() : List.of())).orElse(roots);
    }

    /** Choices and cases are no nodes of a configuration (RFC 7950 §7.9); what stands in them is. */
    private static Stream<DataSchemaNode> withoutChoices(DataSchemaNode node) {
        return node instanceof ChoiceSchemaNode choice ? choice.getCases().stream().flatMap(each -> each.getChildNodes().stream())
                .flatMap(YangModel::withoutChoices) : Stream.of(node);
    }

    /** The cases of choices, by the names of the nodes in them, of what stands below a node. */
    private static List<List<Set<String>>> choices(Optional<DataSchemaNode> parent) {
        List<List<Set<String>>> found = new ArrayList<>();
        if (parent.isPresent() && parent.get() instanceof DataNodeContainer container) {
            for (DataSchemaNode node : container.getChildNodes()) {
                if (node instanceof ChoiceSchemaNode choice) {
                    List<Set<String>> cases = new ArrayList<>();
                    choice.getCases().forEach(each -> cases.add(each.getChildNodes().stream().flatMap(YangModel::withoutChoices)
                            .map(child -> child.getQName().getLocalName()).collect(Collectors.toSet())));
                    found.add(cases);
                }
            }
        }
        return found;
    }

    /** What belongs to other cases of the choice that a node is in: it goes when the node comes (RFC 7950 §7.9). */
    static Set<String> otherCases(Optional<DataSchemaNode> parent, DataSchemaNode node) {
        String name = node.getQName().getLocalName();
        return choices(parent).stream().filter(cases -> cases.stream().anyMatch(each -> each.contains(name)))
                .flatMap(cases -> cases.stream().filter(each -> !each.contains(name))).flatMap(Set::stream).collect(Collectors.toSet());
    }

    static boolean isUserOrdered(DataSchemaNode node) {
        return node instanceof ListSchemaNode list && list.isUserOrdered() || node instanceof LeafListSchemaNode leafList && leafList.isUserOrdered();
    }

    Optional<DataSchemaNode> child(Optional<DataSchemaNode> parent, String namespace, String name) {
        return childrenOf(parent).stream().filter(node -> node.getQName().getLocalName().equals(name)
                && node.getQName().getNamespace().toString().equals(namespace)).findFirst();
    }

    /** An operation of the family's own. */
    public Optional<RpcDefinition> operation(String namespace, String name) {
        return context.getModules().stream().map(Module::getRpcs).flatMap(rpcs -> rpcs.stream().map(RpcDefinition.class::cast))
                .filter(rpc -> rpc.getQName().getLocalName().equals(name) && rpc.getQName().getNamespace().toString().equals(namespace))
                .findFirst();
    }

    static List<String> keys(DataSchemaNode node) {
        return node instanceof ListSchemaNode list ? list.getKeyDefinition().stream().map(QName::getLocalName).toList() : List.of();
    }

    static boolean hasValue(DataSchemaNode node) {
        return node instanceof LeafSchemaNode || node instanceof LeafListSchemaNode;
    }

    static boolean isPlainContainer(DataSchemaNode node) {
        return node instanceof ContainerSchemaNode container && !container.isPresenceContainer();
    }

    /**
     * The canonical form of a leaf's value.
     *
     * @throws RpcError invalid-value where its type does not allow it
     */
    String value(DataSchemaNode node, String text, String path) {
        TypeDefinition<?> type = type(node);
        Optional<TypeDefinitionAwareCodec<Object, ?>> codec = codecs.computeIfAbsent(type, wanted ->
                Optional.ofNullable(TypeDefinitionAwareCodec.from(wanted)));
        try {
            return codec.isEmpty() ? text : codec.get().serialize(codec.get().deserialize(text.strip()));
        } catch (IllegalArgumentException e) {
            throw RpcError.application("invalid-value", path, "'" + text + "' is not valid here: " + e.getMessage());
        }
    }

    private TypeDefinition<?> type(DataSchemaNode node) {
        TypeDefinition<?> type = node instanceof LeafSchemaNode leaf ? leaf.getType() : ((LeafListSchemaNode) node).getType();
        return type instanceof LeafrefTypeDefinition reference ? type(target(reference).get(target(reference).size() - 1)) : type;
    }

    private List<DataSchemaNode> target(LeafrefTypeDefinition reference) {
        List<DataSchemaNode> nodes = new ArrayList<>();
        Optional<DataSchemaNode> at = Optional.empty();
        for (String part : reference.getPathStatement().getOriginalString().substring(1).split("/")) {
            String name = part.substring(part.indexOf(':') + 1);
            at = childrenOf(at).stream().filter(node -> node.getQName().getLocalName().equals(name)).findFirst();
            nodes.add(at.orElseThrow());
        }
        return nodes;
    }

    /**
     * Checks a whole configuration: mandatory leaves and references (RFC 7950 §8.1).
     *
     * @throws RpcError naming the first node at fault
     */
    public void validate(Item config) {
        validate(config, config, Optional.empty(), "");
    }

    private void validate(Item config, Item item, Optional<DataSchemaNode> schema, String path) {
        for (DataSchemaNode wanted : childrenOf(schema)) {
            String name = wanted.getQName().getLocalName();
            if (wanted instanceof LeafSchemaNode leaf && leaf.isMandatory() && item.child(name).isEmpty()) {
                throw RpcError.application("data-missing", path, "the mandatory " + name + " is missing");
            }
        }
        for (Item child : item.children()) {
            DataSchemaNode node = child(schema, child.namespace(), child.name()).orElseThrow();
            String at = path + "/" + step(node, child);
            TypeDefinition<?> type = node instanceof LeafSchemaNode leaf ? leaf.getType()
                    : node instanceof LeafListSchemaNode list ? list.getType() : null;
            if (type instanceof LeafrefTypeDefinition reference && !values(config, target(reference)).contains(child.text())) {
                throw RpcError.application("data-missing", at, "'" + child.text() + "' does not exist: "
                        + reference.getPathStatement().getOriginalString() + " has no such value");
            }
            validate(config, child, Optional.of(node), at);
        }
    }

    private static Set<String> values(Item config, List<DataSchemaNode> target) {
        List<Item> items = List.of(config);
        for (DataSchemaNode node : target) {
            items = items.stream().flatMap(item -> item.all(node.getQName().getLocalName()).stream()).toList();
        }
        Set<String> values = new HashSet<>();
        items.forEach(item -> values.add(item.text()));
        return values;
    }

    /** A configuration as a device shows it that leaves out what is the default (RFC 6243 §2.2). */
    public Item withoutDefaults(Item config) {
        return withoutDefaults(config, Optional.empty());
    }

    private Item withoutDefaults(Item item, Optional<DataSchemaNode> schema) {
        List<Item> shown = new ArrayList<>();
        List<String> keys = schema.map(YangModel::keys).orElse(List.of());
        for (Item child : item.children()) {
            DataSchemaNode node = child(schema, child.namespace(), child.name()).orElseThrow();
            boolean isDefault = node instanceof LeafSchemaNode leaf && !keys.contains(child.name())
                    && leaf.getType().getDefaultValue().filter(value -> value.toString().equals(child.text())).isPresent();
            if (!isDefault) {
                shown.add(withoutDefaults(child, Optional.of(node)));
            }
        }
        return item.withChildren(shown);
    }

    /** One step of an instance's path, with its keys (RFC 7950 §9.13). */
    static String step(DataSchemaNode node, Item item) {
        StringBuilder step = new StringBuilder(item.name());
        keys(node).forEach(key -> step.append('[').append(key).append("='").append(item.leaf(key)).append("']"));
        return step.toString();
    }
}
