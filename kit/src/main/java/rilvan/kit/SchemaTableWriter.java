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
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.regex.Pattern;
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
import org.opendaylight.yangtools.yang.model.api.EffectiveStatementEquivalent;
import org.opendaylight.yangtools.yang.model.api.IdentitySchemaNode;
import org.opendaylight.yangtools.yang.model.api.LeafListSchemaNode;
import org.opendaylight.yangtools.yang.model.api.LeafSchemaNode;
import org.opendaylight.yangtools.yang.model.api.ListSchemaNode;
import org.opendaylight.yangtools.yang.model.api.Module;
import org.opendaylight.yangtools.yang.model.api.MustConstraintAware;
import org.opendaylight.yangtools.yang.model.api.MustDefinition;
import org.opendaylight.yangtools.yang.model.api.TypeDefinition;
import org.opendaylight.yangtools.yang.model.api.meta.EffectiveStatement;
import org.opendaylight.yangtools.yang.model.api.stmt.WhenEffectiveStatement;
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
import org.opendaylight.yangtools.yang.model.spi.source.URLYangTextSource;
import org.opendaylight.yangtools.yang.parser.api.YangParser;
import org.opendaylight.yangtools.yang.parser.api.YangParserException;
import org.opendaylight.yangtools.yang.parser.impl.DefaultYangParserFactory;
import rilvan.core.schema.Constraint;

/** Makes the schema table of a family from its YANG modules (RFC 7950): configuration nodes only, one line a node. */
public final class SchemaTableWriter {

    private static final Range<Integer> ANY_LENGTH = Range.closed(0, Integer.MAX_VALUE);

    /** How a line of a table begins that says what is not carried into it. */
    static final String LEFT = "# Left to the device: ";

    private static final String YANG = ".yang";
    private static final Pattern IMPORT = Pattern.compile("(?m)^\\s*import\\s+([\\w.-]+)");
    /** Modules that many others import: RFC 6991, RFC 7223, RFC 7317, RFC 8341. */
    private static final List<String> STANDARD = List.of("iana-crypt-hash@2014-08-06.yang", "ietf-inet-types@2013-07-15.yang", "ietf-interfaces@2014-05-08.yang",
            "ietf-netconf-acm@2018-02-14.yang", "ietf-yang-types@2013-07-15.yang");

    private final EffectiveModelContext context;
    private final Set<String> own;
    private final Map<XMLNamespace, String> prefixes = new LinkedHashMap<>();
    private final StringBuilder table = new StringBuilder();
    private final List<String> left = new ArrayList<>();

    private SchemaTableWriter(EffectiveModelContext context, Set<String> own) {
        this.context = context;
        this.own = own;
    }

    /** Modules, or a construct in them, that no table can be made from; the message names the node. */
    public static final class UnsupportedModule extends RuntimeException {
        UnsupportedModule(String message) {
            super(message);
        }
    }

    /**
     * The table of all modules in a folder. Standard modules that they import, and that are not in the folder, are taken from those that the kit brings.
     *
     * @throws IOException where the folder cannot be read
     * @throws YangParserException where the modules are no valid YANG
     * @throws UnsupportedModule where they use what a table cannot say
     */
    public static String write(Path folder) throws IOException, YangParserException {
        YangParser parser = new DefaultYangParserFactory().createParser();
        Set<String> known = new TreeSet<>();
        Map<String, Path> imported = new TreeMap<>();
        try (Stream<Path> files = Files.list(folder)) {
            for (Path file : files.filter(path -> path.toString().endsWith(YANG)).sorted().toList()) {
                known.add(moduleName(file.getFileName().toString()));
                IMPORT.matcher(Files.readString(file)).results().forEach(found -> imported.putIfAbsent(found.group(1), file.getFileName()));
                parser.addSource(new FileYangTextSource(file));
            }
        }
        Set<String> own = Set.copyOf(known);
        for (String standard : STANDARD) {
            if (known.add(moduleName(standard))) {
                parser.addLibSource(new URLYangTextSource(SchemaTableWriter.class.getResource("/yang/" + standard)));
            }
        }
        Optional<Map.Entry<String, Path>> missing = imported.entrySet().stream().filter(each -> !known.contains(each.getKey())).findFirst();
        if (missing.isPresent()) {
            throw new UnsupportedModule(missing.get().getValue() + " imports the module " + missing.get().getKey() + ", which is not in " + folder + "; put " + missing.get().getKey() + YANG
                    + " there. The kit itself has " + String.join(", ", STANDARD.stream().map(SchemaTableWriter::moduleName).toList()));
        }
        return new SchemaTableWriter(parser.buildEffectiveModel(), own).write();
    }

