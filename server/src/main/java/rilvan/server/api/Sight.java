package rilvan.server.api;

import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.UnaryOperator;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.dialect.Codec;
import rilvan.core.document.Secret;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.ledger.Ledger;
import rilvan.core.ledger.Owner;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.network.Network.Link;
import rilvan.core.network.Tenants.Tenant;
import rilvan.core.plan.Explainer.Because;
import rilvan.core.plan.Explainer.Explained;
import rilvan.core.plan.Plan.Outcome;
import rilvan.core.tree.Node;
import rilvan.server.access.AccessRules.NotAllowed;
import rilvan.server.access.Caller;
import rilvan.server.access.Role;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.intake.OrderLimits;
import rilvan.server.orders.intake.Planning.Preview;
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

    Set<String> sites(Collection<String> devices) {
        Network network = source.network();
        return devices.stream().flatMap(device -> network.device(device).stream()).map(Device::site).collect(Collectors.toCollection(TreeSet::new));
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

    /** Whether somebody knows of a service: they see it, it is offered to them, or a service that they see refers to it. */
    boolean knows(Caller caller, String service) {
        return caller.seesAll() || services.unknownAmong(json.write(List.of(service)), scopes(caller)).isEmpty();
    }

    /** A preview for somebody: what is otherwise on devices than was ordered, and what stands there beside it, may be others'. */
    PreviewView view(Caller caller, Preview preview) {
        Set<String> own = preview.plan().outcomes().stream().map(Outcome::formerly).collect(Collectors.toSet());
        Set<String> devices = preview.plan().devices().keySet();
        PreviewView view = PreviewView.of(preview, orders).beside(devices.isEmpty() ? List.of() : seen(caller, services.on(devices)).stream().filter(service -> !own.contains(service)).sorted().toList());
        return caller.seesAll() ? view : view.with(view.drift().stream().filter(node -> !seen(caller, node.services()).isEmpty()).toList());
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
    void mayDecide(Caller caller, Role needed, long order) {
        List<String> sites = orders.scope(order, "site");
        if (!caller.mayEverywhere(needed) && !orders.scope(order, "tenant").stream().allMatch(tenant -> caller.may(needed, tenant, sites))) {
            throw notAllowed(caller, needed, "order " + order + " is for others too, or elsewhere");
        }
    }

    static NotAllowed notAllowed(Caller caller, Role needed, String why) {
        return new NotAllowed(why + "; " + caller.name() + " has the role " + needed.words() + " " + caller.inWords(needed));
    }

    /** What somebody may do with services and devices that they see. */
    OrderLimits limits(Caller caller, Role needed) {
        return caller.mayEverywhere(needed) ? OrderLimits.NONE : new ScopedLimits(this, source, caller, needed);
    }

    /** What takes names out of a text that somebody is told; nothing where they see everything. */
    UnaryOperator<String> maskFor(Caller caller) {
        return caller.seesAll() ? UnaryOperator.identity() : mask(caller)::learnt;
    }

    /** What takes the names of others out of texts for somebody from whom something is hidden. */
    NameMask mask(Caller caller) {
        Set<String> known = source.network().devices().values().stream().flatMap(device -> Stream.concat(Stream.of(device.name()), device.ports().stream().map(Device.Port::name))).collect(Collectors.toSet());
        String scopes = scopes(caller);
        return new NameMask(source.tenants().all().stream().map(Tenant::name).filter(name -> !caller.seesTenant(name)).toList(), known, words -> services.unknownAmong(json.write(words), scopes));
    }
}
