package rilvan.lab.behaviour;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * A router as its configuration makes it, whatever its family: what the lab's own reading of that configuration comes to.
 *
 * @param filters entries of each filter of prefixes, in order
 * @param down ports that are switched off
 */
record Router(String name, List<Unit> units, List<Table> tables, long as, Map<String, List<Entry>> filters, Set<String> down) {

    /** The router's own table, beside those of its VRFs. */
    static final String OWN = "";

    /** The port of an address that is the router's own and no link's. */
    static final String LOOPBACK = "loopback";

    /** The port of an address on a segment; its part is named like the segment. */
    static final String GATEWAY = "gateway";

    /**
     * A part of a port with an address; in the router's own table or a VRF's.
     *
     * @param frames which frames it takes, as {@code untagged}, {@code 110} or {@code 110/20}
     * @param mtu largest packet, in bytes
     */
    record Unit(String port, String unit, String frames, Address address, Net network, String table, int mtu) {

        /** The part of the port, as areas name it. */
        String part() {
            return port + " " + unit;
        }
    }

    /**
     * A routing table: for a VRF with its route targets (RFC 4364 §4.3.1).
     *
     * @param announces networks that BGP announces where just these are in the table
     * @param areas the area of each part of a port that takes part in OSPF, by {@link Unit#part()}
     * @param overlay how its routes are exchanged over VXLAN; absent where they are not
     */
    record Table(String name, Set<String> imports, Set<String> exports, List<Static> statics, List<Neighbour> neighbours, Set<Net> announces,
            Map<String, String> areas, Optional<Overlay> overlay) {}

    /** What a table's packets are carried by between leaves (RFC 9135 §4.1, RFC 9136 §4.4): a network identifier, and this router's MAC address. */
    record Overlay(String vni, String mac) {

        /** Whether packets get from one to the other: both say all of it, the same identifier, and each a MAC address of its own. */
        boolean carries(Overlay other) {
            return !vni.isEmpty() && vni.equals(other.vni()) && !mac.isEmpty() && !other.mac().isEmpty() && !mac.equals(other.mac());
        }
    }

    record Static(Net prefix, Address nextHop) {}

    /**
     * A BGP neighbour as configured.
     *
     * @param families what routes are exchanged: {@code vpn} for those of IPv4, {@code vpn6} of IPv6 (RFC 4659), {@code evpn},
     *     {@code ip} for those of the table itself, as every neighbour of a VRF exchanges them
     * @param client whether routes are reflected to it (RFC 4456)
     * @param source the address the session runs from; the one on the way to the neighbour where it is absent
     * @param hops how far away it may be
     * @param secret shared by both ends; empty for none
     * @param limit most prefixes that are taken from it; 0 for any number
     * @param override whether its AS is replaced by ours in what is announced to it
     * @param origin the site it is at (RFC 4364 §7); empty where nothing is said
     */
    record Neighbour(Address address, long remoteAs, Set<String> families, boolean client, Optional<Address> source, int hops, String secret, long limit,
            boolean override, String origin, Optional<String> filterIn, Optional<String> filterOut) {}

    /** An entry of a filter: what it decides about a network and those inside it, up to a length. */
    record Entry(boolean accepts, Net network, int longest) {

        boolean decides(Net prefix) {
            return prefix.length() >= network.length() && prefix.length() <= Math.max(longest, network.length()) && network.holds(prefix.first());
        }
    }

    /** In one network a router is known by its name; all that it holds would take long to compare. */
    @Override
    public boolean equals(Object other) {
        return other instanceof Router router && name.equals(router.name());
    }

    @Override
    public int hashCode() {
        return name.hashCode();
    }

    Optional<Table> table(String wanted) {
        return tables.stream().filter(table -> table.name().equals(wanted)).findFirst();
    }

    /** The neighbours of the router itself. */
    List<Neighbour> neighbours() {
        return table(OWN).map(Table::neighbours).orElse(List.of());
    }

    /** The areas of the router's own links. */
    Map<String, String> interior() {
        return table(OWN).map(Table::areas).orElse(Map.of());
    }

    List<Unit> unitsIn(String table) {
        return units.stream().filter(unit -> unit.table().equals(table)).toList();
    }

    boolean owns(Address address, String table) {
        return unitsIn(table).stream().anyMatch(unit -> unit.address().equals(address));
    }

    /** Whether a filter lets a prefix through; where none is named, any. What no entry decides about is refused. */
    boolean passes(Optional<String> filter, Net prefix) {
        return filter.isEmpty() || filters.getOrDefault(filter.get(), List.of()).stream().filter(entry -> entry.decides(prefix))
                .findFirst().map(Entry::accepts).orElse(false);
    }
}
