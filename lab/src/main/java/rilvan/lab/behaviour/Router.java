package rilvan.lab.behaviour;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import rilvan.lab.config.Item;

/** A Quern router as its configuration makes it: what the lab's own reading of that configuration comes to. */
record Router(String name, List<Unit> units, List<Table> tables, long as, List<Neighbour> neighbours) {

    /** The router's own table, beside those of its VRFs. */
    static final String OWN = "";

    /** A tagged unit of a port with an address; in the router's own table or a VRF's. */
    record Unit(String port, int tag, long address, Ipv4 network, String table) {}

    /** A routing table: its static routes, and for a VRF the route targets (RFC 4364 §4.3.1). */
    record Table(String name, Set<String> imports, Set<String> exports, List<Static> statics) {}

    record Static(Ipv4 prefix, long nextHop) {}

    /** A BGP neighbour as configured. */
    record Neighbour(long address, long remoteAs, boolean vpn) {}

    static Router read(String name, Item config) {
        List<Unit> units = new ArrayList<>();
        for (Item port : config.below("interfaces").all("interface")) {
            if (port.leaf("enabled").equals("false")) {
                continue;
            }
            for (Item unit : port.below("units").all("unit")) {
                Item ipv4 = unit.below("ipv4");
                if (!unit.leaf("enabled").equals("false") && !ipv4.leaf("address").isEmpty() && !ipv4.leaf("prefix-length").isEmpty()) {
                    units.add(new Unit(port.leaf("name"), Integer.parseInt(unit.leaf("tag")), Ipv4.address(ipv4.leaf("address")),
                            Ipv4.network(ipv4.leaf("address"), Integer.parseInt(ipv4.leaf("prefix-length"))), unit.leaf("vrf")));
                }
            }
        }
        List<Table> tables = new ArrayList<>();
        Item routing = config.below("routing");
        tables.add(new Table(OWN, Set.of(), Set.of(), statics(routing)));
        for (Item vrf : config.below("vpn").all("vrf")) {
            tables.add(new Table(vrf.leaf("name"), texts(vrf.below("route-targets"), "import"),
                    texts(vrf.below("route-targets"), "export"), statics(vrf)));
        }
        List<Neighbour> neighbours = new ArrayList<>();
        for (Item neighbour : routing.below("bgp").all("neighbor")) {
            neighbours.add(new Neighbour(Ipv4.address(neighbour.leaf("address")), Long.parseLong(neighbour.leaf("remote-as")),
                    texts(neighbour, "family").contains("vpn-ipv4")));
        }
        String as = routing.below("bgp").leaf("as");
        return new Router(name, units, tables, as.isEmpty() ? 0 : Long.parseLong(as), neighbours);
    }

    private static List<Static> statics(Item parent) {
        return parent.below("static").all("route").stream()
                .map(route -> new Static(Ipv4.parse(route.leaf("prefix")), Ipv4.address(route.leaf("next-hop")))).toList();
    }

    private static Set<String> texts(Item parent, String name) {
        return new HashSet<>(parent.all(name).stream().map(Item::text).toList());
    }

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
