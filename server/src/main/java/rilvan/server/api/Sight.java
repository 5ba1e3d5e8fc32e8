package rilvan.server.api;

import java.lang.reflect.RecordComponent;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.MatchResult;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.dialect.Codec;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.model.ServiceDocument;
import rilvan.core.network.Device;
import rilvan.core.network.Network.Link;
import rilvan.core.network.Tenants.Tenant;
import rilvan.core.plan.Explainer.Because;
import rilvan.core.plan.Explainer.Explained;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;
import rilvan.core.tree.Node;
import rilvan.server.access.AccessRules.NotAllowed;
import rilvan.server.access.Caller;
import rilvan.server.access.Role;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.history.StepView;
import rilvan.server.orders.intake.OrderLimits;
import rilvan.server.store.Drifts.DriftRow;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Services;

/**
 * What somebody sees whose roles hold only for some tenants or sites: their own services, orders and lines. Of others they are not told that these are there; where one is in the
 * way, it is {@value #ANOTHER}.
 */
@Component
class Sight {

    /** What stands in place of a name that somebody does not see. */
    static final String ANOTHER = "another tenant";

    /** Somebody else who owns a node as well. */
    static final Owner ANOTHERS = new Owner(ANOTHER, "", "", "", "");

    /** Words of streams of events, which are no names where they stand. */
    private static final Set<String> OURS = Stream.concat(Stream.of("event", "data", "step", "state"), Arrays.stream(StepView.class.getRecordComponents()).map(RecordComponent::getName))
            .collect(Collectors.toSet());

    /** What refusals repeat of what was asked for. It is the same whether there is none of that name or one that is hidden, and has to stay so. */
    private static final Pattern ECHO = Pattern.compile("there is no (?:service|tenant) named '[^']*'|the name '[^']*' cannot be used here");

    /** Makes a name one that no service has, since names have no such character (WORD JOINER), and that reads the same. */
    private static final String NOBODY = "\u2060";

    /** Whatever may be the name of a service. */
    private static final Pattern NAME = Pattern.compile("[a-z0-9](?:[a-z0-9-]*[a-z0-9])?");

    private final StoredPlanningSource source;
    private final Services services;
    private final Orders orders;
    private final Json json;

    Sight(StoredPlanningSource source, Services services, Orders orders, Json json) {
        this.source = source;
        this.services = services;
        this.orders = orders;
        this.json = json;
    }

    /** What somebody sees, as the functions of the store take it; null for everything. */
    String scopes(Caller caller) {
        if (caller.seesAll()) {
            return null;
        }
        return json.write(caller.scopes(Role.LOOK).stream().map(scope -> {
            Map<String, Object> stored = new HashMap<>();
            stored.put("tenants", scope.tenants().orElse(null));
            stored.put("sites", scope.sites().orElse(null));
            stored.put("devices", scope.sites().map(this::devicesAt).orElse(null));
            return stored;
        }).toList());
    }

    private List<String> devicesAt(Set<String> sites) {
        return source.network().devices().values().stream().filter(device -> sites.contains(device.site())).map(Device::name).toList();
    }

    private Set<String> sites(Collection<String> devices) {
        return devices.stream().flatMap(device -> source.network().device(device).stream()).map(Device::site).collect(Collectors.toCollection(TreeSet::new));
    }

    boolean sees(Caller caller, Service service) {
        return caller.seesAll() || caller.sees(service.tenant(), sites(service.devices().keySet()));
    }

    /** Of some links those between devices at sites that somebody sees. */
    List<Link> links(Caller caller, Collection<Link> links) {
        return links.stream().filter(link -> caller.seesAll() || sites(List.of(link.a().device(), link.b().device())).stream().allMatch(caller::seesSite)).toList();
    }

    /** What the services that somebody sees have put on a device, as its own text. */
    String configuration(Caller caller, String device, Codec codec) {
        Ledger ledger = source.ledger(device);
        return seen(caller, ledger.entries().values().stream().flatMap(entry -> entry.owners().stream()).map(Owner::service).collect(Collectors.toSet())).stream().sorted()
                .flatMap(service -> codec.lines(Node.EMPTY, ledger.footprint(service)).stream()).map(line -> Secret.masked(line.text()) + "\n").collect(Collectors.joining());
    }

    boolean seesOrder(Caller caller, long order) {
        return caller.seesAll() || orders.seen(order, scopes(caller));
    }

