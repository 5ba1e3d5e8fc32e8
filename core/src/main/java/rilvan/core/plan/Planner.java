package rilvan.core.plan;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import rilvan.core.dialect.Codec;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.Template;
import rilvan.core.document.Digest;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource;
import rilvan.core.ledger.LedgerMerge;
import rilvan.core.ledger.LedgerMerge.Fragment;
import rilvan.core.ledger.Owner;
import rilvan.core.model.Clause;
import rilvan.core.model.Expander;
import rilvan.core.model.Expansion;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceModel;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.plan.Plan.ChangeKind;
import rilvan.core.plan.Plan.DevicePlan;
import rilvan.core.plan.Plan.Outcome;
import rilvan.core.pool.PendingAllocations;
import rilvan.core.pool.StoredAllocations;
import rilvan.core.transaction.DeviceChange;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;

/** Works out an order: validate, allocate, expand, difference. Touches no device and changes nothing in the store. */
public final class Planner {

    private final Map<String, ServiceModel> models;
    private final Map<String, Dialect> dialects;
    private final PlanningSource source;
    private final StoredAllocations numbers;

    public Planner(Map<String, ServiceModel> models, Map<String, Dialect> dialects, PlanningSource source, StoredAllocations numbers) {
        this.models = models;
        this.dialects = dialects;
        this.source = source;
        this.numbers = numbers;
    }

