package rilvan.server.api;

import jakarta.servlet.http.HttpServletRequest;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.jspecify.annotations.Nullable;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.ledger.Ledger;
import rilvan.core.model.Clause;
import rilvan.core.network.Network;
import rilvan.core.network.Network.End;
import rilvan.core.plan.Explainer;
import rilvan.core.plan.PlaceCoverage;
import rilvan.core.pool.Allocation;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.api.DriftController.DriftView;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.store.Drifts;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Services;
import rilvan.server.store.Services.HistoryRow;
import rilvan.server.store.Services.ServiceOrder;
import rilvan.server.store.Services.ServiceState;
import rilvan.server.store.Services.Wanted;
import tools.jackson.core.type.TypeReference;

/** Services. */
@RestController
@RequestMapping("/api/v1")
public class ServiceController {

    private static final TypeReference<Map<String, Object>> FIELDS = new TypeReference<>() {};
    private static final TypeReference<List<String>> NAMES = new TypeReference<>() {};

    private final StoredPlanningSource source;
    private final Services services;
    private final Orders orders;
    private final Devices devices;
    private final Json json;
    private final Explainer explainer;
    private final Drifts drifts;
    private final Sight sight;

    public ServiceController(StoredPlanningSource source, Services services, Orders orders, Devices devices, Json json,
            Explainer explainer, Drifts drifts, Sight sight) {
        this.sight = sight;
        this.explainer = explainer;
        this.drifts = drifts;
        this.source = source;
        this.services = services;
        this.orders = orders;
        this.devices = devices;
        this.json = json;
    }

    /**
     * A service as lists show it.
     *
     * @param suspended NO, PART or WHOLE
     */
    public record ServiceHeadView(String name, String tenant, String model, int modelVersion, @Nullable String componentOf, String suspended, List<String> devices) {}

    /**
     * A service as it stands.
     *
     * @param componentOf the service that contains it; null where it stands for itself
     * @param components the services that it contains
     */
    public record ServiceView(String name, String tenant, String model, int modelVersion, Map<String, Object> parameters, Set<String> devices, @Nullable String componentOf,
            List<String> components) {}

    /** A service with everything that belongs to it: its footprint is native text by device; at some ports the customer is still to change the router. */
    public record ServiceDetail(@Nullable ServiceView service, List<Clause> clauses, Map<String, List<FootprintLine>> footprint, List<NumberView> numbers,
            List<HistoryView> history, @Nullable Long heldBy, @Nullable CoverageView coverage, List<DriftView> drift, OutOfDate outOfDate, Set<End> customersToFollow) {}

    /**
     * What today's settings, network and dialects would make of a service that it does not say now.
     *
     * @param devices those on which it would say something else; empty where it is up to date
     * @param fault why it can no longer be worked out; empty where it can
     */
    public record OutOfDate(List<String> devices, String fault) {}

    /**
     * What the checks of a service cover.
     *
     * @param checks how many there are
     * @param places circuits and attachments: where a customer's frames or packets enter
     * @param uncovered the places without any check
     */
    public record CoverageView(int checks, int places, List<String> uncovered) {}

    /** A native line of a footprint, and for which clauses it is there. */
    public record FootprintLine(String text, String at, Set<String> because) {}

    /** A number that a service holds, and how it is written. */
    public record NumberView(String pool, String within, String key, long number, String written) {

        static NumberView of(Allocation allocation, Network network) {
            return new NumberView(allocation.pool(), allocation.within(), allocation.key(), allocation.number(),
                    Optional.ofNullable(network.pools().get(allocation.pool())).map(pool -> pool.write(allocation.number())).orElseGet(() -> Long.toString(allocation.number())));
        }
    }

    /** One version of a service and the order that made it. */
    public record HistoryView(long order, String kind, String who, String reason, java.time.OffsetDateTime at,
            Map<String, Object> parameters) {}