    private static String moduleName(String file) {
        return file.replaceFirst("(@[\\d-]+)?\\" + YANG + "$", "");
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
        // Of a module that is only imported, devices have what modules of the family add something to.
        Set<XMLNamespace> ofTheFamily = modules.stream().filter(module -> own.contains(module.getName())).map(Module::getNamespace).collect(Collectors.toSet());
        for (Module module : modules) {
            module.getChildNodes().stream().filter(child -> child.effectiveConfig().orElse(true) && reaches(child, ofTheFamily)).forEach(child -> node(child, 0, null, ""));
        }
        left.stream().distinct().forEach(line -> table.append(line).append('\n'));
        return table.toString();
    }

    private static boolean reaches(DataSchemaNode node, Set<XMLNamespace> namespaces) {
        return namespaces.contains(node.getQName().getNamespace()) || node instanceof DataNodeContainer container && container.getChildNodes().stream().anyMatch(child -> reaches(child, namespaces));
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
                String attribute = " choice=" + choice.getQName().getLocalName() + "/" + each.getQName().getLocalName() + when(choice, " when-parent=") + when(each, " when-parent=");
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
            table.append(container.isPresenceContainer() ? " presence" : " container").append(ofCase).append(constraints(node)).append('\n');
            children(container, depth + 1, name.getNamespace());
        } else if (node instanceof ListSchemaNode list) {
            if (list.getKeyDefinition().isEmpty()) {
                throw new UnsupportedModule(name.getLocalName() + " is a list without keys; tables cannot express that");
            }
            table.append(" list ").append(list.getKeyDefinition().stream().map(QName::getLocalName)
                    .collect(Collectors.joining(","))).append(list.isUserOrdered() ? " ordered" : "").append(ofCase).append(constraints(node)).append(unique(list)).append('\n');
            children(list, depth + 1, name.getNamespace());
        } else if (node instanceof LeafSchemaNode leaf) {
            table.append(" leaf").append(type(leaf.getType(), leaf));
            table.append(leaf.isMandatory() ? " mandatory" : "");
            leaf.getType().getDefaultValue().ifPresent(value -> table.append(" default=").append(quoted(value.toString())));
            table.append(ofCase).append(constraints(node)).append('\n');
        } else if (node instanceof LeafListSchemaNode leafList) {
            table.append(" leaf-list").append(type(leafList.getType(), leafList)).append(leafList.isUserOrdered() ? " ordered" : "")
                    .append(ofCase).append(constraints(node)).append('\n');
        } else {
            throw new UnsupportedModule(name.getLocalName() + " is of a kind that tables cannot express");
        }
    }

    /** What must hold where a node is, as far as it can be worked out before a device is asked; the rest is the device's to judge. */
    private String constraints(DataSchemaNode node) {
        StringBuilder text = new StringBuilder(when(node, " when="));
        if (node instanceof MustConstraintAware aware) {
            for (MustDefinition must : aware.getMustConstraints()) {
                expression(must.asEffectiveStatement().getDeclared().rawArgument(), "must", node).ifPresent(expression -> text.append(" must=").append(quoted(expression))
                        .append(must.getErrorMessage().map(message -> " says=" + quoted(message.strip().replaceAll("\\s+", " "))).orElse("")));
            }
        }
        return text.toString();
    }

    private String when(DataSchemaNode node, String attribute) {
        return statement(node).flatMap(statement -> statement.findFirstEffectiveSubstatement(WhenEffectiveStatement.class))
                .flatMap(when -> expression(when.getDeclared().rawArgument(), "when", node)).map(expression -> attribute + quoted(expression)).orElse("");
    }

    private Optional<String> expression(String written, String statement, DataSchemaNode node) {
        Set<String> unknown = Constraint.Expression.unknown(written);
        if (unknown.isEmpty()) {
            return Optional.of(Constraint.Expression.withoutPrefixes(written));
        }
        left.add(LEFT + "the " + statement + " of " + node.getQName().getLocalName() + ", which uses " + String.join(", ", unknown));
        return Optional.empty();
    }

    private static Optional<EffectiveStatement<?, ?>> statement(DataSchemaNode node) {
        return node instanceof EffectiveStatementEquivalent<?> each ? Optional.of(each.asEffectiveStatement()) : Optional.empty();
    }

    private static String unique(ListSchemaNode list) {
        return list.getUniqueConstraints().stream().map(constraint -> " unique=" + quoted(constraint.argument().stream()
                .map(leaf -> leaf.getNodeIdentifiers().stream().map(QName::getLocalName).collect(Collectors.joining("/"))).collect(Collectors.joining(" ")))).collect(Collectors.joining());
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
