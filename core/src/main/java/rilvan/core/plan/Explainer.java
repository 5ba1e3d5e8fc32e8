package rilvan.core.plan;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.Supplier;
import java.util.stream.Collectors;
import rilvan.core.catalog.Catalog;
import rilvan.core.check.Check;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.NativeLine;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.PlanningSource;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.model.Clause;
import rilvan.core.model.Component;
import rilvan.core.model.Expander;
import rilvan.core.model.Expansion;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceExpansion.Sourced;
import rilvan.core.model.ServiceModel;
import rilvan.core.network.Device;
import rilvan.core.network.Setting;
import rilvan.core.pool.StoredAllocations;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * Explains a managed line: from the node to its owners in the ledger, from an owner to its clause, and from the clause to the parameter and the
 * settings it comes from. The answers are for people; secrets in them are masked.
 */
public final class Explainer {

    /** A part of many lines is explained by the first of them. */
    private static final int MOST_NODES = 40;

    private final Supplier<Catalog> catalog;
    private final PlanningSource source;
    private final StoredAllocations numbers;

    /** @param catalog what is in force, asked each time */
    public Explainer(Supplier<Catalog> catalog, PlanningSource source, StoredAllocations numbers) {
        this.catalog = catalog;
        this.source = source;
        this.numbers = numbers;
    }

    /**
     * A node that was asked about.
     *
     * @param value what it says
     * @param drift what differs where the device does not say what was ordered; empty where it does
     * @param prior what stood there before the first owner; absent where nothing stood there, or where it is not managed
     * @param because who wants it and why; empty where it is not Rilvan's
     */
    public record Explained(String path, String value, String drift, Optional<String> prior, List<Because> because) {}

    /**
     * One reason for a node.
     *
     * @param said what the clause says, as far as the service still says it
     * @param parameter where in the service's parameters just this stands, such as {@code sites/0/mtu}; empty where it is
     *     worked out from several things or from none of them
     * @param settings settings that the service's model reads on this device, and where each value comes from
     */
    public record Because(Owner owner, String tenant, Map<String, Object> said, String parameter, List<Used> settings) {}

    /**
     * A setting as it is on a device.
     *
     * @param from what it is set for, in words; the model's own default where it is set for nothing that applies
     */
    public record Used(String name, Object value, String from) {}

    /**
     * The clauses of a service as it is now.
     *
     * @throws ValidationFailure where it can no longer be worked out, such as when a device it names is gone
     */
    public List<Clause> clauses(String service) {
        return source.service(service).map(stands -> expand(ServiceDocument.of(stands), 0).clauses()).orElse(List.of()).stream()
                .map(clause -> new Clause(clause.device(), clause.name(), clause.origin(), Secret.masked(clause.says()))).toList();
    }

    /** The checks that the last order of a service has made: of those that are sampled, the same ones. */
    public List<Check> checks(String service) {
        return checks(service, source.service(service).map(PlanningSource.Service::version).orElse(0L));
    }

    /**
     * What must be observable while a service works.
     *
     * @param sampleSeed chooses what is sampled where there are too many checks for all of them
     * @throws ValidationFailure where it can no longer be worked out
     */
    public List<Check> checks(String service, long sampleSeed) {
        return source.service(service).map(stands -> expand(ServiceDocument.of(stands), sampleSeed).checks()).orElse(List.of());
    }

    /**
     * What the checks of a service cover, all of them run.
     *
     * @throws ValidationFailure where it can no longer be worked out
     */
    public Optional<PlaceCoverage> coverage(String service) {
        return source.service(service).map(stands -> PlaceCoverage.of(List.of(expand(ServiceDocument.of(stands), stands.version())), stands.devices().keySet()));
    }

    /**
     * The devices on which a service would say something else today than it says there, because a setting, the network, a service that it
     * refers to, or a dialect has changed since; empty where it is up to date.
     *
     * @throws ValidationFailure where it can no longer be worked out
     */
    public List<String> outOfDate(String service) {
        PlanningSource.Service stands = source.service(service).orElse(null);
        if (stands == null) {
            return List.of();
        }
        Map<String, String> now = new DeviceStatements(catalog.get().dialects()).digests(expand(ServiceDocument.of(stands), 0), source.network());
        Set<String> devices = new TreeSet<>(now.keySet());
        devices.addAll(stands.devices().keySet());
        Set<String> changed = new TreeSet<>(otherComponents(stands));
        // A digest that is empty is not known: the store is of a version that dropped it when the device was found changed.
        devices.stream().filter(device -> !"".equals(stands.devices().get(device)) && !Objects.equals(now.get(device), stands.devices().get(device))).forEach(changed::add);
        return List.copyOf(changed);
    }

