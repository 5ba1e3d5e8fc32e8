package rilvan.lab.behaviour;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;

/** A router as its configuration makes it, whatever its family: what the lab's own reading of that configuration comes to. */
final class Router {

    /** The router's own table, beside those of its VRFs. */
    static final String OWN = "";

    private static final Address ALL_ROUTERS = Address.parse("224.0.0.5");
    private static final Address ALL_ROUTERS_6 = Address.parse("ff02::5");

    /** The port of an address that is the router's own, or a VRF's on it, and no link's. */
    static final String LOOPBACK = "loopback";

    /** The port of an address on a segment; its part is named like the segment. */
    static final String GATEWAY = "gateway";

    private final String name;
    private final String id;
    private final List<IpInterface> interfaces;
    private final List<Table> tables;
    private final long as;
    private final Map<String, List<Entry>> filters;
    private final Map<String, List<Guard>> guards;
    private final Set<String> down;
    private final Set<String> bundled;
    // A network of a thousand routers asks for these millions of times.
    private final Map<String, Table> byName = new HashMap<>();
    private final Map<String, List<IpInterface>> byTable;
    private final Map<String, List<IpInterface>> byPort;
    private final Set<Address> told;

    /**
     * @param id its identifier in routing protocols; empty where none is said
     * @param filters entries of each filter of prefixes, in order
     * @param guards entries of each filter of packets, in order
     * @param down ports that are switched off
     * @param bundled ports that are in a bundle
     */
    Router(String name, String id, List<IpInterface> interfaces, List<Table> tables, long as, Map<String, List<Entry>> filters, Map<String, List<Guard>> guards, Set<String> down, Set<String> bundled) {
        this.name = name;
        this.id = id;
        this.interfaces = interfaces;
        this.tables = tables;
        this.as = as;
        this.filters = filters;
        this.guards = guards;
        this.down = down;
        this.bundled = bundled;
        tables.forEach(table -> byName.putIfAbsent(table.name(), table));
        this.byTable = interfaces.stream().collect(Collectors.groupingBy(IpInterface::table));
        this.byPort = interfaces.stream().collect(Collectors.groupingBy(IpInterface::port));
        this.told = interfacesIn(OWN).stream().filter(iface -> ospf(iface).isPresent()).map(IpInterface::address).collect(Collectors.toSet());
    }

    String name() {
        return name;
    }

    String id() {
        return id;
    }

    List<IpInterface> interfaces() {
        return interfaces;
    }

    List<Table> tables() {
        return tables;
    }

    long as() {
        return as;
    }

    Set<String> down() {
        return down;
    }

    Set<String> bundled() {
        return bundled;
    }

    /**
     * A part of a port with an address; in the router's own table or a VRF's.
     *
     * @param frames which frames it takes, as {@code untagged}, {@code 110} or {@code 110/20}
     * @param mtu largest packet, in bytes
     * @param guard the filter that packets which come in are held against
     */
    record IpInterface(String port, String circuit, String frames, Address address, Net network, String table, int mtu, Optional<String> guard) {

        /** The part of the port, as areas name it. */
        String part() {
            return port + " " + circuit;
        }
    }

    /**
     * A routing table: for a VRF with its route targets (RFC 4364 §4.3.1).
     *
     * @param rd route distinguisher; empty where there is none
     * @param only of routes with a route target that is named here, the prefixes that are imported; of others all
     * @param announces networks that BGP announces where just these are in the table
     * @param areas how each part of a port that takes part in OSPF does so, by {@link IpInterface#part()}
     * @param areas6 the same of OSPFv3, which is for IPv6 (RFC 5340)
     * @param overlay how its routes are exchanged over VXLAN; absent where they are not
     */
    record Table(String name, String rd, Set<String> imports, Set<String> exports, Map<String, Set<Net>> only, List<Static> statics, List<Neighbour> neighbours, Set<Net> announces,
            Map<String, Ospf> areas, Map<String, Ospf> areas6, Optional<Overlay> overlay) {

        /** Whether this table imports another one's route to a prefix (RFC 4364 §4.3.1). */
        boolean takes(Table source, Net prefix) {
            return source.exports.stream().anyMatch(target -> imports.contains(target) && (!only.containsKey(target) || only.get(target).contains(prefix)));
        }
    }

    /**
     * How a part of a port takes part in OSPF. Where both ends of a link do not say all of it alike, they are no neighbours
     * (RFC 2328 §10.5).
     *
     * @param hello seconds between hellos
     * @param dead seconds without any until the neighbour is taken for gone
     * @param stub whether no routes from outside come into the area (RFC 2328 §3.6)
     */
    record Ospf(String area, int hello, int dead, boolean stub) {

        private static final int HELLO_SECONDS = 10;
        private static final int DEAD_SECONDS = 40;

