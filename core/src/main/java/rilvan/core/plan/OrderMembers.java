package rilvan.core.plan;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;
import java.util.stream.Collectors;
import rilvan.core.catalog.Catalog;
import rilvan.core.document.Secret;
import rilvan.core.document.SecretSeal;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource;
import rilvan.core.model.Component;
import rilvan.core.model.Expander;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceModel;
import rilvan.core.network.Network.End;
import rilvan.core.plan.Member.Belonging;
import rilvan.core.plan.OrderDocument.Suspending;

/**
 * The services that are worked out for an order: those that it names, the components of these, and all that refer to one of them, whose
 * rules are held again. Not safe for several threads.
 */
final class OrderMembers {

    private final OrderDocument given;
    private final Catalog catalog;
    private final OrderContext context;
    private final SecretSeal seal;
    private final List<Problem> problems;
    private final Map<String, Member> members = new LinkedHashMap<>();
    private final Map<String, String> roots = new LinkedHashMap<>();
    private final Map<String, String> goes = new LinkedHashMap<>();
    private final Map<String, String> renamed;
    private final Map<String, List<End>> customersToFollow;

    private OrderMembers(OrderDocument given, Catalog catalog, OrderContext context, SecretSeal seal, List<Problem> problems) {
        this.given = given;
        this.catalog = catalog;
        this.context = context;
        this.seal = seal;
        this.problems = problems;
        this.renamed = new LinkedHashMap<>(given.renamed());
        this.customersToFollow = new LinkedHashMap<>(given.customersToFollow());
    }

    /**
     * @param context takes up how the order leaves them
     * @param problems takes what is wrong with what the order names
     */
    static OrderMembers of(OrderDocument order, Catalog catalog, OrderContext context, SecretSeal seal, List<Problem> problems) {
        OrderMembers all = new OrderMembers(order, catalog, context, seal, problems);
        all.named();
        all.components();
        all.left();
        all.referring();
        return all;
    }

    /** All of them, in the order in which they were found. */
    List<Member> all() {
        return List.copyOf(members.values());
    }

    /** The order with the components of its services beside these. */
    OrderDocument whole() {
        List<ServiceDocument> services = new ArrayList<>(given.services());
        Set<String> refresh = new LinkedHashSet<>(given.refresh());
        given.refresh().forEach(name -> refresh.add(context.root(name)));
        members.values().stream().filter(member -> member.belonging().isPresent()).forEach(member -> {
            services.add(member.service());
            if (refresh.contains(root(member.name()))) {
                refresh.add(member.name());
            }
        });
        return new OrderDocument(given.reason(), services, List.copyOf(goes.keySet()), List.copyOf(refresh), given.suspensions(), given.returns(), given.moves(), renamed, customersToFollow, given.decisions(), given.byService());
    }

    /** The service of the order that another one belongs to, by whatever number of steps; the service itself where it stands for itself. */
    String root(String service) {
        return roots.getOrDefault(service, service);
    }

    /** What the order names, and how it leaves it. */
    private void named() {
        for (int i = 0; i < given.services().size(); i++) {
            ServiceDocument service = given.services().get(i);
            String pointer = "/services/" + i;
            if (standsForItself(given.present(service.name()), pointer + "/name")) {
                member(service, pointer, Optional.empty()).ifPresent(this::add);
            }
        }
        // Those that move to another version stand behind the others.
        int refreshed = 0;
        int moved = 0;
        for (String name : given.refresh()) {
            String pointer = given.moves().containsKey(name) ? "/move/" + moved++ : "/refresh/" + refreshed++;
            Optional<PlanningSource.Service> stands = context.standing(name);
            if (stands.isEmpty()) {
                problems.add(new Problem(pointer, noService(name)));
            } else if (!given.moves().containsKey(name) || standsForItself(name, pointer)) {
                again(name, pointer);
            }
        }
        given.suspended().forEach(this::suspended);
        for (int i = 0; i < given.remove().size(); i++) {
            String name = given.remove().get(i);
            String pointer = "/remove/" + i;
            if (context.standing(name).isEmpty()) {
                problems.add(new Problem(pointer, noService(name)));
            }
            // What goes with the whole may be named beside it.
            boolean goesAnyway = !context.root(name).equals(name) && given.remove().contains(context.root(name));
            if (!goesAnyway && standsForItself(name, pointer)) {
                remove(name, pointer);
            }
        }
        members.values().forEach(this::put);
    }

    private void add(Member member) {
        members.put(member.name(), member);
    }

    /** A service is expanded again; of a component it is the whole that it belongs to. */
    private void again(String name, String pointer) {
        String root = context.root(name);
        if (!root.equals(name) && (given.names(root) || members.containsKey(root))) {
            return;
        }
        Optional<PlanningSource.Service> stands = context.standing(root);
        stands.flatMap(service -> model(service.model(), Optional.of(given.moves().getOrDefault(name, service.modelVersion())), pointer)).ifPresent(model ->
                add(new Member(ServiceDocument.of(stands.get()), model, pointer, stands, Optional.empty(), Optional.empty())));
    }