    /** The devices of components that a service would have otherwise today: with other parameters, anew, or not at all. */
    private Set<String> otherComponents(PlanningSource.Service container) {
        if (!model(ServiceDocument.of(container)).isComposite()) {
            return Set.of();
        }
        Map<String, PlanningSource.Service> standing = new TreeMap<>();
        source.components(container.name()).forEach(each -> standing.put(each.name(), each));
        Set<String> devices = new TreeSet<>();
        components(ServiceDocument.of(container)).forEach(component -> {
            PlanningSource.Service stands = standing.get(component.service().name());
            if (stands != null && stands.parameters().equals(new Expander(source, numbers).parameters(model(component.service()), component.service(), ""))) {
                standing.remove(stands.name());
            } else {
                expand(component.service(), 0).clauses().forEach(clause -> devices.add(clause.device()));
            }
        });
        standing.values().forEach(each -> devices.addAll(each.devices().keySet()));
        return devices;
    }

    private Expansion expand(ServiceDocument service, long sampleSeed) {
        return new Expander(source, numbers).alone(model(service), service, sampleSeed).expansion();
    }

    private List<Sourced> sourced(ServiceDocument service) {
        return new Expander(source, numbers).alone(model(service), service, 0).clauses();
    }

    private ServiceModel model(ServiceDocument service) {
        return service.version().flatMap(version -> catalog.get().model(service.model(), version))
                .orElseThrow(() -> new ValidationFailure("", "the model of " + service.name() + ", " + service.model() + " " + service.version().map(String::valueOf).orElse("") + ", is not here any more"));
    }

    /**
     * Where in a service's parameters stands just what a node says that the service wants.
     *
     * @param origin the place in the model that the node comes from
     * @return such as {@code sites/0/mtu}; absent where it is worked out from several things or from none of them
     */
    public Optional<String> parameter(ServiceDocument service, String device, String origin, Path path, String value) {
        try {
            Dialect dialect = catalog.get().dialects().get(source.network().device(device).orElseThrow().family());
            return saying(sourced(service), source.network().device(device).orElseThrow(), dialect, path, origin).flatMap(clause -> parameter(clause, path, value));
        } catch (ValidationFailure e) {
            return Optional.empty();
        }
    }

    /**
     * The field of a service that a field of one of its components comes from, or the item that the component is for.
     *
     * @param pointer a field of the component, such as {@code /parameters/ends/0/port}
     * @return such as {@code /parameters/sites/0/port}; empty where the service cannot be worked out any more
     */
    public String outward(ServiceDocument container, String component, String pointer) {
        try {
            return components(container).stream().filter(each -> each.service().name().equals(component)).findFirst().map(each -> each.outward(pointer)).orElse("");
        } catch (ValidationFailure e) {
            return "";
        }
    }

    private List<Component> components(ServiceDocument service) {
        ServiceModel model = model(service);
        Expander expander = new Expander(source, numbers);
        return model.isComposite() ? expander.begin(model, service, "", expander.parameters(model, service, ""), 0).components() : List.of();
    }

    /** The field of the clause that has the node's value, or its key; where several have it, the one with the node's name. */
    private static Optional<String> parameter(Sourced said, Path path, String value) {
        Map<String, String> sources = said.sources();
        List<String> texts = value.isEmpty() ? path.last().keys() : List.of(value);
        List<String> fields = sources.keySet().stream().filter(field -> texts.contains(String.valueOf(said.clause().says().get(field)))).toList();
        Set<String> places = fields.stream().map(sources::get).collect(Collectors.toSet());
        Optional<String> field = places.size() == 1 ? Optional.of(fields.get(0))
                : fields.stream().filter(each -> path.last().name().contains(each)).findFirst();
        return field.map(sources::get).map(at -> at.substring("/parameters/".length()));
    }

