package rilvan.core.order;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Refused;
import rilvan.core.document.Refused.Problem;
import rilvan.core.document.Secret;
import rilvan.core.ledger.Footing;
import rilvan.core.ledger.Footing.Fragment;
import rilvan.core.ledger.Owner;
import rilvan.core.model.Clause;
import rilvan.core.model.Expander;
import rilvan.core.model.Expansion;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceModel;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.order.Plan.DevicePlan;
import rilvan.core.order.Plan.Kind;
import rilvan.core.order.Plan.Outcome;
import rilvan.core.outside.Estate;
import rilvan.core.pool.Numbers;
import rilvan.core.pool.Wanted;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;

/** Works out an order: validate, allocate, expand, difference. Touches no device and changes nothing in the store. */
public final class Planner {

    private final Map<String, ServiceModel> models;
    private final Map<String, Dialect> dialects;
    private final Estate estate;
    private final Numbers numbers;

    public Planner(Map<String, ServiceModel> models, Map<String, Dialect> dialects, Estate estate, Numbers numbers) {
        this.models = models;
        this.dialects = dialects;
        this.estate = estate;
        this.numbers = numbers;
    }

    /**
     * @throws Refused naming every field at fault, or the nodes over which the order conflicts with what is there
     */
    public Plan plan(OrderDocument order) {
        Network network = estate.network();
        Expander expander = new Expander(estate, numbers);
        List<Problem> problems = new ArrayList<>();
        Wanted wanted = new Wanted();
        List<Expansion> expansions = new ArrayList<>();
        for (int i = 0; i < order.services().size(); i++) {
            try {
                expansions.add(expand(order.services().get(i), "/services/" + i, expander, wanted));
            } catch (Refused e) {
                problems.addAll(e.problems());
            }
        }
        for (int i = 0; i < order.remove().size(); i++) {
            if (estate.service(order.remove().get(i)).isEmpty()) {
                problems.add(new Problem("/remove/" + i, "there is no service named '" + order.remove().get(i) + "'"));
            }
        }
        if (!problems.isEmpty()) {
            throw new Refused(problems);
        }
        Map<String, DevicePlan> devices = devices(order, expansions, network);
        return new Plan(order, outcomes(order, expansions, devices), devices, wanted.all());
    }

    /** An order's text with its secrets replaced by what is kept of them, so that the text itself can be kept. */
    public String withoutSecrets(String text, OrderDocument order) {
        String result = text;
        for (ServiceDocument service : order.services()) {
            ServiceModel model = models.get(service.model());
            for (String secret : model == null ? List.<String>of() : model.parameters().secrets(service.parameters())) {
                result = result.replace(secret, Secret.digest(secret));
            }
        }
        return result;
    }

    private Expansion expand(ServiceDocument service, String pointer, Expander expander, Wanted wanted) {
        ServiceModel model = models.get(service.model());
        if (model == null) {
            throw new Refused(pointer + "/model", "there is no service model '" + service.model() + "'; there is "
                    + String.join(", ", models.keySet()));
        }
        Optional<Estate.Service> stands = estate.service(service.name());
        if (stands.isPresent() && !stands.get().model().equals(service.model())) {
            throw new Refused(pointer + "/model", service.name() + " is a service of the model " + stands.get().model()
                    + "; remove it first to make it another");
        }
        ServiceDocument unmasked = stands.isEmpty() ? service : new ServiceDocument(service.name(), service.tenant(), service.model(),
                unmasked(service.parameters(), stands.get().parameters()));
        return expander.expand(model, unmasked, pointer, wanted);
    }

    @SuppressWarnings("unchecked")
    private static Map<String, Object> unmasked(Map<String, Object> parameters, Map<String, Object> kept) {
        return (Map<String, Object>) Secret.unmasked(parameters, kept);
    }

    private Map<String, DevicePlan> devices(OrderDocument order, List<Expansion> expansions, Network network) {
        Map<String, List<Fragment>> fragments = new TreeMap<>();
        Set<String> services = new LinkedHashSet<>(order.remove());
        for (Expansion expansion : expansions) {
            services.add(expansion.service().name());
            for (Clause clause : expansion.clauses()) {
                Dialect.Said said = dialect(network, clause.device()).say(clause);
                Owner owner = new Owner(expansion.service().name(), expansion.service().model() + " " + expansion.modelVersion(),
                        clause.name(), clause.origin(), said.template());
                fragments.computeIfAbsent(clause.device(), device -> new ArrayList<>()).add(new Fragment(owner, said.tree()));
            }
        }
        for (String service : services) {
            estate.service(service).ifPresent(stands -> stands.devices().forEach(device ->
                    fragments.computeIfAbsent(device, name -> new ArrayList<>())));
        }
        Map<String, DevicePlan> devices = new LinkedHashMap<>();
        List<Problem> conflicts = new ArrayList<>();
        fragments.forEach((device, says) -> {
            Dialect dialect = dialect(network, device);
            Optional<String> text = estate.configuration(device);
            if (text.isEmpty()) {
                conflicts.add(new Problem("", device + " has never been read; read it first"));
                return;
            }
            Node holds = dialect.codec().decode(text.get());
            Footing footing = Footing.work(estate.ledger(device), holds, services, says, dialect.whole(),
                    order.decisions().getOrDefault(device, Map.of()));
            footing.conflicts().forEach(conflict -> conflicts.add(new Problem("", "conflict on " + device + ": " + conflict)));
            Node after = footing.difference().applyTo(holds);
            Difference difference = dialect.codec().widen(footing.difference(), holds);
            dialect.codec().faults(footing.difference(), after).forEach(fault -> conflicts.add(new Problem("",
                    device + " could not hold what this order makes of it: " + fault)));
            devices.put(device, new DevicePlan(new Part(device, dialect.kind(), dialect.codec(), difference, dialect.confirmSeconds()),
                    footing.ledger(), dialect.codec().lines(holds.around(difference.paths()), after.around(difference.paths()))));
        });
        if (!conflicts.isEmpty()) {
            throw new Refused(conflicts);
        }
        return devices;
    }

    private Dialect dialect(Network network, String device) {
        Device known = network.device(device).orElseThrow(() -> new Refused("", "there is no device named '" + device + "'"));
        Dialect dialect = dialects.get(known.family());
        if (dialect == null) {
            throw new Refused("", device + " is of the family '" + known.family() + "', which there is no dialect for");
        }
        return dialect;
    }

    private List<Outcome> outcomes(OrderDocument order, List<Expansion> expansions, Map<String, DevicePlan> devices) {
        List<Outcome> outcomes = new ArrayList<>();
        for (Expansion expansion : expansions) {
            String name = expansion.service().name();
            Set<String> footprint = new TreeSet<>();
            expansion.clauses().forEach(clause -> footprint.add(clause.device()));
            Optional<Estate.Service> stands = estate.service(name);
            boolean same = stands.isPresent()
                    && stands.get().parameters().equals(expansion.parameters())
                    && stands.get().tenant().equals(expansion.service().tenant())
                    && stands.get().modelVersion() == expansion.modelVersion()
                    && devices.values().stream().allMatch(device -> device.part().difference().isEmpty());
            outcomes.add(new Outcome(name, stands.isEmpty() ? Kind.ADD : same ? Kind.KEEP : Kind.CHANGE,
                    Optional.of(expansion), footprint));
        }
        order.remove().forEach(name -> outcomes.add(new Outcome(name, Kind.REMOVE, Optional.empty(), Set.of())));
        return outcomes;
    }
}
