package rilvan.server.orders.intake;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.stereotype.Component;
import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.network.TenantDocument;
import rilvan.core.plan.OrderDocument;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.inventory.TenantBook;
import rilvan.server.inventory.TenantBook.Kept;
import rilvan.server.library.Library;
import rilvan.server.orders.intake.Planning.Preview;
import rilvan.server.store.Json;

/**
 * Gives tenants other names. Devices say a tenant's name in descriptions: what these say is shown first, and once the tenant is renamed its services are out of date until an
 * order refreshes them.
 */
@Component
public class TenantRenaming {

    private final TenantBook tenants;
    private final StoredPlanningSource source;
    private final Planning planning;
    private final PlanningTurns turns;
    private final Library library;
    private final Json json;

    TenantRenaming(TenantBook tenants, StoredPlanningSource source, Planning planning, PlanningTurns turns, Library library, Json json) {
        this.tenants = tenants;
        this.source = source;
        this.planning = planning;
        this.turns = turns;
        this.library = library;
        this.json = json;
    }

    /**
     * What an order that refreshes all services concerned would change if a tenant had another name; absent where there is none.
     *
     * @throws ValidationFailure where the name is none, or there are too many services for one order
     */
    public Optional<Preview> preview(String from, String to, String who) {
        sound(from, to);
        List<String> services = concerned(from);
        return services.isEmpty() ? Optional.empty() : Optional.of(turns.take(who, () -> planning.previewRenamed(OrderDocument.toRefresh(services), from, to)));
    }

    /**
     * @throws ValidationFailure where the name is none
     * @throws TenantBook.InTheWay where there is a tenant of that name, or an order is under way for this one
     */
    public Kept rename(String from, String to) {
        sound(from, to);
        return tenants.rename(from, to, service -> json.write(renamed(service, from, to)));
    }

    /** The services that are for a tenant, or that refer to it; of those within others only the outermost. */
    public List<String> concerned(String tenant) {
        return tenants.concerned(tenant).stream().map(this::root).distinct().toList();
    }

    private String root(String service) {
        return source.service(service).flatMap(Service::componentOf).map(this::root).orElse(service);
    }

    private Map<String, Object> renamed(String name, String from, String to) {
        Service service = source.service(name).orElseThrow();
        Map<String, Object> renamed = library.catalog().model(service.model(), service.modelVersion()).orElseThrow().parameters().withTenant(from, to, service.parameters());
        if (renamed.equals(service.parameters())) {
            throw new TenantBook.InTheWay(name + " names " + from + " in a parameter that version " + service.modelVersion() + " of " + service.model() + " has as plain text; move the service to a later version of its model first");
        }
        return renamed;
    }

    private void sound(String from, String to) {
        tenants.tenant(from);
        TenantDocument.faultOfName(to).ifPresent(fault -> {
            throw new ValidationFailure("/to", fault);
        });
        if (from.equals(to)) {
            throw new ValidationFailure("/to", "is the name that it has");
        }
    }
}
