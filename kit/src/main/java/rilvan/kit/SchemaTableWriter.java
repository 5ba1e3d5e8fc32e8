package rilvan.kit;

import com.google.common.collect.Range;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.opendaylight.yangtools.yang.common.QName;
import org.opendaylight.yangtools.yang.common.XMLNamespace;
import org.opendaylight.yangtools.yang.model.api.CaseSchemaNode;
import org.opendaylight.yangtools.yang.model.api.ChoiceSchemaNode;
import org.opendaylight.yangtools.yang.model.api.ContainerSchemaNode;
import org.opendaylight.yangtools.yang.model.api.DataNodeContainer;
import org.opendaylight.yangtools.yang.model.api.DataSchemaNode;
import org.opendaylight.yangtools.yang.model.api.EffectiveModelContext;
import org.opendaylight.yangtools.yang.model.api.IdentitySchemaNode;
import org.opendaylight.yangtools.yang.model.api.LeafListSchemaNode;
import org.opendaylight.yangtools.yang.model.api.LeafSchemaNode;
import org.opendaylight.yangtools.yang.model.api.ListSchemaNode;
import org.opendaylight.yangtools.yang.model.api.Module;
import org.opendaylight.yangtools.yang.model.api.TypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.BinaryTypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.BitsTypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.BooleanTypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.DecimalTypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.EmptyTypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.EnumTypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.IdentityrefTypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.LeafrefTypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.RangeRestrictedTypeDefinition;
import org.opendaylight.yangtools.yang.model.api.type.StringTypeDefinition;
import org.opendaylight.yangtools.yang.model.spi.source.FileYangTextSource;
import org.opendaylight.yangtools.yang.parser.api.YangParser;
import org.opendaylight.yangtools.yang.parser.api.YangParserException;
import org.opendaylight.yangtools.yang.parser.impl.DefaultYangParserFactory;

/** Makes the schema table of a family from its YANG modules (RFC 7950): configuration nodes only, one line a node. */
public final class SchemaTableWriter {

    private static final Range<Integer> ANY_LENGTH = Range.closed(0, Integer.MAX_VALUE);

    private final EffectiveModelContext context;
    private final Map<XMLNamespace, String> prefixes = new LinkedHashMap<>();
    private final StringBuilder table = new StringBuilder();

    private SchemaTableWriter(EffectiveModelContext context) {
        this.context = context;
    }

    /** Modules, or a construct in them, that no table can be made from; the message names the node. */
    public static final class UnsupportedModule extends RuntimeException {
        UnsupportedModule(String message) {
            super(message);
        }
    }

    /**
     * The table of all modules in a folder.
     *
     * @throws IOException where the folder cannot be read
     * @throws YangParserException where the modules are no valid YANG
     * @throws UnsupportedModule where they use what a table cannot say
     */
    public static String write(Path folder) throws IOException, YangParserException {
        YangParser parser = new DefaultYangParserFactory().createParser();
        try (Stream<Path> files = Files.list(folder)) {
            for (Path file : files.filter(path -> path.toString().endsWith(".yang")).sorted().toList()) {
                parser.addSource(new FileYangTextSource(file));
            }
        }
        return new SchemaTableWriter(parser.buildEffectiveModel()).write();
    }

    private String write() {
        table.append("# Made from the family's YANG modules by the authoring kit; edit those, not this.\n");
        List<Module> modules = new ArrayList<>(context.getModules());
        modules.sort((a, b) -> a.getName().compareTo(b.getName()));
        for (Module module : modules) {
            if (prefixes.containsValue(module.getPrefix())) {
                throw new UnsupportedModule("two modules have the prefix " + module.getPrefix());
            }
            prefixes.put(module.getNamespace(), module.getPrefix());
            table.append("namespace ").append(module.getPrefix()).append(' ').append(module.getNamespace()).append('\n');
        }
        for (Module module : modules) {
            children(module, 0, null);
        }
        return table.toString();
    }

    private void children(DataNodeContainer parent, int depth, XMLNamespace namespace) {
        for (DataSchemaNode child : parent.getChildNodes()) {
            if (child.effectiveConfig().orElse(true)) {
                node(child, depth, namespace, "");
            }
        }
    }

    /**
     * Writes one node's line and those below it.
     *
     * @param ofCase the attribute that says which case of a choice the node belongs to; empty where to none
     */
    private void node(DataSchemaNode node, int depth, XMLNamespace parentNamespace, String ofCase) {
        if (node instanceof ChoiceSchemaNode choice) {
            if (!ofCase.isEmpty()) {
                throw new UnsupportedModule(node.getQName().getLocalName() + " is a choice within a choice; tables cannot express that");
            }
            for (CaseSchemaNode each : choice.getCases()) {
                String attribute = " choice=" + choice.getQName().getLocalName() + "/" + each.getQName().getLocalName();
                each.getChildNodes().forEach(child -> node(child, depth, parentNamespace, attribute));
            }
            return;
        }
        QName name = node.getQName();
        table.append("  ".repeat(depth)).append(name.getLocalName());
        if (!name.getNamespace().equals(parentNamespace)) {
            table.append('@').append(prefixes.get(name.getNamespace()));
        }
        if (node instanceof ContainerSchemaNode container) {
            table.append(container.isPresenceContainer() ? " presence" : " container").append(ofCase).append('\n');
            children(container, depth + 1, name.getNamespace());
        } else if (node instanceof ListSchemaNode list) {
            if (list.getKeyDefinition().isEmpty()) {
                throw new UnsupportedModule(name.getLocalName() + " is a list without keys; tables cannot express that");
            }
            table.append(" list ").append(list.getKeyDefinition().stream().map(QName::getLocalName)
                    .collect(Collectors.joining(","))).append(list.isUserOrdered() ? " ordered" : "").append(ofCase).append('\n');
            children(list, depth + 1, name.getNamespace());
        } else if (node instanceof LeafSchemaNode leaf) {
            table.append(" leaf").append(type(leaf.getType(), leaf));
            table.append(leaf.isMandatory() ? " mandatory" : "");
            leaf.getType().getDefaultValue().ifPresent(value -> table.append(" default=").append(quoted(value.toString())));
            table.append(ofCase).append('\n');
        } else if (node instanceof LeafListSchemaNode leafList) {
            table.append(" leaf-list").append(type(leafList.getType(), leafList)).append(leafList.isUserOrdered() ? " ordered" : "")
                    .append(ofCase).append('\n');
        } else {
            throw new UnsupportedModule(name.getLocalName() + " is of a kind that tables cannot express");
        }
    }