    /** A service of which something is suspended, or no longer, with the parameters that it has otherwise. */
    private void suspended(String name) {
        List<Suspending> said = given.suspensions().stream().filter(each -> each.service().equals(name)).toList();
        String pointer = said.get(0).pointer();
        Optional<PlanningSource.Service> stands = context.standing(name);
        if (stands.isEmpty()) {
            problems.add(new Problem(pointer, noService(name)));
        } else if (standsForItself(name, pointer)) {
            model(stands.get().model(), Optional.of(stands.get().modelVersion()), pointer).ifPresent(model -> {
                Map<String, Object> parameters = stands.get().parameters();
                for (Suspending each : said) {
                    try {
                        parameters = model.parameters().suspended(parameters, each.place(), each.suspended());
                    } catch (ValidationFailure e) {
                        e.problems().forEach(problem -> problems.add(new Problem(each.pointer(), problem.message())));
                    }
                }
                ServiceDocument now = ServiceDocument.of(stands.get());
                add(new Member(now.with(parameters), model, pointer, stands, Optional.empty(), Optional.empty()));
            });
        }
    }

    private static String noService(String name) {
        return "there is no service named '" + name + "'";
    }

    private boolean standsForItself(String name, String pointer) {
        Optional<String> container = context.standing(name).flatMap(PlanningSource.Service::componentOf);
        container.ifPresent(outer -> problems.add(new Problem(pointer, name + " is a component of " + outer + " and goes with it; change " + outer, List.of(outer))));
        return container.isEmpty();
    }

    /** A service is as the order wants it. */
    private void put(Member member) {
        ServiceDocument service = member.service();
        if (renamed.containsKey(service.name())) {
            context.remove(renamed.get(service.name()));
        }
        context.put(new PlanningSource.Service(service.name(), service.tenant(), service.model(), member.model().version(), service.parameters(), Map.of(), 0, service.customersToFollow(),
                service.componentOf()));
    }

    /** A service goes, and with it what it contains. */
    private void remove(String name, String pointer) {
        goes.put(name, pointer);
        context.remove(name);
        standing(name).forEach(each -> {
            roots.put(each.name(), root(name));
            remove(each.name(), pointer);
        });
    }

    /** What the services of the order contain, and what those contain in their turn; what one no longer contains goes. */
    private void components() {
        Deque<Member> open = new ArrayDeque<>(members.values());
        while (!open.isEmpty()) {
            if (members.size() > OrderDocument.MOST_SERVICES) {
                problems.add(new Problem("", "an order has at most " + OrderDocument.MOST_SERVICES + " services with the components of these; this one has more. Split it"));
                return;
            }
            Member container = open.poll();
            Optional<List<Component>> components = components(container);
            components.ifPresent(contained -> {
                Set<String> present = new LinkedHashSet<>();
                contained.forEach(component -> component(container, component).ifPresent(member -> {
                    present.add(present(member.name()));
                    add(member);
                    put(member);
                    open.add(member);
                }));
                String before = present(container.name());
                standing(before).stream().map(PlanningSource.Service::name).filter(name -> !present.contains(name)).forEach(name -> {
                    roots.put(name, root(container.name()));
                    remove(name, container.pointer());
                });
            });
        }
    }

    /** What a service contains before the order: most are of models that contain nothing, and the store is not asked for them. */
    private List<PlanningSource.Service> standing(String name) {
        boolean mayContain = context.standing(name).filter(service -> catalog.model(service.model(), service.modelVersion()).map(ServiceModel::isComposite).orElse(true)).isPresent();
        return mayContain ? context.standingComponents(name) : List.of();
    }

    /** Nothing where its parameters are wrong: that is said when they are read for the order. */
    private Optional<List<Component>> components(Member container) {
        if (!container.model().isComposite()) {
            return Optional.of(List.of());
        }
        Expander expander = new Expander(context, context);
        try {
            Map<String, Object> parameters = expander.parameters(container.model(), container.service(), container.ownPointer());
            return Optional.of(expander.begin(container.model(), container.service(), container.ownPointer(), parameters, 0).components());
        } catch (ValidationFailure e) {
            e.problems().forEach(problem -> problems.add(container.problem(problem)));
            return Optional.empty();
        }
    }

    private Optional<Member> component(Member container, Component component) {
        String name = component.service().name();
        Consumer<String> refuse = message -> problems.add(container.problem(new Problem(component.outward(""), message)));
        String before = context.standing(name).isEmpty() && !present(container.name()).equals(container.name())
                ? present(container.name()) + name.substring(container.name().length()) : name;
        Optional<PlanningSource.Service> stands = context.standing(before);
        if (members.containsKey(name)) {
            refuse.accept("two services of this order would be named " + name + "; give them different names");
            return Optional.empty();
        }
        if (stands.isPresent() && !stands.get().componentOf().equals(Optional.of(present(container.name())))) {
            refuse.accept("its component would be named " + name + ", and there is such a service already; choose other names");
            return Optional.empty();
        }
        roots.put(name, root(container.name()));
        if (stands.isPresent() && !before.equals(name)) {
            renamed.put(name, before);
        }
        Optional.ofNullable(customersToFollow.get(container.name())).ifPresent(ends -> customersToFollow.put(name, ends));
        return member(component.service(), container.pointer(), Optional.of(new Belonging(container, component)));
    }