    /**
     * A page of services; of those that fit all that is asked for.
     *
     * @param search a text that the name or the tenant contains
     * @param device on which it has something
     * @param port of that device which it is at
     * @param state how it stands
     * @param sort what the list is in the order of, before names; by name where it is left out
     * @param after the place in this order behind which the page begins, as the {@code Link} header of the page before has it
     */
    @GetMapping("/services")
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<List<ServiceHeadView>> services(@RequestParam Optional<String> search, @RequestParam Optional<String> tenant, @RequestParam Optional<String> model, @RequestParam Optional<String> device,
            @RequestParam Optional<String> port, @RequestParam Optional<ServiceState> state, @RequestParam Optional<ServiceOrder> sort, @RequestParam Optional<String> after, @RequestParam Optional<Integer> limit, Caller caller, HttpServletRequest request) {
        ListPage page = ListPage.of(limit);
        ServiceOrder order = sort.orElse(ServiceOrder.NAME);
        if (port.isPresent() && device.isEmpty()) {
            throw new ValidationFailure("/device", "is missing: a port is one of a device");
        }
        return page.answer(services.wanted(new Wanted(search.filter(text -> !text.isEmpty()).map(Wanted::containing).orElse(null), after.orElse(""), tenant.orElse(null), model.orElse(null),
                device.orElse(null), port.orElse(null), state.orElse(null), order, sight.scopes(caller)), page.toFind()), request, "after", order::place, head ->
                new ServiceHeadView(head.name(), head.tenant(), head.model(), head.modelVersion(), head.componentOf(), head.suspended(), json.read(head.devicesJson(), NAMES)));
    }

    /** A service as it stands, with all that belongs to it; of one that was removed, its history. */
    @GetMapping("/services/{name}")
    @Requires(value = Role.LOOK, scoped = true)
    ServiceDetail service(@PathVariable String name, Caller caller) {
        Optional<Service> service = source.service(name);
        // One that stands is another tenant's also where this one had the name before.
        List<HistoryRow> history = service.filter(stands -> !sight.sees(caller, stands)).isPresent() ? List.of() : services.history(name, sight.scopes(caller));
        service = service.filter(stands -> sight.sees(caller, stands));
        if (service.isEmpty() && history.isEmpty()) {
            throw new Problems.NotFound("there is no service named '" + name + "'");
        }
        List<String> whole = services.whole(name);
        Map<String, List<FootprintLine>> footprint = new LinkedHashMap<>();
        service.ifPresent(stands -> stands.devices().keySet().forEach(device -> footprint.put(device, footprint(device, name))));
        return new ServiceDetail(service.map(this::view).orElse(null), clauses(name), footprint, services.heldBy(name).stream().map(number -> NumberView.of(number, source.network())).toList(),
                history.stream().map(row -> new HistoryView(row.orderId(), row.kind(), row.who(), row.reason(), row.at(),
                        Secret.masked(json.read(row.parametersJson(), FIELDS)))).toList(), orders.holder("service", name).orElse(null), coverage(whole),
                DriftView.of(whole.stream().flatMap(each -> drifts.of(each).stream()).toList()), outOfDate(whole), service.map(Service::customersToFollow).orElse(Set.of()));
    }

    private List<FootprintLine> footprint(String device, String service) {
        Ledger ledger = source.ledger(device);
        return devices.dialect(device).codec().lines(Node.EMPTY, ledger.footprint(service)).stream().map(line -> {
            Set<String> because = new TreeSet<>();
            Optional.ofNullable(ledger.entries().get(Path.parse(line.at()))).ifPresent(entry -> entry.owners().stream()
                    .filter(owner -> owner.service().equals(service)).forEach(owner -> because.add(owner.clause() + " (" + owner.origin() + ")")));
            return new FootprintLine(Secret.masked(line.text()), line.at(), because);
        }).toList();
    }

    /** What the service says, vendor-neutral; empty where it can no longer be worked out. */
    private List<Clause> clauses(String service) {
        try {
            return explainer.clauses(service);
        } catch (ValidationFailure e) {
            return List.of();
        }
    }

    /** What the checks of the service and of all that it contains cover; null where one can no longer be worked out. */
    private CoverageView coverage(List<String> whole) {
        try {
            List<PlaceCoverage> parts = whole.stream().flatMap(each -> explainer.coverage(each).stream()).toList();
            return parts.isEmpty() ? null : new CoverageView(parts.stream().mapToInt(PlaceCoverage::size).sum(), parts.stream().mapToInt(PlaceCoverage::places).sum(),
                    parts.stream().flatMap(part -> part.uncovered().stream()).toList());
        } catch (ValidationFailure e) {
            return null;
        }
    }

    private OutOfDate outOfDate(List<String> whole) {
        try {
            Set<String> devices = new TreeSet<>();
            whole.forEach(each -> devices.addAll(explainer.outOfDate(each)));
            return new OutOfDate(List.copyOf(devices), "");
        } catch (ValidationFailure e) {
            return new OutOfDate(List.of(), e.getMessage());
        }
    }

    private ServiceView view(Service service) {
        return new ServiceView(service.name(), service.tenant(), service.model(), service.modelVersion(), Secret.masked(service.parameters()),
                service.devices().keySet(), service.componentOf().orElse(null), source.components(service.name()).stream().map(Service::name).toList());
    }
}
