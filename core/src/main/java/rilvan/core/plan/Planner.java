package rilvan.core.plan;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.Codec;
import rilvan.core.dialect.CommandLine;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Secret;
import rilvan.core.document.SecretSeal;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.drift.Drift;
import rilvan.core.environment.PlanningSource;
import rilvan.core.ledger.LedgerMerge;
import rilvan.core.ledger.LedgerMerge.Fragment;
import rilvan.core.ledger.Owner;
import rilvan.core.model.Clause;
import rilvan.core.model.Expander;
import rilvan.core.model.Expansion;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceExpansion;
import rilvan.core.model.ServiceExpansion.RuleResult;
import rilvan.core.model.ServiceModel;
import rilvan.core.network.Network;
import rilvan.core.network.Network.End;
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

    /**
     * A service that is expanded for an order.
     *
     * @param pointer its place in the order's document; for one that the order does not name, the service it refers to
     * @param stands as it is before the order
     * @param cause the service that the order changes and this one refers to; absent where the order names this one
     */
    private record Member(ServiceDocument service, ServiceModel model, String pointer, Optional<PlanningSource.Service> stands, Optional<String> cause) {

        Problem problem(Problem own) {
            return cause.isEmpty() ? own
                    : new Problem(pointer, service.name() + ", which refers to " + cause.get() + ", would be refused: " + own);
        }
    }

    /** A member, and what has come of it so far. */
    private record Begun(Member member, ServiceExpansion expansion) {}

    /**
     * @throws ValidationFailure naming every field at fault, or the nodes over which the order conflicts with what is there
     */
    public Plan plan(OrderDocument order) {
        OrderContext context = new OrderContext(source, numbers);
        List<Problem> problems = new ArrayList<>();
        List<Member> members = members(order, context, problems);
        exposed(order, members, problems);
        Network network = context.network();
        AskedChecks asked = AskedChecks.of(expand(order, members, context, problems), network, catalog.dialects());
        List<Expansion> expansions = asked.expansions();
        Map<String, Map<String, String>> digests = new LinkedHashMap<>();
        expansions.forEach(expansion -> digests.put(expansion.service().name(), statements.digests(expansion, network)));
        Set<String> named = digests.keySet();
        Map<String, DevicePlan> devices = devices(order, expansions, touched(order, expansions, digests, context), network);
        return new Plan(order, outcomes(order, expansions, devices, digests, context), devices, asked.unasked(), drift(order, named, devices),
                context.pending().all().stream().filter(each -> named.contains(each.service())).toList(), context.versions());
    }

    /**
     * What each rule comes to in each round, for every service that the order names.
     *
     * @throws ValidationFailure naming every field at fault before any rule is looked at
     */
    public Map<ServiceDocument, List<RuleResult>> rules(OrderDocument order) {
        OrderContext context = new OrderContext(source, numbers);
        List<Problem> problems = new ArrayList<>();
        List<Begun> begun = begin(order, members(order, context, problems), context, problems);
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        Map<ServiceDocument, List<RuleResult>> results = new LinkedHashMap<>();
        begun.stream().filter(each -> each.member().cause().isEmpty()).forEach(each -> results.put(each.member().service(), each.expansion().ruleResults()));
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

    /** The services that an order names, and those that refer to one of them: their rules are held again. */
    private List<Member> members(OrderDocument order, OrderContext context, List<Problem> problems) {
        List<Member> members = new ArrayList<>();
        for (int i = 0; i < order.services().size(); i++) {
            member(order, order.services().get(i), "/services/" + i, context, problems).ifPresent(members::add);
        }
        // Those that move to another version stand behind the others.
        int refreshed = 0;
        int moved = 0;
        for (String name : order.refresh()) {
            String pointer = order.moves().containsKey(name) ? "/move/" + moved++ : "/refresh/" + refreshed++;
            Optional<PlanningSource.Service> stands = context.standing(name);
            if (stands.isEmpty()) {
                problems.add(new Problem(pointer, "there is no service named '" + name + "'"));
            } else {
                model(stands.get().model(), Optional.of(order.moves().getOrDefault(name, stands.get().modelVersion())), pointer, problems).ifPresent(model ->
                        members.add(new Member(ServiceDocument.of(stands.get()), model, pointer, stands, Optional.empty())));
            }
        }
        members.forEach(member -> {
            if (order.renamed().containsKey(member.service().name())) {
                context.remove(order.present(member.service().name()));
            }
            ServiceDocument service = member.service();
            context.put(new PlanningSource.Service(service.name(), service.tenant(), service.model(), member.model().version(), service.parameters(), Map.of(), 0, service.customersToFollow()));
        });
        for (int i = 0; i < order.remove().size(); i++) {
            String name = order.remove().get(i);
            if (context.standing(name).isEmpty()) {
                problems.add(new Problem("/remove/" + i, "there is no service named '" + name + "'"));
            }
            context.remove(name);
            keptBy(name, order, context, "/remove/" + order.remove().indexOf(name)).ifPresent(problems::add);
        }
        for (Member member : List.copyOf(members)) {
            String name = member.service().name();
            if (order.renamed().containsKey(name)) {
                keptBy(order.present(name), order, context, member.pointer() + "/renamed_from").ifPresent(problems::add);
            } else if (member.stands().isPresent()) {
                context.referrers(name).stream().filter(referrer -> !order.names(referrer.name())).forEach(referrer -> {
                    if (members.stream().noneMatch(each -> each.service().name().equals(referrer.name()))) {
                        model(referrer.model(), Optional.of(referrer.modelVersion()), member.pointer(), problems).ifPresent(model -> {
                            members.add(new Member(ServiceDocument.of(referrer), model, member.pointer(), Optional.of(referrer), Optional.of(name)));
                            context.put(referrer);
                        });
                    }
                });
            }
        }
        return members;
    }

    /** Why a name cannot go: services refer to it that the order does not change. */
    private static Optional<Problem> keptBy(String name, OrderDocument order, OrderContext context, String pointer) {
        List<String> referrers = context.referrers(name).stream().map(PlanningSource.Service::name).filter(referrer -> !order.names(referrer)).sorted().toList();
        return referrers.isEmpty() ? Optional.empty() : Optional.of(new Problem(pointer, String.join(", ", referrers) + (referrers.size() == 1 ? " refers" : " refer") + " to " + name
                + "; change or remove " + (referrers.size() == 1 ? "it" : "them") + " in the same order", referrers));
    }

    /** The version of its model that a service is made from: the one that the order says, or else the one that it stands on; a new one is made from the latest. */
    private static Optional<Integer> version(ServiceDocument service, Optional<PlanningSource.Service> stands) {
        return service.version().or(() -> stands.filter(each -> each.model().equals(service.model())).map(PlanningSource.Service::modelVersion));
    }

    private Optional<ServiceModel> model(String name, Optional<Integer> version, String pointer, List<Problem> problems) {
        Optional<ServiceModel> model = model(name, version);
        if (!catalog.versions().containsKey(name)) {
            problems.add(new Problem(pointer, "there is no service model '" + name + "'; available: " + String.join(", ", catalog.versions().keySet())));
        } else if (model.isEmpty()) {
            problems.add(new Problem(pointer, "the service model " + name + " has no version " + version.orElseThrow() + "; available: "
                    + catalog.versions().get(name).keySet().stream().map(String::valueOf).collect(Collectors.joining(", "))));
        }
        return model;
    }

    private Optional<ServiceModel> model(String name, Optional<Integer> version) {
        return version.isEmpty() ? catalog.latest(name) : catalog.model(name, version.get());
    }

    private Optional<Member> member(OrderDocument order, ServiceDocument service, String pointer, OrderContext context, List<Problem> problems) {
        String present = order.present(service.name());
        Optional<PlanningSource.Service> stands = context.standing(present);
        if (!present.equals(service.name())) {
            if (stands.isEmpty()) {
                problems.add(new Problem(pointer + "/renamed_from", "there is no service named '" + present + "'"));
            }
            if (context.standing(service.name()).isPresent()) {
                problems.add(new Problem(pointer + "/name", "there is a service named " + service.name() + " already; choose another name"));
            }
        }
        Optional<ServiceModel> model = model(service.model(), version(service, stands),
                pointer + (service.version().isPresent() && catalog.versions().containsKey(service.model()) ? "/version" : "/model"), problems);
        if (stands.isPresent() && model.isPresent() && !stands.get().model().equals(service.model())) {
            problems.add(new Problem(pointer + "/model", present + " is a service of the model " + stands.get().model()
                    + "; remove it first, or keep the model"));
            return Optional.empty();
        }
        Map<String, Object> unmasked = stands.isEmpty() ? service.parameters() : Secret.unmasked(service.parameters(), stands.get().parameters());
        Set<End> customers = order.customersToFollow().containsKey(service.name()) ? service.customersToFollow()
                : stands.map(PlanningSource.Service::customersToFollow).orElse(Set.of());
        return model.map(known -> new Member(new ServiceDocument(service.name(), service.tenant(), service.model(), Optional.of(known.version()), known.parameters().sealed(unmasked, seal),
                customers, stands.isPresent()), known, pointer, stands, Optional.empty()));
    }

    /** Begins with all members side by side, and takes the numbers they need; a member whose parameters are wrong is left out. */
    private List<Begun> begin(OrderDocument order, List<Member> members, OrderContext context, List<Problem> problems) {
        Expander expander = new Expander(context, context);
        Set<String> refused = new LinkedHashSet<>();
        Map<Member, Map<String, Object>> parameters = new LinkedHashMap<>();
        for (Member member : members) {
            goOn();
            try {
                Map<String, Object> values = expander.parameters(member.model(), member.service(), member.cause().isEmpty() ? member.pointer() : "");
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
                    begun.add(new Begun(member, expander.begin(member.model(), member.service(), member.cause().isEmpty() ? member.pointer() : "", values,
                            member.stands().map(PlanningSource.Service::version).orElse(0L))));
                } catch (ValidationFailure e) {
                    e.problems().forEach(problem -> problems.add(member.problem(problem)));
                }
            }
        });
        Set<String> leaving = new LinkedHashSet<>(order.remove());
        members.stream().filter(member -> member.cause().isEmpty()).forEach(member -> leaving.add(order.present(member.service().name())));
        // What stands keeps its numbers before others choose theirs.
        begun.stream().sorted(Comparator.comparing(each -> each.member().stands().isEmpty())).forEach(each -> {
            goOn();
            String name = each.member().service().name();
            each.expansion().allocate(new Allocator(name, order.present(name), numbers, context.pending(), leaving));
        });
        return begun;
    }

    /** Expands all members; those that the order names come back. */
    private List<Expansion> expand(OrderDocument order, List<Member> members, OrderContext context, List<Problem> problems) {
        List<Begun> begun = begin(order, members, context, problems);
        begun.forEach(each -> each.expansion().rules().forEach(problem -> problems.add(each.member().problem(problem))));
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        List<Expansion> expansions = new ArrayList<>();
        for (Begun each : begun) {
            goOn();
            Expansion expansion = each.expansion().expansion();
            if (each.member().cause().isEmpty()) {
                customers(order, each.member(), expansion, problems);
                expansions.add(expansion);
            } else {
                follows(each.member(), expansion, context.network()).ifPresent(problems::add);
            }
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return expansions;
    }

    /** A port where the customer is to follow is one that a check of the service begins or ends at. */
    private static void customers(OrderDocument order, Member member, Expansion expansion, List<Problem> problems) {
        List<End> named = order.customersToFollow().getOrDefault(member.service().name(), List.of());
        Set<End> ends = named.isEmpty() ? Set.of() : expansion.checks().stream().flatMap(check -> check.ends().stream()).collect(Collectors.toSet());
        for (int i = 0; i < named.size(); i++) {
            if (!ends.contains(named.get(i))) {
                problems.add(new Problem(member.pointer() + "/customers_to_follow/" + i, "no check of " + member.service().name() + " begins or ends at " + named.get(i).inWords()
                        + "; available: " + ends.stream().map(End::inWords).sorted().collect(Collectors.joining(", "))));
            }
        }
    }

    /** Where a service that the order does not name would become another one on devices because of a service that it refers to. */
    private Optional<Problem> follows(Member member, Expansion expansion, Network network) {
        Map<String, String> before;
        try {
            before = statements.digests(new Expander(source, numbers).alone(member.model(), member.service(), 0).expansion(), network);
        } catch (ValidationFailure e) {
            before = member.stands().orElseThrow().devices();
        }
        return before.equals(statements.digests(expansion, network)) ? Optional.empty() : Optional.of(new Problem(member.pointer(), member.service().name() + " refers to "
                + member.cause().orElseThrow() + " and changes with it; add " + member.service().name() + " to this order, under refresh where its parameters stay as they are",
                List.of(member.service().name())));
    }

    /** The secrets among the parameters of an order, by what was written, each with its sealed form. */
    public Map<String, String> secrets(OrderDocument order) {
        Map<String, String> sealed = new LinkedHashMap<>();
        order.services().stream().flatMap(service -> model(service.model(), version(service, source.service(order.present(service.name())))).stream()
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
                exposed(member.service().name(), member.pointer() + "/name", secrets, problems);
                exposed(member.service().tenant(), member.pointer() + "/tenant", secrets, problems);
                exposed(member.service().parameters(), member.pointer() + "/parameters", secrets, problems);
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
        for (String device : touched) {
            DeviceOutcome outcome = outcomeOn(device, said.getOrDefault(device, List.of()), services, order, network);
            conflicts.addAll(outcome.conflicts());
            outcome.plan().ifPresent(plan -> devices.put(device, plan));
        }
        if (!conflicts.isEmpty()) {
            throw new ValidationFailure(conflicts);
        }
        return devices;
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

    private DeviceOutcome outcomeOn(String device, List<OwnedClause> says, Set<String> services, OrderDocument order, Network network) {
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
        LedgerMerge footing = LedgerMerge.work(source.ledger(device), holds, services, fragments, dialect.whole(),
                order.decisions().getOrDefault(device, Map.of()), left);
        Node after = footing.difference().applyTo(holds);
        Difference difference = codec.widen(footing.difference(), holds);
        List<Problem> conflicts = new ArrayList<>();
        footing.conflicts().forEach(conflict -> conflicts.add(new Problem("", "conflict on " + device + ": " + Secret.masked(conflict))));
        codec.faults(footing.difference(), after).forEach(fault -> conflicts.add(new Problem("",
                device + " would have an invalid configuration: " + fault)));
        return new DeviceOutcome(Optional.of(new DevicePlan(new DeviceChange(device, source.kind(device).orElse(dialect.kind()), codec, difference, dialect.confirmSeconds(), dialect.testsEdits(), dialect.notPending()),
                footing.ledger(), holds.around(difference.paths()), after.around(difference.paths()),
                Drift.between(footing.ledger(), after).stream().filter(each -> !left.contains(each.at())).toList(), dialect.commandLine().map(CommandLine::limits).orElse(List.of()))), conflicts);
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
                    && devices.values().stream().allMatch(device -> device.part().difference().isEmpty());
            outcomes.add(new Outcome(name, stands.isEmpty() ? ChangeKind.ADD : same ? ChangeKind.KEEP : ChangeKind.CHANGE,
                    Optional.of(expansion), digests.get(name), order.present(name),
                    catalog.model(expansion.service().model(), expansion.modelVersion()).orElseThrow().parameters().services(expansion.parameters())));
        }
        order.remove().forEach(name -> outcomes.add(new Outcome(name, ChangeKind.REMOVE, Optional.empty(), Map.of(), name, Set.of())));
        return outcomes;
    }
}
