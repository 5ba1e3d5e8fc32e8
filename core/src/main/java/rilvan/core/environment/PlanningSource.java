package rilvan.core.environment;

import java.time.OffsetDateTime;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import rilvan.core.drift.Drift;
import rilvan.core.ledger.Ledger;
import rilvan.core.network.DeviceKind;
import rilvan.core.network.Network;
import rilvan.core.network.Network.End;
import rilvan.core.network.Tenants;
import rilvan.core.tree.Path;

/** What Rilvan knows of the network and of the services on it: answers from the store, changing nothing. */
public interface PlanningSource {

    Network network();

    /** Whom services may be for. */
    Tenants tenants();

    /** The device's ledger; empty where nothing on it is managed. */
    Ledger ledger(String device);

    /** The device's configuration as last read or written, as its own text; absent where it was never read. */
    Optional<String> configuration(String device);

    /** What a device was known to hold at a time, as its own text; absent where that is not known. */
    Optional<String> configurationAt(String device, OffsetDateTime at);

    /**
     * Names of things that a device has, as last read or written, for models that refer to them.
     *
     * @param kind what is named, such as {@code route-filter}; a device whose family has no such thing has no names of it
     */
    List<String> names(String device, String kind);

    /** The nodes of a service that have drifted, by device, as far as it is known and nobody has decided to leave them so. */
    Map<String, List<Drift>> drift(String service);

    /** Nodes of a device that have drifted and that a person has decided to leave as they are. */
    Set<Path> leftDrift(String device);

    /** How a change of the device can be undone, by what it said itself; absent where it was never spoken to. */
    Optional<DeviceKind> kind(String device);

    Optional<Service> service(String name);

    /** A service as far as parameters of others may refer to it; absent also where whoever orders may not know of it. */
    default Optional<Service> referable(String name) {
        return service(name);
    }

    /** The services whose parameters refer to a service, in no order. */
    List<Service> referrers(String name);

    /** The services that are components of a service, by name. */
    List<Service> components(String name);

    /**
     * A service as it is now.
     *
     * @param version counts its changes, and the changes of what refers to it
     * @param devices those it has a footprint on, each with a digest of what it says there; empty where the device was found
     *     changed since
     * @param customersToFollow ports where the customer's router is still to be changed
     * @param componentOf the service that contains this one; absent where it stands for itself
     */
    record Service(String name, String tenant, String model, int modelVersion, Map<String, Object> parameters,
            Map<String, String> devices, long version, Set<End> customersToFollow, Optional<String> componentOf) {

        /** What it is, as the document of an order would say it, but for its name. */
        public Map<String, Object> asOrdered() {
            Map<String, Object> document = new LinkedHashMap<>();
            document.put("tenant", tenant);
            document.put("model", model);
            document.put("version", (long) modelVersion);
            document.put("parameters", parameters);
            if (!customersToFollow.isEmpty()) {
                document.put("customers_to_follow", customersToFollow.stream().map(end -> Map.<String, Object>of("device", end.device(), "port", end.port())).toList());
            }
            return document;
        }
    }
}