    /**
     * @throws ValidationFailure naming every field at fault, or the nodes over which the order conflicts with what is there
     */
    public Plan plan(OrderDocument order) {
        Network network = source.network();
        Expander expander = new Expander(source, numbers);
        List<Problem> problems = new ArrayList<>();
        PendingAllocations wanted = new PendingAllocations();
        List<Expansion> expansions = new ArrayList<>();
        for (int i = 0; i < order.services().size(); i++) {
            try {
                expansions.add(expand(order.services().get(i), "/services/" + i, expander, wanted));
            } catch (ValidationFailure e) {
                problems.addAll(e.problems());
            }
        }
        for (int i = 0; i < order.remove().size(); i++) {
            if (source.service(order.remove().get(i)).isEmpty()) {
                problems.add(new Problem("/remove/" + i, "there is no service named '" + order.remove().get(i) + "'"));
            }
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        Map<String, Map<String, String>> digests = new LinkedHashMap<>();
        expansions.forEach(expansion -> digests.put(expansion.service().name(), digests(expansion, network)));
        Map<String, DevicePlan> devices = devices(order, expansions, touched(order, expansions, digests), network);
        return new Plan(order, outcomes(order, expansions, devices, digests), devices, wanted.all());
    }

    /** The secrets among the parameters of an order, as they were written. */
    public List<String> secrets(OrderDocument order) {
        return order.services().stream().filter(service -> models.containsKey(service.model()))
                .flatMap(service -> models.get(service.model()).parameters().secrets(service.parameters()).stream()).distinct().toList();
    }

    private Expansion expand(ServiceDocument service, String pointer, Expander expander, PendingAllocations wanted) {
        ServiceModel model = models.get(service.model());
        if (model == null) {
            throw new ValidationFailure(pointer + "/model", "there is no service model '" + service.model() + "'; available: "
                    + String.join(", ", models.keySet()));
        }
        Optional<PlanningSource.Service> stands = source.service(service.name());
        if (stands.isPresent() && !stands.get().model().equals(service.model())) {
            throw new ValidationFailure(pointer + "/model", service.name() + " is a service of the model " + stands.get().model()
                    + "; remove it first, or keep the model");
        }
        ServiceDocument unmasked = stands.isEmpty() ? service : new ServiceDocument(service.name(), service.tenant(), service.model(),
                Secret.unmasked(service.parameters(), stands.get().parameters()));
        return expander.expand(model, unmasked, pointer, wanted);
    }

    private Map<String, DevicePlan> devices(OrderDocument order, List<Expansion> expansions, Set<String> touched, Network network) {
        Map<String, List<Said>> said = new TreeMap<>();
        Set<String> services = new LinkedHashSet<>(order.remove());
        for (Expansion expansion : expansions) {
            services.add(expansion.service().name());
            String model = expansion.service().model() + " " + expansion.modelVersion();
            expansion.clauses().forEach(clause -> said.computeIfAbsent(clause.device(), device -> new ArrayList<>())
                    .add(new Said(expansion.service().name(), model, clause)));
        }
        Map<String, DevicePlan> devices = new LinkedHashMap<>();
        List<Problem> conflicts = new ArrayList<>();
        for (String device : touched) {
            Outlook outlook = outlook(device, said.getOrDefault(device, List.of()), services, order, network);
            conflicts.addAll(outlook.conflicts());
            outlook.plan().ifPresent(plan -> devices.put(device, plan));
        }
        if (!conflicts.isEmpty()) {
            throw new ValidationFailure(conflicts);
        }
        return devices;
    }

    /** Only devices on which a service says something else than before: the cost follows the change, not the services' size. */
    private Set<String> touched(OrderDocument order, List<Expansion> expansions, Map<String, Map<String, String>> digests) {
        Set<String> touched = new TreeSet<>();
        order.remove().forEach(name -> source.service(name).ifPresent(stands -> touched.addAll(stands.devices().keySet())));
        for (Expansion expansion : expansions) {
            Map<String, String> now = digests.get(expansion.service().name());
            Optional<PlanningSource.Service> stands = source.service(expansion.service().name());
            Map<String, String> before = stands.map(PlanningSource.Service::devices).orElse(Map.of());
            boolean sameModel = stands.filter(service -> service.modelVersion() == expansion.modelVersion()).isPresent();
            now.forEach((device, digest) -> {
                if (!sameModel || !digest.equals(before.get(device))) {
                    touched.add(device);
                }
            });
            before.keySet().stream().filter(device -> !now.containsKey(device)).forEach(touched::add);
        }
        return touched;
    }

    /** For each device a digest of what a service says on it: its clauses, and the templates that say them. */
    private Map<String, String> digests(Expansion expansion, Network network) {
        Map<String, StringBuilder> texts = new TreeMap<>();
        for (Clause clause : expansion.clauses()) {
            Dialect dialect = dialect(network, clause.device());
            String template = Optional.ofNullable(dialect.clauses().get(clause.name())).map(Template::digest).orElse("");
            texts.computeIfAbsent(clause.device(), device -> new StringBuilder()).append(dialect.name()).append('\0').append(clause.name())
                    .append('\0').append(clause.says()).append('\0').append(template).append('\0');
        }
        Map<String, String> digests = new TreeMap<>();
        texts.forEach((device, text) -> digests.put(device, Digest.of(text.toString()).substring(0, 32)));
        return digests;
    }

    /** What one service says on a device. */
    private record Said(String service, String model, Clause clause) {}

    /** What would become of one device, or what stands in the way. */
    private record Outlook(Optional<DevicePlan> plan, List<Problem> conflicts) {}

    private Outlook outlook(String device, List<Said> says, Set<String> services, OrderDocument order, Network network) {
        Dialect dialect = dialect(network, device);
        Codec codec = dialect.codec();
        List<Fragment> fragments = new ArrayList<>();
        List<Dialect.NativeFragment> inItsLanguage = dialect.sayAll(says.stream().map(Said::clause).toList());
        for (int i = 0; i < says.size(); i++) {
            Said each = says.get(i);
            Dialect.NativeFragment said = inItsLanguage.get(i);
            fragments.add(new Fragment(new Owner(each.service(), each.model(), each.clause().name(), each.clause().origin(), said.template()),
                    said.tree()));
        }
        Optional<String> text = source.configuration(device);
        if (text.isEmpty()) {
            return new Outlook(Optional.empty(), List.of(new Problem("", device + " has never been read; read it first")));
        }
        Node holds = codec.decode(text.get());
        LedgerMerge footing = LedgerMerge.work(source.ledger(device), holds, services, fragments, dialect.whole(),
                order.decisions().getOrDefault(device, Map.of()));
        Node after = footing.difference().applyTo(holds);
        Difference difference = codec.widen(footing.difference(), holds);
        List<Problem> conflicts = new ArrayList<>();
        footing.conflicts().forEach(conflict -> conflicts.add(new Problem("", "conflict on " + device + ": " + conflict)));
        codec.faults(footing.difference(), after).forEach(fault -> conflicts.add(new Problem("",
                device + " would have an invalid configuration: " + fault)));
        return new Outlook(Optional.of(new DevicePlan(new DeviceChange(device, source.kind(device).orElse(dialect.kind()), codec, difference, dialect.confirmSeconds(), dialect.testsEdits()),
                footing.ledger(), holds.around(difference.paths()), after.around(difference.paths()))), conflicts);
    }

    private Dialect dialect(Network network, String device) {
        Device known = network.device(device).orElseThrow(() -> new ValidationFailure("", "there is no device named '" + device + "'"));
        Dialect dialect = dialects.get(known.family());
        if (dialect == null) {
            throw new ValidationFailure("", device + " is of the family '" + known.family() + "', which there is no dialect for");
        }
        return dialect;
    }

    private List<Outcome> outcomes(OrderDocument order, List<Expansion> expansions, Map<String, DevicePlan> devices,
            Map<String, Map<String, String>> digests) {
        List<Outcome> outcomes = new ArrayList<>();
        for (Expansion expansion : expansions) {
            String name = expansion.service().name();
            Optional<PlanningSource.Service> stands = source.service(name);
            boolean same = stands.isPresent()
                    && stands.get().parameters().equals(expansion.parameters())
                    && stands.get().tenant().equals(expansion.service().tenant())
                    && stands.get().modelVersion() == expansion.modelVersion()
                    && devices.values().stream().allMatch(device -> device.part().difference().isEmpty());
            outcomes.add(new Outcome(name, stands.isEmpty() ? ChangeKind.ADD : same ? ChangeKind.KEEP : ChangeKind.CHANGE,
                    Optional.of(expansion), digests.get(name)));
        }
        order.remove().forEach(name -> outcomes.add(new Outcome(name, ChangeKind.REMOVE, Optional.empty(), Map.of())));
        return outcomes;
    }
}