        /** With what was said of its timers; what was not is as RFC 2328 §C.3 has it. */
        static Ospf of(String area, String hello, String dead, boolean stub) {
            return new Ospf(area, hello.isEmpty() ? HELLO_SECONDS : Integer.parseInt(hello), dead.isEmpty() ? DEAD_SECONDS : Integer.parseInt(dead), stub);
        }

        /** What is not said alike at a neighbour; absent where all is. */
        Optional<String> unlike(Ospf far, String neighbour) {
            return !far.area.equals(area) ? Optional.of("the area is " + far.area + " on " + neighbour + ", not " + area)
                    : far.hello != hello ? Optional.of(neighbour + " says hello every " + far.hello + " seconds, not every " + hello)
                    : far.dead != dead ? Optional.of(neighbour + " waits " + far.dead + " seconds for hellos, not " + dead)
                    : far.stub != stub ? Optional.of("the area " + area + " is " + (stub ? "a stub here and not on " : "no stub here and one on ") + neighbour)
                    : Optional.empty();
        }
    }

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
     * @param ownAs how often our own AS may be in a path that is taken from it (RFC 4271 §9.1.2)
     * @param origin the site it is at (RFC 4364 §7); empty where nothing is said
     */
    record Neighbour(Address address, long remoteAs, Set<String> families, boolean client, Optional<Address> source, int hops, String secret, long limit,
            boolean override, long ownAs, String origin, Optional<String> filterIn, Optional<String> filterOut) {}

    /** An entry of a filter: what it decides about a network and those inside it, up to a length. */
    record Entry(boolean accepts, Net network, int longest) {

        boolean decides(Net prefix) {
            return prefix.length() >= network.length() && prefix.length() <= Math.max(longest, network.length()) && network.holds(prefix.first());
        }
    }

    /**
     * A packet.
     *
     * @param protocol {@code icmp}, {@code tcp} or {@code ospf}
     * @param port the destination's; 0 where the protocol has none
     * @param size in bytes
     */
    record Packet(Address source, Address destination, String protocol, int port, int size) {

        /** What routers of one link find each other by (RFC 2328 §9.5, RFC 5340 §2.5). */
        static Packet hello(IpInterface from) {
            return new Packet(from.address(), from.address().width() == 32 ? ALL_ROUTERS : ALL_ROUTERS_6, "ospf", 0, Forwarding.SMALLEST);
        }
    }

    /**
     * An entry of a filter of packets: what it decides about those that fit all that it says.
     *
     * @param protocol empty for any
     * @param port 0 for any
     */
    record Guard(boolean accepts, String protocol, Optional<Net> source, Optional<Net> destination, int port) {

        boolean decides(Packet packet) {
            return (protocol.isEmpty() || protocol.equals(packet.protocol())) && (port == 0 || port == packet.port())
                    && source.filter(net -> !net.holds(packet.source())).isEmpty() && destination.filter(net -> !net.holds(packet.destination())).isEmpty();
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

    /** Whether nothing that a backbone depends on is another one there: what is not of its VRFs. */
    boolean isSameInBackbone(Router other) {
        return this == other || name.equals(other.name) && id.equals(other.id) && as == other.as && guards.equals(other.guards) && table(OWN).equals(other.table(OWN))
                && interfacesIn(OWN).equals(other.interfacesIn(OWN));
    }

    Optional<Table> table(String wanted) {
        return Optional.ofNullable(byName.get(wanted));
    }

    /** The neighbours of the router itself. */
    List<Neighbour> neighbours() {
        return table(OWN).map(Table::neighbours).orElse(List.of());
    }

    /** How a part of a port takes part in its table's OSPF, in the version for its address; absent where it does not. */
    Optional<Ospf> ospf(IpInterface iface) {
        return table(iface.table()).map(table -> (iface.address().width() == 32 ? table.areas() : table.areas6()).get(iface.part()));
    }

    List<IpInterface> interfacesIn(String table) {
        return byTable.getOrDefault(table, List.of());
    }

    /** The parts of a port that have addresses. */
    List<IpInterface> interfacesAt(String port) {
        return byPort.getOrDefault(port, List.of());
    }

    /** Whether interior routing knows one of its addresses: that of a part that takes part in it. */
    boolean tells(Address address) {
        return told.contains(address);
    }

    boolean owns(Address address, String table) {
        return interfacesIn(table).stream().anyMatch(iface -> iface.address().equals(address));
    }

    /** Whether a packet may come in at a part of a port: what no entry of its filter decides about may not. */
    boolean admits(IpInterface in, Packet packet) {
        return in.guard().isEmpty() || guards.getOrDefault(in.guard().get(), List.of()).stream().filter(entry -> entry.decides(packet)).findFirst()
                .map(Guard::accepts).orElse(false);
    }

    /** Whether a filter lets a prefix through; where none is named, any. What no entry decides about is refused. */
    boolean passes(Optional<String> filter, Net prefix) {
        return filter.isEmpty() || filters.getOrDefault(filter.get(), List.of()).stream().filter(entry -> entry.decides(prefix))
                .findFirst().map(Entry::accepts).orElse(false);
    }
}