    private String type(TypeDefinition<?> type, DataSchemaNode node) {
        if (type instanceof LeafrefTypeDefinition reference) {
            List<DataSchemaNode> target = target(node, reference);
            TypeDefinition<?> targetType = ((LeafSchemaNode) target.get(target.size() - 1)).getType();
            return type(targetType, node) + " refers=/"
                    + target.stream().map(step -> step.getQName().getLocalName()).collect(Collectors.joining("/"));
        }
        if (type instanceof StringTypeDefinition string) {
            StringBuilder text = new StringBuilder(" string");
            string.getLengthConstraint().filter(constraint -> !constraint.getAllowedRanges().encloses(ANY_LENGTH)).ifPresent(constraint -> text.append(" length=").append(
                    constraint.getAllowedRanges().asRanges().stream()
                            .map(range -> range.lowerEndpoint() + ".." + range.upperEndpoint()).collect(Collectors.joining("|"))));
            for (TypeDefinition<?> t = string; t instanceof StringTypeDefinition s; t = t.getBaseType()) {
                s.getPatternConstraints().forEach(constraint ->
                        text.append(" pattern=").append(quoted(constraint.getRegularExpressionString())));
            }
            return text.toString();
        }
        if (type instanceof DecimalTypeDefinition decimal) {
            return " decimal digits=" + decimal.getFractionDigits();
        }
        if (type instanceof RangeRestrictedTypeDefinition<?, ?> number) {
            return " whole range=" + number.getRangeConstraint().orElseThrow().getAllowedRanges().asRanges().stream()
                    .map(range -> range.lowerEndpoint() + ".." + range.upperEndpoint()).collect(Collectors.joining("|"));
        }
        if (type instanceof EnumTypeDefinition names) {
            return " enumeration names=" + names.getValues().stream().map(EnumTypeDefinition.EnumPair::getName)
                    .collect(Collectors.joining("|"));
        }
        if (type instanceof BitsTypeDefinition bits) {
            return " bits names=" + bits.getBits().stream().map(BitsTypeDefinition.Bit::getName).collect(Collectors.joining("|"));
        }
        if (type instanceof IdentityrefTypeDefinition identity) {
            return " identity names=" + identity.getIdentities().stream().flatMap(this::derived).distinct().sorted()
                    .collect(Collectors.joining("|"));
        }
        if (type instanceof BinaryTypeDefinition) {
            return " binary";
        }
        if (type instanceof BooleanTypeDefinition) {
            return " boolean";
        }
        if (type instanceof EmptyTypeDefinition) {
            return " empty";
        }
        throw new UnsupportedModule(node.getQName().getLocalName() + " has the type " + type.getQName().getLocalName()
                + ", which tables cannot express");
    }

    /** The names of all identities derived from one (RFC 7950 §7.18). */
    private Stream<String> derived(IdentitySchemaNode base) {
        return context.getDerivedIdentities(base).stream()
                .flatMap(each -> Stream.concat(Stream.of(each.getQName().getLocalName()), derived(each)));
    }

    /** The absolute path of a reference's target; relative references are not supported. */
    private List<DataSchemaNode> target(DataSchemaNode node, LeafrefTypeDefinition reference) {
        String path = reference.getPathStatement().getOriginalString();
        if (!path.startsWith("/")) {
            throw new UnsupportedModule(node.getQName().getLocalName() + " refers by a relative path; use an absolute one");
        }
        List<DataSchemaNode> target = new ArrayList<>();
        DataNodeContainer at = null;
        for (String part : path.substring(1).split("/")) {
            String[] names = part.split(":");
            Optional<DataSchemaNode> next = (at == null ? context.getModules().stream() : Stream.of(at))
                    .flatMap(container -> container.getChildNodes().stream()).flatMap(SchemaTableWriter::withoutChoices)
                    .filter(child -> child.getQName().getLocalName().equals(names[names.length - 1]))
                    .findFirst().map(DataSchemaNode.class::cast);
            DataSchemaNode found = next.orElseThrow(() -> new UnsupportedModule(path + " leads nowhere"));
            target.add(found);
            at = found instanceof DataNodeContainer container ? container : null;
        }
        return target;
    }

    /** Choices and cases are no nodes of a configuration (RFC 7950 §7.9); what stands in them is. */
    private static Stream<DataSchemaNode> withoutChoices(DataSchemaNode node) {
        return node instanceof ChoiceSchemaNode choice ? choice.getCases().stream().flatMap(each -> each.getChildNodes().stream())
                .flatMap(SchemaTableWriter::withoutChoices) : Stream.of(node);
    }

    private static String quoted(String text) {
        return '"' + text.replace("\\", "\\\\").replace("\"", "\\\"") + '"';
    }
}