    /**
     * Explains a node by its path, or every node that a line of native text stands for.
     *
     * @param what a path such as {@code /vpn/vrf[VPN-1001]/rd}, a line of the device's configuration, or a part of lines, such as a VRF's name or a port: then the first of them
     * @throws ValidationFailure where the device holds no such node or line
     */
    public List<Explained> explain(Device device, String what) {
        Dialect dialect = catalog.get().dialects().get(device.family());
        Node holds = dialect.codec().decode(source.configuration(device.name()).orElseThrow(() ->
                new ValidationFailure("", device.name() + " has never been read; read it first")));
        Ledger ledger = source.ledger(device.name());
        Set<Path> paths = new LinkedHashSet<>();
        if (what.startsWith("/")) {
            try {
                paths.add(Path.parse(what));
            } catch (IllegalArgumentException e) {
                throw new ValidationFailure("", e.getMessage());
            }
        } else {
            String line = what.strip();
            List<NativeLine> lines = dialect.codec().lines(Node.EMPTY, holds);
            lines.stream().filter(each -> each.text().strip().equals(line)).map(NativeLine::at).map(Path::parse).forEach(paths::add);
            if (paths.isEmpty() && !line.isEmpty()) {
                String part = line.toLowerCase(Locale.ROOT);
                lines.stream().filter(each -> each.text().toLowerCase(Locale.ROOT).contains(part)).map(NativeLine::at).map(Path::parse).distinct().limit(MOST_NODES).forEach(paths::add);
            }
        }
        List<Explained> explained = new ArrayList<>();
        Map<String, List<Sourced>> said = new HashMap<>();
        Set<Path> additions = ledger.additions(holds, dialect.whole()).keySet();
        for (Path path : paths) {
            if (holds.at(path).isPresent() || ledger.entries().containsKey(path)) {
                explained.add(explained(device, dialect, ledger, path, holds.at(path).filter(Node::present), additions.stream().anyMatch(each -> each.covers(path)), said));
            }
        }
        if (explained.isEmpty()) {
            throw new ValidationFailure("", device.name() + " holds nothing like '" + what.strip() + "'; give a path such as "
                    + ledger.entries().keySet().stream().findFirst().map(Path::toString).orElse("/system/name") + ", or a line as the device shows it");
        }
        return explained;
    }

    /** @param said what each service says, as far as it was worked out for an earlier node */
    private Explained explained(Device device, Dialect dialect, Ledger ledger, Path path, Optional<Node> node, boolean added, Map<String, List<Sourced>> said) {
        Ledger.Entry entry = ledger.entries().get(path);
        List<Because> because = new ArrayList<>();
        if (entry != null) {
            entry.owners().forEach(owner -> because.add(because(device, dialect, path, entry.value(), owner, said)));
        }
        Optional<String> value = node.map(Node::value);
        return new Explained(path.toString(), Secret.masked(value.orElse("")), added ? "put there outside Rilvan, into what a service has alone" : entry == null || entry.says(value) ? ""
                : Secret.masked((value.isEmpty() ? "gone from the device" : "changed outside Rilvan") + (entry.value().isEmpty() ? "" : "; ordered: '" + entry.value() + "'")),
                entry == null ? Optional.empty() : entry.prior().map(Secret::masked), because);
    }

    private Because because(Device device, Dialect dialect, Path path, String value, Owner owner, Map<String, List<Sourced>> known) {
        Optional<PlanningSource.Service> service = source.service(owner.service());
        Optional<Sourced> said = service.flatMap(stands -> said(stands, device, dialect, path, owner, known));
        String parameter = said.flatMap(each -> parameter(each, path, value)).orElse("");
        List<Used> settings = service.flatMap(stands -> catalog.get().model(stands.model(), stands.modelVersion())).map(model -> settings(model, device)).orElse(List.of());
        return new Because(owner, service.map(PlanningSource.Service::tenant).orElse(""),
                Secret.masked(said.map(each -> each.clause().says()).orElse(Map.of())), parameter, settings);
    }

    private Optional<Sourced> said(PlanningSource.Service service, Device device, Dialect dialect, Path path, Owner owner,
            Map<String, List<Sourced>> known) {
        try {
            return saying(known.computeIfAbsent(service.name(), name -> sourced(ServiceDocument.of(service))), device, dialect, path, owner.origin());
        } catch (ValidationFailure e) {
            return Optional.empty();
        }
    }

    /** Of the clauses of one origin, the one that says this node. */
    private Optional<Sourced> saying(List<Sourced> clauses, Device device, Dialect dialect, Path path, String origin) {
        Map<String, Object> about = dialect.about(device, source.network());
        return clauses.stream().filter(each -> each.clause().device().equals(device.name()) && each.clause().origin().equals(origin))
                .filter(each -> dialect.say(each.clause(), about).tree().at(path).isPresent()).findFirst();
    }

    private List<Used> settings(ServiceModel model, Device device) {
        List<Used> used = new ArrayList<>();
        model.settings().on(device, source.network()).forEach((name, value) -> used.add(new Used(name, value,
                source.network().setting(device, name).map(Setting::where).orElse("the model's default"))));
        return used;
    }

    /** Every setting that applies to a device, each with where it comes from. */
    public List<Used> settings(Device device) {
        Set<String> names = new LinkedHashSet<>();
        source.network().settings().forEach(setting -> names.add(setting.name()));
        List<Used> used = new ArrayList<>();
        names.stream().sorted().forEach(name -> source.network().setting(device, name).ifPresent(setting ->
                used.add(new Used(name, setting.value(), setting.where()))));
        return used;
    }
}
