package rilvan.lab.behaviour;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * A router as its configuration makes it, whatever its family: what the lab's own reading of that configuration comes to.
 *
 * @param interior the area of each part of a port, {@code PORT UNIT}, that takes part in the interior routing protocol
 * @param down ports that are switched off
 */
record Router(String name, List<Unit> units, List<Table> tables, long as, List<Neighbour> neighbours, Map<String, String> interior,
        Set<String> down) {

    /** The router's own table, beside those of its VRFs. */
    static final String OWN = "";

    /** The port of an address that is the router's own and no link's. */
    static final String LOOPBACK = "loopback";

    /**
     * A part of a port with an address; in the router's own table or a VRF's.
     *
     * @param frames which frames it takes, as {@code untagged}, {@code 110} or {@code 110/20}
     * @param mtu largest packet, in bytes
     */
    record Unit(String port, String unit, String frames, long address, Ipv4 network, String table, int mtu) {}

    /** A routing table: its static routes, and for a VRF the route targets (RFC 4364 §4.3.1). */
    record Table(String name, Set<String> imports, Set<String> exports, List<Static> statics) {}

    record Static(Ipv4 prefix, long nextHop) {}

    /**
     * A BGP neighbour of the router itself as configured.
     *
     * @param families what routes are exchanged, as {@code vpn} (over IPv4) and {@code evpn}
     * @param client whether routes are reflected to it (RFC 4456)
     */
    record Neighbour(long address, long remoteAs, Set<String> families, boolean client) {}

    Optional<Table> table(String wanted) {
        return tables.stream().filter(table -> table.name().equals(wanted)).findFirst();
    }

    List<Unit> unitsIn(String table) {
        return units.stream().filter(unit -> unit.table().equals(table)).toList();
    }

    boolean owns(long address, String table) {
        return unitsIn(table).stream().anyMatch(unit -> unit.address() == address);
    }
}
