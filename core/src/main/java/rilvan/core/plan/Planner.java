package rilvan.core.plan;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.Codec;
import rilvan.core.dialect.CommandLine;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.KnownNames;
import rilvan.core.document.Secret;
import rilvan.core.document.SecretSeal;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.drift.Drift;
import rilvan.core.environment.PlanningSource;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.LedgerMerge;
import rilvan.core.ledger.LedgerMerge.Fragment;
import rilvan.core.ledger.Owner;
import rilvan.core.model.Clause;
import rilvan.core.model.Expander;
import rilvan.core.model.Expansion;
import rilvan.core.model.Parameters;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceExpansion;
import rilvan.core.model.ServiceExpansion.RuleResult;
import rilvan.core.network.Network;
import rilvan.core.network.Network.End;
import rilvan.core.plan.OrderDocument.Returning;
import rilvan.core.plan.Plan.ChangeKind;
import rilvan.core.plan.Plan.DevicePlan;
import rilvan.core.plan.Plan.Outcome;
import rilvan.core.pool.Allocator;
import rilvan.core.pool.StoredAllocations;
import rilvan.core.transaction.DeviceChange;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/** Works out an order: validate, allocate, expand, difference. Touches no device and changes nothing in the store. */
public final class Planner {

    private final Catalog catalog;
    private final DeviceStatements statements;
    private final PlanningSource source;
    private final StoredAllocations numbers;
    private final SecretSeal seal;

    public Planner(Catalog catalog, PlanningSource source, StoredAllocations numbers, SecretSeal seal) {
        this.catalog = catalog;
        this.seal = seal;
        this.statements = new DeviceStatements(catalog.dialects());
        this.source = source;
        this.numbers = numbers;
    }

    /** The thread was interrupted: whoever asked does not want the plan any more. */
    public static final class Interrupted extends RuntimeException {}

    private static void goOn() {
        if (Thread.currentThread().isInterrupted()) {
            throw new Interrupted();
        }
    }

    /** A member, and what has come of it so far. */
    private record Begun(Member member, ServiceExpansion expansion) {}

    /**
     * @throws ValidationFailure naming every field at fault, or the nodes over which the order conflicts with what is there
     */
    public Plan plan(OrderDocument given) {
        OrderContext context = new OrderContext(source, numbers);
        List<Problem> problems = new ArrayList<>();
        OrderMembers members = OrderMembers.of(given, catalog, context, seal, problems);
        OrderDocument order = members.whole();
        exposed(order, members.all(), problems);
        Network network = context.network();
        AskedChecks asked = AskedChecks.of(expand(order, members, context, problems), network, catalog.dialects());
        List<Expansion> expansions = asked.expansions();
        Map<String, Map<String, String>> digests = new LinkedHashMap<>();
        expansions.forEach(expansion -> digests.put(expansion.service().name(), statements.digests(expansion, network)));
        Set<String> named = digests.keySet();
        Map<String, DevicePlan> devices = devices(order, expansions, touched(order, expansions, digests, context), network);
        return new Plan(given, outcomes(order, expansions, devices, digests, context), devices, asked.unasked(), drift(order, named, devices),
                context.pending().all().stream().filter(each -> named.contains(each.service())).toList(), context.versions());
    }

    /**
     * What each rule comes to in each round, for every service that the order names.
     *
     * @throws ValidationFailure naming every field at fault before any rule is looked at
     */
    public Map<ServiceDocument, List<RuleResult>> rules(OrderDocument given) {
        OrderContext context = new OrderContext(source, numbers);
        List<Problem> problems = new ArrayList<>();
        OrderMembers members = OrderMembers.of(given, catalog, context, seal, problems);
        List<Begun> begun = begin(members.whole(), members.all(), context, problems);
        sound(problems);
        Map<ServiceDocument, List<RuleResult>> results = new LinkedHashMap<>();
        begun.stream().filter(each -> each.member().isChanged()).forEach(each -> results.put(each.member().service(), each.expansion().ruleResults()));
        return results;
    }

