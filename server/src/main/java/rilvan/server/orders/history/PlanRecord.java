package rilvan.server.orders.history;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import rilvan.core.check.Check;
import rilvan.core.network.Network.End;
import rilvan.core.pool.Allocation;
import rilvan.server.store.Orders.ServiceKind;

/**
 * What has to become of services and numbers when an order is done, as the journal keeps it.
 *
 * @param services what becomes of each service
 * @param taken numbers that this order has taken anew; given back if it is rolled back
 * @param moved numbers that services of this order hold and that pass on to another holder if it is done
 * @param given numbers that services give back if it is done
 * @param gaps what the checks do not show, in words; empty where they cover everything
 */
public record PlanRecord(List<ServiceRecord> services, List<Allocation> taken, List<Allocation> moved, List<Allocation> given, List<Check> checks, String gaps) {

    public PlanRecord {
        // The record of an order that an earlier version has planned knows of neither.
        moved = moved == null ? List.of() : moved;
        gaps = gaps == null ? "" : gaps;
    }

    /** Whether a service that stands already is changed. */
    public boolean changesWhatStood() {
        return services.stream().anyMatch(service -> service.kind().equals("CHANGE"));
    }

    /** What becomes of each service, for lists. */
    public List<ServiceKind> kinds() {
        return services.stream().map(service -> new ServiceKind(service.name(), service.kind(), service.componentOf())).toList();
    }

    public Optional<ServiceRecord> service(String name) {
        return services.stream().filter(service -> service.name().equals(name)).findFirst();
    }

    /** The services that are done or rolled back with a service, whatever else is: the one that contains it, and all that this one contains. */
    public Set<String> whole(String name) {
        String root = root(name);
        return services.stream().map(ServiceRecord::name).filter(each -> root(each).equals(root)).collect(Collectors.toSet());
    }

    /** The service that contains it, whatever that is itself a component of; or it, where it stands for itself. */
    public String root(String name) {
        return service(name).map(ServiceRecord::componentOf).map(this::root).orElse(name);
    }

    /** The services it names, and the components of these. */
    public Set<String> names() {
        return services.stream().map(ServiceRecord::name).collect(Collectors.toSet());
    }

    /**
     * One service as it will be; its kind says whether it will be at all.
     *
     * @param formerly its name before the order
     * @param refersTo the services that it refers to; absent in the record of an earlier version, which leaves them as they are
     * @param tenants those that its parameters refer to; absent likewise
     * @param customersToFollow ports where the customer's router is still to be changed
     * @param componentOf the service that contains it; null where it stands for itself
     */
    public record ServiceRecord(String name, String kind, String tenant, String model, int modelVersion,
            Map<String, Object> parameters, Map<String, String> devices, String formerly, Set<String> refersTo, Set<String> tenants, Set<End> customersToFollow, String componentOf) {

        public ServiceRecord {
            formerly = formerly == null ? name : formerly;
            customersToFollow = customersToFollow == null ? Set.of() : customersToFollow;
        }

        public boolean isRenamed() {
            return !formerly.equals(name);
        }
    }
}
