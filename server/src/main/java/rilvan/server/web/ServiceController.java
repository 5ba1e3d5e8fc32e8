package rilvan.server.web;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.NativeLine;
import rilvan.core.model.ServiceModel;
import rilvan.core.outside.Estate.Service;
import rilvan.core.pool.Allocation;
import rilvan.core.tree.Node;
import rilvan.server.devices.DeviceDesk;
import rilvan.server.estate.StoredEstate;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Services;
import rilvan.server.store.Services.HistoryRow;
import tools.jackson.core.type.TypeReference;

/** Services, and the models they are made from. */
@RestController
@RequestMapping("/api/v1")
public class ServiceController {

    private static final TypeReference<Map<String, Object>> FIELDS = new TypeReference<>() {};

    private final StoredEstate estate;
    private final Services services;
    private final Orders orders;
    private final Catalog catalog;
    private final DeviceDesk devices;
    private final Json json;

    public ServiceController(StoredEstate estate, Services services, Orders orders, Catalog catalog, DeviceDesk devices, Json json) {
        this.estate = estate;
        this.services = services;
        this.orders = orders;
        this.catalog = catalog;
        this.devices = devices;
        this.json = json;
    }

    /** A service with everything that belongs to it: its footprint is native text by device. */
    public record ServiceDetail(Service service, Map<String, List<String>> footprint, List<Allocation> numbers,
            List<HistoryView> history, Long heldBy) {}

    /** One version of a service and the order that made it. */
    public record HistoryView(long order, String kind, String who, String reason, java.time.OffsetDateTime at,
            Map<String, Object> parameters) {}

    /** A model as lists show it. */
    public record ModelView(String name, int version, String title, String description, Map<String, Object> parameters, String source) {}

    @GetMapping("/services")
    List<Service> services(@RequestParam Optional<String> search) {
        return estate.search(search.orElse(""));
    }

    @GetMapping("/services/{name}")
    ServiceDetail service(@PathVariable String name) {
        Optional<Service> service = estate.service(name);
        List<HistoryRow> history = services.history(name);
        if (service.isEmpty() && history.isEmpty()) {
            throw new Problems.NotFound("there is no service named '" + name + "'");
        }
        Map<String, List<String>> footprint = new LinkedHashMap<>();
        service.ifPresent(stands -> stands.devices().forEach(device -> footprint.put(device,
                devices.dialect(device).codec().lines(Node.EMPTY, estate.ledger(device).footprint(name)).stream()
                        .map(NativeLine::text).toList())));
        return new ServiceDetail(service.orElse(null), footprint, services.heldBy(name), history.stream().map(row ->
                new HistoryView(row.orderId(), row.kind(), row.who(), row.reason(), row.at(), json.read(row.parametersJson(), FIELDS)))
                .toList(), orders.holder("service", name).orElse(null));
    }

    @GetMapping("/models")
    List<ModelView> models() {
        List<ModelView> views = new ArrayList<>();
        catalog.models().values().forEach(model -> views.add(view(model)));
        return views;
    }

    @GetMapping("/models/{name}")
    ModelView model(@PathVariable String name) {
        return Optional.ofNullable(catalog.models().get(name)).map(ServiceController::view)
                .orElseThrow(() -> new Problems.NotFound("there is no service model named '" + name + "'"));
    }

    private static ModelView view(ServiceModel model) {
        return new ModelView(model.name(), model.version(), model.title(), model.description(), model.parameters().schema(), model.source());
    }
}