    /** What has drifted of the services of an order and stays so. */
    private Map<String, List<Drift>> drift(OrderDocument order, Set<String> services, Map<String, DevicePlan> devices) {
        Map<String, List<Drift>> drift = new TreeMap<>();
        services.forEach(service -> source.drift(order.present(service)).forEach((device, found) -> {
            if (!devices.containsKey(device)) {
                drift.computeIfAbsent(device, each -> new ArrayList<>()).addAll(found);
            }
        }));
        devices.forEach((device, plan) -> {
            if (!plan.drift().isEmpty()) {
                drift.put(device, plan.drift());
            }
        });
        return drift;
    }

    /** Begins with all members side by side, and takes the numbers they need; a member whose parameters are wrong is left out. */
    private List<Begun> begin(OrderDocument order, List<Member> members, OrderContext context, List<Problem> problems) {
        Expander expander = new Expander(context, context);
        Set<String> refused = new LinkedHashSet<>();
        members.stream().filter(member -> member.belonging().isEmpty()).forEach(member -> context.tenants().fault(member.service().tenant())
                .ifPresent(fault -> problems.add(new Problem(member.ownPointer() + "/tenant", fault))));
        Map<Member, Map<String, Object>> parameters = new LinkedHashMap<>();
        for (Member member : members) {
            goOn();
            try {
                Map<String, Object> values = expander.parameters(member.model(), member.service(), member.ownPointer());
                parameters.put(member, values);
                context.refers(member.service().name(), member.model().parameters().services(values));
            } catch (ValidationFailure e) {
                e.problems().forEach(problem -> problems.add(member.problem(problem)));
                refused.add(member.service().name());
            }
        }
        List<Begun> begun = new ArrayList<>();
        parameters.forEach((member, values) -> {
            goOn();
            // What refers to a service that is refused would only repeat what is wrong with that one.
            if (member.model().parameters().services(values).stream().noneMatch(refused::contains)) {
                try {
                    begun.add(new Begun(member, expander.begin(member.model(), member.service(), member.ownPointer(), values,
                            member.stands().map(PlanningSource.Service::version).orElse(0L))));
                } catch (ValidationFailure e) {
                    e.problems().forEach(problem -> problems.add(member.problem(problem)));
                }
            }
        });
        Set<String> leaving = new LinkedHashSet<>(order.remove());
        members.stream().filter(Member::isChanged).forEach(member -> leaving.add(order.present(member.service().name())));
        // What stands keeps its numbers before others choose theirs.
        begun.stream().sorted(Comparator.comparing(each -> each.member().stands().isEmpty())).forEach(each -> {
            goOn();
            String name = each.member().service().name();
            each.expansion().allocate(new Allocator(name, order.present(name), numbers, context.pending(), leaving));
        });
        return begun;
    }

    /** Expands all members; those that the order names come back. */
    private List<Expansion> expand(OrderDocument order, OrderMembers members, OrderContext context, List<Problem> problems) {
        List<Begun> begun = begin(order, members.all(), context, problems);
        begun.forEach(each -> each.expansion().rules().forEach(problem -> problems.add(each.member().problem(problem))));
        sound(problems);
        List<Expansion> expansions = new ArrayList<>();
        for (Begun each : begun) {
            goOn();
            Expansion expansion = each.expansion().expansion();
            if (each.member().isChanged()) {
                expansions.add(expansion);
            } else {
                follows(each.member(), expansion, context).ifPresent(problems::add);
            }
        }
        members.all().stream().filter(member -> member.isChanged() && member.belonging().isEmpty()).forEach(member -> customers(order, member,
                expansions.stream().filter(expansion -> members.root(expansion.service().name()).equals(member.name())).toList(), problems));
        sound(problems);
        return expansions;
    }