    /** What goes can only go where nothing that stays refers to it. */
    private void left() {
        OrderDocument whole = whole();
        goes.forEach((name, pointer) -> keptBy(name, whole, pointer).ifPresent(problems::add));
        members.values().stream().filter(member -> renamed.containsKey(member.name())).forEach(member ->
                keptBy(present(member.name()), whole, member.pointer() + (member.belonging().isPresent() ? "" : "/renamed_from")).ifPresent(problems::add));
    }

    private String present(String name) {
        return renamed.getOrDefault(name, name);
    }

    /** Why a name cannot go: services refer to it that the order does not change. */
    private Optional<Problem> keptBy(String name, OrderDocument whole, String pointer) {
        List<String> referrers = context.referrers(name).stream().map(PlanningSource.Service::name).filter(referrer -> !whole.names(referrer)).map(context::root).distinct().sorted().toList();
        return referrers.isEmpty() ? Optional.empty() : Optional.of(new Problem(pointer, String.join(", ", referrers) + (referrers.size() == 1 ? " refers" : " refer") + " to " + name
                + "; change or remove " + (referrers.size() == 1 ? "it" : "them") + " in the same order", referrers));
    }

    /** Those that refer to a service which the order changes. */
    private void referring() {
        OrderDocument whole = whole();
        for (Member member : all()) {
            String name = member.name();
            if (member.stands().isPresent() && !renamed.containsKey(name)) {
                context.referrers(name).stream().filter(referrer -> !whole.names(referrer.name()) && !members.containsKey(referrer.name())).forEach(referrer ->
                        model(referrer.model(), Optional.of(referrer.modelVersion()), member.pointer()).ifPresent(model -> {
                            add(new Member(ServiceDocument.of(referrer), model, member.pointer(), Optional.of(referrer), Optional.of(name), Optional.empty()));
                            context.put(referrer);
                        }));
            }
        }
    }

    private Optional<Member> member(ServiceDocument service, String pointer, Optional<Belonging> belonging) {
        String present = present(service.name());
        Optional<PlanningSource.Service> stands = context.standing(present);
        if (!present.equals(service.name()) && belonging.isEmpty()) {
            if (stands.isEmpty()) {
                problems.add(new Problem(pointer + "/renamed_from", noService(present)));
            }
            if (context.standing(service.name()).isPresent()) {
                problems.add(new Problem(pointer + "/name", "there is a service named " + service.name() + " already; choose another name"));
            }
        }
        Optional<ServiceModel> model = model(service.model(), version(service, stands),
                pointer + (service.version().isPresent() && catalog.versions().containsKey(service.model()) ? "/version" : "/model"));
        if (stands.isPresent() && model.isPresent() && !stands.get().model().equals(service.model())) {
            problems.add(new Problem(belonging.map(each -> pointer).orElse(pointer + "/model"), present + " is a service of the model " + stands.get().model()
                    + "; remove it first, or keep the model"));
            return Optional.empty();
        }
        Map<String, Object> unmasked = stands.isEmpty() ? service.parameters() : Secret.unmasked(service.parameters(), stands.get().parameters());
        Set<End> customers = customersToFollow.containsKey(service.name()) ? service.customersToFollow()
                : stands.map(PlanningSource.Service::customersToFollow).orElse(Set.of());
        return model.map(known -> new Member(new ServiceDocument(service.name(), service.tenant(), service.model(), Optional.of(known.version()), known.parameters().sealed(unmasked, seal),
                customers, stands.isPresent(), service.componentOf()), known, pointer, stands, Optional.empty(), belonging));
    }

    /** The version of its model that a service is made from: the one that the order says, or else the one that it stands on; a new one is made from the latest. */
    static Optional<Integer> version(ServiceDocument service, Optional<PlanningSource.Service> stands) {
        return service.version().or(() -> stands.filter(each -> each.model().equals(service.model())).map(PlanningSource.Service::modelVersion));
    }

    private Optional<ServiceModel> model(String name, Optional<Integer> version, String pointer) {
        Optional<ServiceModel> model = catalog.model(name, version);
        if (!catalog.versions().containsKey(name)) {
            problems.add(new Problem(pointer, "there is no service model '" + name + "'; available: " + String.join(", ", catalog.versions().keySet())));
        } else if (model.isEmpty()) {
            problems.add(new Problem(pointer, "the service model " + name + " has no version " + version.orElseThrow() + "; available: "
                    + catalog.versions().get(name).keySet().stream().map(String::valueOf).collect(Collectors.joining(", "))));
        }
        return model;
    }
}