    /** Of some services those that somebody sees. */
    Set<String> seen(Caller caller, Collection<String> names) {
        return caller.seesAll() ? Set.copyOf(names) : names.isEmpty() ? Set.of() : services.seenAmong(json.write(names), scopes(caller));
    }

    /** Of nodes that have drifted those that services have put there that somebody sees. */
    List<DriftRow> seenDrift(Caller caller, List<DriftRow> rows) {
        if (caller.seesAll()) {
            return rows;
        }
        Set<String> seen = seen(caller, rows.stream().flatMap(row -> owners(row).stream()).collect(Collectors.toSet()));
        return rows.stream().filter(row -> owners(row).stream().anyMatch(seen::contains)).toList();
    }

    /** Explanations of nodes without what others want there; of a node that is none of theirs, whether it is another tenant's. */
    List<Explained> seen(Caller caller, List<Explained> explained) {
        Set<String> seen = seen(caller, explained.stream().flatMap(each -> each.because().stream()).map(because -> because.owner().service()).collect(Collectors.toSet()));
        return explained.stream().map(each -> {
            List<Because> because = each.because().stream().map(reason -> seen.contains(reason.owner().service()) ? reason : new Because(ANOTHERS, ANOTHER, Map.of(), "", List.of())).distinct().toList();
            if (because.isEmpty()) {
                return new Explained(each.path(), "", "", Optional.empty(), because);
            }
            return because.stream().anyMatch(reason -> reason.owner() != ANOTHERS) ? new Explained(each.path(), each.value(), each.drift(), each.prior(), because)
                    : new Explained("", "", "", Optional.empty(), because);
        }).distinct().toList();
    }

    private static List<String> owners(DriftRow row) {
        return List.of(row.services().split(","));
    }

    /**
     * @param node what has drifted; absent where nothing has, which whoever decides is told as well
     * @throws NotAllowed where a node is others' too
     */
    void mayLeave(Caller caller, String device, Optional<DriftRow> node) {
        if (caller.mayEverywhere(Role.RUN)) {
            return;
        }
        Set<String> at = sites(List.of(device));
        Optional<DriftRow> seen = node.filter(row -> !seen(caller, owners(row)).isEmpty());
        if (node.isPresent() && seen.isEmpty()) {
            throw new Problems.NotFound("nothing that you see has drifted there");
        }
        if (seen.isPresent() && !owners(seen.get()).stream().allMatch(owner -> source.service(owner).filter(service -> caller.may(Role.RUN, service.tenant(), at)).isPresent())) {
            throw notAllowed(caller, Role.RUN, "the node is for others too, or elsewhere");
        }
    }

    /**
     * @throws NotAllowed where somebody may see an order and not decide about it
     */
    void mayDecide(Caller caller, long order) {
        List<String> sites = orders.scope(order, "site");
        if (!caller.mayEverywhere(Role.RUN) && !orders.scope(order, "tenant").stream().allMatch(tenant -> caller.may(Role.RUN, tenant, sites))) {
            throw notAllowed(caller, Role.RUN, "order " + order + " is for others too, or elsewhere");
        }
    }

    private static NotAllowed notAllowed(Caller caller, Role needed, String why) {
        return new NotAllowed(why + "; " + caller.name() + " has the role " + needed.words() + " " + caller.inWords(needed));
    }

    /** What somebody may do with services and devices that they see. */
    OrderLimits limits(Caller caller, Role needed) {
        return caller.mayEverywhere(needed) ? OrderLimits.NONE : new Limits(caller, needed);
    }

    private final class Limits implements OrderLimits {

        private final Caller caller;
        private final Role needed;

        Limits(Caller caller, Role needed) {
            this.caller = caller;
            this.needed = needed;
        }

        @Override
        public void check(OrderDocument order) {
            List<Problem> problems = new ArrayList<>();
            for (int i = 0; i < order.services().size(); i++) {
                ServiceDocument service = order.services().get(i);
                String at = "/services/" + i;
                tenant(service.tenant()).ifPresent(fault -> problems.add(new Problem(at + "/tenant", fault)));
                if (isHidden(service.name())) {
                    problems.add(new Problem(at + "/name", "the name '" + service.name() + "' cannot be used here; choose another one"));
                }
            }
            if (!problems.isEmpty()) {
                throw new ValidationFailure(problems);
            }
        }