    private static void sound(List<Problem> problems) {
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems.stream().distinct().toList());
        }
    }

    /** A port where the customer is to follow is one that a check of the service, or of one of its components, begins or ends at. */
    private static void customers(OrderDocument order, Member member, List<Expansion> expansions, List<Problem> problems) {
        List<End> named = order.customersToFollow().getOrDefault(member.service().name(), List.of());
        Set<End> ends = named.isEmpty() ? Set.of()
                : expansions.stream().flatMap(expansion -> expansion.checks().stream()).flatMap(check -> check.ends().stream()).collect(Collectors.toSet());
        for (int i = 0; i < named.size(); i++) {
            if (!ends.contains(named.get(i))) {
                problems.add(new Problem(member.pointer() + "/customers_to_follow/" + i, "no check of " + member.service().name() + " begins or ends at " + named.get(i).inWords()
                        + "; available: " + ends.stream().map(End::inWords).sorted().collect(Collectors.joining(", "))));
            }
        }
    }

    /** Where a service that the order does not name would become another one on devices because of a service that it refers to. */
    private Optional<Problem> follows(Member member, Expansion expansion, OrderContext context) {
        Network network = context.network();
        String root = context.root(member.name());
        Map<String, String> before;
        try {
            before = statements.digests(new Expander(source, numbers).alone(member.model(), member.service(), 0).expansion(), network);
        } catch (ValidationFailure e) {
            before = member.stands().orElseThrow().devices();
        }
        return before.equals(statements.digests(expansion, network)) ? Optional.empty() : Optional.of(new Problem(member.pointer(), member.service().name() + " refers to "
                + member.cause().orElseThrow() + " and changes with it; add " + root + " to this order, under refresh where its parameters stay as they are",
                List.of(root)));
    }

    /** The secrets among the parameters of an order, by what was written, each with its sealed form. */
    public Map<String, String> secrets(OrderDocument order) {
        Map<String, String> sealed = new LinkedHashMap<>();
        order.services().stream().flatMap(service -> catalog.model(service.model(), OrderMembers.version(service, source.service(order.present(service.name())))).stream()
                .flatMap(model -> model.parameters().secrets(service.parameters()).stream()))
                .filter(secret -> !Secret.isSealed(secret) && Secret.fault(secret).isEmpty()).forEach(secret -> sealed.computeIfAbsent(secret, seal::seal));
        return sealed;
    }

    /** Where an order says a secret in a text that people read: it would be stored and shown. */
    private void exposed(OrderDocument order, List<Member> members, List<Problem> problems) {
        Set<String> secrets = secrets(order).keySet();
        if (!secrets.isEmpty()) {
            exposed(order.reason(), "/reason", secrets, problems);
            members.forEach(member -> {
                List<Problem> own = new ArrayList<>();
                exposed(member.name(), member.ownPointer() + "/name", secrets, own);
                exposed(member.service().tenant(), member.ownPointer() + "/tenant", secrets, own);
                exposed(member.service().parameters(), member.ownPointer() + "/parameters", secrets, own);
                own.forEach(problem -> problems.add(member.problem(problem)));
            });
        }
    }

    private static void exposed(Object value, String pointer, Set<String> secrets, List<Problem> problems) {
        if (value instanceof Map<?, ?> fields) {
            fields.forEach((name, field) -> exposed(field, pointer + "/" + name, secrets, problems));
        } else if (value instanceof List<?> items) {
            for (int i = 0; i < items.size(); i++) {
                exposed(items.get(i), pointer + "/" + i, secrets, problems);
            }
        } else if (value instanceof String text && secrets.stream().anyMatch(text::contains)) {
            problems.add(new Problem(pointer, "contains a secret of this order, and is stored and shown; leave it out, or choose another secret"));
        }
    }

    private Map<String, DevicePlan> devices(OrderDocument order, List<Expansion> expansions, Set<String> touched, Network network) {
        Map<String, List<OwnedClause>> said = new TreeMap<>();
        Set<String> services = new LinkedHashSet<>(order.remove());
        for (Expansion expansion : expansions) {
            services.add(expansion.service().name());
            services.add(order.present(expansion.service().name()));
            String model = expansion.service().model() + " " + expansion.modelVersion();
            expansion.clauses().forEach(clause -> said.computeIfAbsent(clause.device(), device -> new ArrayList<>())
                    .add(new OwnedClause(expansion.service().name(), model, clause)));
        }
        Map<String, DevicePlan> devices = new LinkedHashMap<>();
        List<Problem> conflicts = new ArrayList<>();
        Map<String, Returning> returns = returns(order, network, conflicts);
        Set<String> all = new TreeSet<>(touched);
        all.addAll(returns.keySet());
        for (String device : all) {
            DeviceOutcome outcome = outcomeOn(device, said.getOrDefault(device, List.of()), services, order, Optional.ofNullable(returns.get(device)), network);
            conflicts.addAll(outcome.conflicts());
            outcome.plan().ifPresent(plan -> devices.put(device, plan));
        }
        if (!conflicts.isEmpty()) {
            throw new ValidationFailure(conflicts);
        }
        return devices;
    }

    private static Map<String, Returning> returns(OrderDocument order, Network network, List<Problem> problems) {
        Map<String, Returning> returns = new TreeMap<>();
        order.returns().forEach(each -> {
            if (network.device(each.device()).isPresent()) {
                returns.put(each.device(), each);
            } else {
                problems.add(new Problem(each.pointer() + "/device", "there is no device named '" + each.device() + "'; " + KnownNames.instead(each.device(), network.devices().keySet())));
            }
        });
        return returns;
    }

    /** Only devices on which a service says something else than before: the cost follows the change, not the services' size. */
    private Set<String> touched(OrderDocument order, List<Expansion> expansions, Map<String, Map<String, String>> digests, OrderContext context) {
        Set<String> touched = new TreeSet<>();
        order.remove().forEach(name -> context.standing(name).ifPresent(stands -> touched.addAll(stands.devices().keySet())));
        for (Expansion expansion : expansions) {
            Map<String, String> now = digests.get(expansion.service().name());
            String name = expansion.service().name();
            Optional<PlanningSource.Service> stands = context.standing(order.present(name));
            Map<String, String> before = stands.map(PlanningSource.Service::devices).orElse(Map.of());
            // The ledger names the service and its model: where either is another one now, every device's is written anew.
            boolean sameModel = !order.renamed().containsKey(name) && stands.filter(service -> service.modelVersion() == expansion.modelVersion()).isPresent();
            now.forEach((device, digest) -> {
                if (!sameModel || !digest.equals(before.get(device))) {
                    touched.add(device);
                }
            });
            before.keySet().stream().filter(device -> !now.containsKey(device)).forEach(touched::add);
            if (order.refresh().contains(name)) {
                touched.addAll(source.drift(name).keySet());
            } else {
                source.drift(order.present(name)).keySet().stream().filter(order.decisions()::containsKey).forEach(touched::add);
            }
        }
        return touched;
    }

    /** What one service says on a device. */
    private record OwnedClause(String service, String model, Clause clause) {}

    /** What would become of one device, or what stands in the way. */
    private record DeviceOutcome(Optional<DevicePlan> plan, List<Problem> conflicts) {}

    private DeviceOutcome outcomeOn(String device, List<OwnedClause> says, Set<String> services, OrderDocument order, Optional<Returning> returning, Network network) {
        Dialect dialect = statements.dialect(network, device);
        Codec codec = dialect.codec();
        List<Fragment> fragments = new ArrayList<>();
        List<Dialect.NativeFragment> inItsLanguage = dialect.sayAll(says.stream().map(OwnedClause::clause).toList(), dialect.about(network.device(device).orElseThrow(), network));
        for (int i = 0; i < says.size(); i++) {
            OwnedClause each = says.get(i);
            Dialect.NativeFragment said = inItsLanguage.get(i);
            fragments.add(new Fragment(new Owner(each.service(), each.model(), each.clause().name(), each.clause().origin(), said.template()),
                    said.tree()));
        }
        Optional<String> text = source.configuration(device);
        if (text.isEmpty()) {
            return new DeviceOutcome(Optional.empty(), List.of(new Problem("", device + " has never been read; read it first")));
        }
        Node holds = codec.decode(text.get());
        Set<Path> left = source.leftDrift(device);
        Ledger before = source.ledger(device);
        LedgerMerge footing = LedgerMerge.work(before, holds, services, fragments, dialect.whole(),
                order.decisions().getOrDefault(device, Map.of()), left);
        List<Problem> conflicts = new ArrayList<>();
        Node ordered = footing.difference().applyTo(holds);
        Node after = returning.map(back -> returned(back, ordered, footing.ledger(), codec, conflicts)).orElse(ordered);
        Difference wanted = returning.isPresent() ? Difference.between(holds, after) : footing.difference();
        Difference difference = codec.widen(wanted, holds);
        footing.conflicts().forEach(conflict -> conflicts.add(new Problem("", "conflict on " + device + ": " + Secret.masked(conflict))));
        codec.faults(wanted, holds, after).forEach(fault -> conflicts.add(new Problem("",
                device + " would have an invalid configuration: " + fault)));
        return new DeviceOutcome(Optional.of(new DevicePlan(new DeviceChange(device, source.kind(device).orElse(dialect.kind()), codec, difference, dialect.confirmSeconds(), dialect.testsEdits(), dialect.notPending()),
                before, footing.ledger(), holds.around(difference.paths()), after.around(difference.paths()),
                Drift.between(footing.ledger(), after, dialect.whole()).stream().filter(each -> !left.contains(each.at())).toList(), concerned(difference, before, footing.ledger()), dialect.commandLine().map(CommandLine::limits).orElse(List.of()))), conflicts);
    }

    /** A device as it was at another time, as far as it is not a service's. */
    private Node returned(Returning back, Node ordered, Ledger ledger, Codec codec, List<Problem> problems) {
        Optional<String> held = source.configurationAt(back.device(), back.at());
        if (held.isEmpty()) {
            problems.add(new Problem(back.pointer() + "/at", "what " + back.device() + " held at " + back.at() + " is not known"));
        }
        return held.map(codec::decode).map(then -> back.services() ? then : ReturnedDevice.of(ordered, then, ledger)).orElse(ordered);
    }

    /** The services of which a node changes. */
    private static Set<String> concerned(Difference difference, Ledger before, Ledger after) {
        return difference.paths().stream().flatMap(path -> Stream.of(before, after).map(ledger -> ledger.entries().get(path))).filter(Objects::nonNull)
                .flatMap(entry -> entry.owners().stream()).map(Owner::service).collect(Collectors.toSet());
    }

    private List<Outcome> outcomes(OrderDocument order, List<Expansion> expansions, Map<String, DevicePlan> devices,
            Map<String, Map<String, String>> digests, OrderContext context) {
        List<Outcome> outcomes = new ArrayList<>();
        for (Expansion expansion : expansions) {
            String name = expansion.service().name();
            Optional<PlanningSource.Service> stands = context.standing(order.present(name));
            boolean same = stands.isPresent() && stands.get().name().equals(name)
                    && stands.get().parameters().equals(expansion.parameters())
                    && stands.get().tenant().equals(expansion.service().tenant())
                    && stands.get().modelVersion() == expansion.modelVersion()
                    && devices.values().stream().noneMatch(device -> device.services().contains(name));
            Parameters parameters = catalog.model(expansion.service().model(), expansion.modelVersion()).orElseThrow().parameters();
            outcomes.add(new Outcome(name, stands.isEmpty() ? ChangeKind.ADD : same ? ChangeKind.KEEP : ChangeKind.CHANGE,
                    Optional.of(expansion), digests.get(name), order.present(name),
                    parameters.services(expansion.parameters()), parameters.tenants(expansion.parameters()), stands.map(PlanningSource.Service::tenant), stands.map(PlanningSource.Service::model), expansion.service().componentOf()));
        }
        order.remove().forEach(name -> outcomes.add(new Outcome(name, ChangeKind.REMOVE, Optional.empty(), Map.of(), name, Set.of(), Set.of(),
                context.standing(name).map(PlanningSource.Service::tenant), context.standing(name).map(PlanningSource.Service::model), context.standing(name).flatMap(PlanningSource.Service::componentOf))));
        return outcomes;
    }
}
