package rilvan.core.order;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import rilvan.core.catalog.Catalog;
import rilvan.core.check.Check;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.NativeLine;
import rilvan.core.document.Refused;
import rilvan.core.document.Secret;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.model.Clause;
import rilvan.core.model.Expander;
import rilvan.core.model.Expansion;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceModel;
import rilvan.core.network.Device;
import rilvan.core.network.Setting;
import rilvan.core.outside.Estate;
import rilvan.core.pool.Numbers;
import rilvan.core.pool.Wanted;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * Who put a line on a device, and why: from the node to its owners, and from those to what their services said. All of it is for
 * people to read: secrets are out of sight.
 */
public final class Explainer {

    private final Catalog catalog;
    private final Estate estate;
    private final Numbers numbers;

    public Explainer(Catalog catalog, Estate estate, Numbers numbers) {
        this.catalog = catalog;
        this.estate = estate;
        this.numbers = numbers;
    }

    /**
     * A node that was asked about.
     *
     * @param value what it says
     * @param prior what stood there before the first owner; absent where nothing stood there, or where it is not managed
     * @param because who wants it and why; empty where it is not Rilvan's
     */
    public record Explained(String path, String value, Optional<String> prior, List<Because> because) {}

    /**
     * One reason for a node.
     *
     * @param said what the clause says, as far as the service still says it
     * @param settings settings that the service's model reads on this device, and where each value comes from
     */
    public record Because(Owner owner, String tenant, Map<String, Object> said, List<Used> settings) {}

    /**
     * A setting as it is on a device.
     *
     * @param from what it is set for, in words; the model's own default where it is set for nothing that applies
     */
    public record Used(String name, Object value, String from) {}

    /**
     * The clauses of a service as it stands.
     *
     * @throws Refused where it can no longer be worked out, such as when a device it names is gone
     */
    public List<Clause> clauses(String service) {
        return estate.service(service).map(this::said).orElse(List.of()).stream()
                .map(clause -> new Clause(clause.device(), clause.name(), clause.origin(), Secret.masked(clause.says()))).toList();
    }

    /**
     * What must be observable while a service works.
     *
     * @throws Refused where it can no longer be worked out
     */
    public List<Check> checks(String service) {
        return estate.service(service).map(stands -> expand(stands).checks()).orElse(List.of());
    }

    private List<Clause> said(Estate.Service service) {
        return expand(service).clauses();
    }

    private Expansion expand(Estate.Service service) {
        ServiceModel model = catalog.models().get(service.model());
        if (model == null) {
            throw new Refused("", "the model " + service.model() + " of " + service.name() + " is not here any more");
        }
        return new Expander(estate, numbers).expand(model,
                new ServiceDocument(service.name(), service.tenant(), service.model(), service.parameters()), "", new Wanted());
    }

    /**
     * Explains a node by its path, or every node that a line of native text stands for.
     *
     * @param what a path such as {@code /vpn/vrf[VPN-1001]/rd}, or a line of the device's configuration
     * @throws Refused where the device holds no such node or line
     */
    public List<Explained> explain(Device device, String what) {
        Dialect dialect = catalog.dialects().get(device.family());
        Node holds = dialect.codec().decode(estate.configuration(device.name()).orElseThrow(() ->
                new Refused("", device.name() + " has never been read; read it first")));
        Ledger ledger = estate.ledger(device.name());
        Set<Path> paths = new LinkedHashSet<>();
        if (what.startsWith("/")) {
            try {
                paths.add(Path.parse(what));
            } catch (IllegalArgumentException e) {
                throw new Refused("", e.getMessage());
            }
        } else {
            String line = what.strip();
            dialect.codec().lines(Node.EMPTY, holds).stream().filter(each -> each.text().strip().equals(line))
                    .map(NativeLine::at).map(Path::parse).forEach(paths::add);
        }
        List<Explained> explained = new ArrayList<>();
        Map<String, List<Clause>> said = new HashMap<>();
        for (Path path : paths) {
            holds.at(path).ifPresent(node -> explained.add(explained(device, dialect, ledger, path, node, said)));
        }
        if (explained.isEmpty()) {
            throw new Refused("", device.name() + " holds nothing like '" + what.strip() + "'; give a path such as "
                    + ledger.entries().keySet().stream().findFirst().map(Path::toString).orElse("/system/name") + ", or a line as the device shows it");
        }
        return explained;
    }

    /** @param said what each service says, as far as it was worked out for an earlier node */
    private Explained explained(Device device, Dialect dialect, Ledger ledger, Path path, Node node, Map<String, List<Clause>> said) {
        Ledger.Entry entry = ledger.entries().get(path);
        List<Because> because = new ArrayList<>();
        if (entry != null) {
            entry.owners().forEach(owner -> because.add(because(device, dialect, path, owner, said)));
        }
        return new Explained(path.toString(), Secret.masked(node.value()),
                entry == null ? Optional.empty() : entry.prior().map(Secret::masked), because);
    }

    private Because because(Device device, Dialect dialect, Path path, Owner owner, Map<String, List<Clause>> known) {
        Optional<Estate.Service> service = estate.service(owner.service());
        Map<String, Object> said = service.flatMap(stands -> said(stands, device, dialect, path, owner, known)).orElse(Map.of());
        List<Used> settings = service.map(Estate.Service::model).map(catalog.models()::get).map(model -> settings(model, device)).orElse(List.of());
        return new Because(owner, service.map(Estate.Service::tenant).orElse(""), Secret.masked(said), settings);
    }

    /** Of the clauses of one origin, the one that says this node. */
    private Optional<Map<String, Object>> said(Estate.Service service, Device device, Dialect dialect, Path path, Owner owner,
            Map<String, List<Clause>> known) {
        try {
            return known.computeIfAbsent(service.name(), name -> said(service)).stream()
                    .filter(clause -> clause.device().equals(device.name()) && clause.origin().equals(owner.origin()))
                    .filter(clause -> dialect.say(clause).tree().at(path).isPresent()).map(Clause::says).findFirst();
        } catch (Refused e) {
            return Optional.empty();
        }
    }

    private List<Used> settings(ServiceModel model, Device device) {
        List<Used> used = new ArrayList<>();
        model.settingsOn(device, estate.network()).forEach((name, value) -> used.add(new Used(name, value,
                estate.network().setting(device, name).map(Setting::where).orElse("the model's default"))));
        return used;
    }

    /** Every setting that applies to a device, each with where it comes from. */
    public List<Used> settings(Device device) {
        Set<String> names = new LinkedHashSet<>();
        estate.network().settings().forEach(setting -> names.add(setting.name()));
        List<Used> used = new ArrayList<>();
        names.stream().sorted().forEach(name -> estate.network().setting(device, name).ifPresent(setting ->
                used.add(new Used(name, setting.value(), setting.where()))));
        return used;
    }
}