        @Override
        public OrderDocument seen(OrderDocument order) {
            return order.withStanding(name -> isHidden(name) ? name + NOBODY : name);
        }

        @Override
        public ValidationFailure told(ValidationFailure failure) {
            return new ValidationFailure(failure.problems().stream().map(problem -> new Problem(problem.pointer(), problem.message().replace(NOBODY, ""), problem.together())).toList());
        }

        private Optional<String> tenant(String name) {
            return caller.mayFor(needed, name) ? source.tenants().fault(name)
                    : caller.seesTenant(name) && source.tenants().tenant(name).isPresent()
                    ? Optional.of(caller.name() + " has the role " + needed.words() + " " + caller.inWords(needed))
                    : Optional.of("there is no tenant named '" + name + "'");
        }

        private boolean isHidden(String service) {
            return source.service(service).filter(stands -> !sees(caller, stands)).isPresent();
        }

        @Override
        public void check(Plan plan) {
            Set<String> tenants = new TreeSet<>();
            plan.outcomes().forEach(outcome -> {
                tenants.addAll(outcome.isFor());
                Set<String> at = sites(outcome.devices().keySet());
                outcome.isFor().stream().filter(tenant -> !caller.may(needed, tenant, at)).findFirst().ifPresent(tenant -> {
                    throw notAllowed(caller, needed, outcome.service() + " is for " + tenant + (at.isEmpty() ? "" : ", at " + String.join(", ", at)));
                });
            });
            for (String site : sites(plan.devices().keySet())) {
                if (tenants.stream().noneMatch(tenant -> caller.may(needed, tenant, List.of(site)))) {
                    throw notAllowed(caller, needed, "this changes devices at " + site);
                }
            }
        }

        @Override
        public boolean mayRefer(Service service) {
            return services.unknownAmong(json.write(List.of(service.name())), scopes(caller)).isEmpty();
        }
    }

    /** What takes the names of others out of texts for somebody from whom something is hidden. Not safe for several threads. */
    Mask mask(Caller caller) {
        return new Mask(caller);
    }

    /** One answer's, or one stream's; remembers which names are hidden. */
    final class Mask {

        private final String scopes;
        private final Map<String, Boolean> hidden = new HashMap<>();
        private final List<Pattern> tenants = new ArrayList<>();

        private Mask(Caller caller) {
            this.scopes = scopes(caller);
            source.tenants().all().stream().map(Tenant::name).filter(name -> !caller.seesTenant(name)).sorted(Comparator.comparing(String::length).reversed()).forEach(name ->
                    // Also as text within JSON has it.
                    tenants.add(Pattern.compile("(?<![\\p{L}\\p{N}])(?:" + Pattern.quote(name) + "|" + Pattern.quote(name.replace("\\", "\\\\").replace("\"", "\\\"")) + ")(?![\\p{L}\\p{N}])")));
            OURS.forEach(word -> hidden.put(word, false));
            // Everybody knows these; who gives one of these names to a service hides nothing with it.
            source.network().devices().values().forEach(device -> {
                hidden.put(device.name(), false);
                device.ports().forEach(port -> hidden.put(port.name(), false));
            });
        }

        /** Finds out about all names in some texts at once. */
        void learn(Stream<String> texts) {
            Set<String> unknown = texts.flatMap(text -> NAME.matcher(text).results()).map(MatchResult::group).filter(word -> !hidden.containsKey(word)).collect(Collectors.toSet());
            if (!unknown.isEmpty()) {
                Set<String> found = services.unknownAmong(json.write(unknown), scopes);
                unknown.forEach(word -> hidden.put(word, found.contains(word)));
            }
        }

        String masked(String text) {
            learn(Stream.of(text));
            StringBuilder told = new StringBuilder();
            int from = 0;
            for (Matcher echo = ECHO.matcher(text); echo.find(); from = echo.end()) {
                told.append(names(text.substring(from, echo.start()))).append(echo.group());
            }
            return told.append(names(text.substring(from))).toString();
        }

        private String names(String text) {
            String masked = text;
            for (Pattern tenant : tenants) {
                masked = tenant.matcher(masked).replaceAll(ANOTHER);
            }
            return NAME.matcher(masked).replaceAll(word -> hidden.getOrDefault(word.group(), false) ? ANOTHER : word.group());
        }
    }
}
