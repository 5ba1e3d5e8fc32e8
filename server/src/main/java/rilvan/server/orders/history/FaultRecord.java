package rilvan.server.orders.history;

import java.util.List;

/**
 * What a device complained of, as data.
 *
 * @param tag error-tag (RFC 6241 §4.3); empty where the device has none
 * @param path the node at fault, as the device names it; empty where it names none
 * @param owners whose that node is; empty where it is nobody's of this order, or the device names none
 */
public record FaultRecord(String device, String tag, String path, String message, List<OwnerRecord> owners) {

    /**
     * A service that wants the node at fault.
     *
     * @param pointer the field of the order's document that the node's value comes from, as a JSON Pointer (RFC 6901); of the service where
     *     the model works the value out; empty where the service is none of the order
     */
    public record OwnerRecord(String service, String clause, String model, String origin, String pointer) {}
}
