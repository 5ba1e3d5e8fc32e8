package rilvan.lab.behaviour;

import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.BiFunction;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.lab.behaviour.Router.IpInterface;
import rilvan.lab.behaviour.Router.Ospf;
import rilvan.lab.behaviour.Router.Packet;
import rilvan.lab.behaviour.Router.Table;
import rilvan.lab.behaviour.Wiring.End;

/**
 * Where packets go in a network of routers: connected networks, static routes, interior routing, and VPN routes (RFC 4364) that
 * a router imports over BGP sessions, and those that customers tell. Longest prefix first; a connected network before the rest.
 */
public final class Forwarding {

    private static final int TIME_TO_LIVE = 32;
    /** Of packets and frames where no size is asked for, in bytes. */
    static final int SMALLEST = 64;
    private static final int FIRST_DYNAMIC_PORT = 49_152;

    private final Map<String, Router> routers;
    private final Links links;
    private final Backbone backbone;
    private final Map<String, List<Source>> sources = new ConcurrentHashMap<>();
    private final Map<String, Prefixes> told = new ConcurrentHashMap<>();
    private final Map<String, List<Source>> byDistinguisher;
    private final Map<String, List<Source>> byExport = new HashMap<>();
    private final RouteExchange exchange;

    Forwarding(Map<String, Router> routers, Wiring wiring) {
        this(routers, wiring, new Backbone(routers, wiring));
    }

    /**
     * @param backbone of these routers
     */
    Forwarding(Map<String, Router> routers, Wiring wiring, Backbone backbone) {
        this.routers = routers;
        this.links = new Links(routers, wiring);
        this.backbone = backbone;
        this.byDistinguisher = routers.values().stream().flatMap(Forwarding::tables).collect(Collectors.groupingBy(source -> source.vrf().rd()));
        routers.values().stream().sorted(Comparator.comparing(Router::name)).flatMap(Forwarding::tables).forEach(source ->
                source.vrf().exports().forEach(target -> byExport.computeIfAbsent(target, key -> new ArrayList<>()).add(source)));
        this.exchange = new RouteExchange(this, links, routers.values());
    }

    /** Interior routing and the sessions between providers' routers, as they are in this network. */
    Backbone backbone() {
        return backbone;
    }

    /** Whether a ping is answered, and if not, what became of it. */
    public record Ping(boolean answered, String reason) {}

    private sealed interface Fate {
        record Delivered(Router router, String table) implements Fate {}

        record Dropped(String reason) implements Fate {}
    }

    /** A hop: the router and the table a packet is looked up in next. */
    record Hop(Router router, String table) {}

    /**
     * A neighbour over a link.
     *
     * @param mtu what the link passes, in bytes
     * @param into the part of a port that packets come in at there
     */
    record Link(Hop hop, int mtu, IpInterface into) {}

    /** Two labels of four bytes each (RFC 3032 §2.1). */
    static final int LABELS = 8;
    /** Outer addresses, UDP and VXLAN headers, and the inner Ethernet header (RFC 7348 §5). */
    static final int VXLAN = 50;

    /**
     * @param mtu what the link passes, in bytes; of a route over the interior, what the way of its packets passes follows from the routers
     * @param added bytes that are put around a packet on its way over the interior
     * @param into the part of a port that packets come in at; absent where they come over the interior
     */
    private record Route(int length, int rank, Hop next, int mtu, int added, Optional<IpInterface> into) {

        static Route over(Link link, int length, int rank) {
            return new Route(length, rank, link.hop(), link.mtu(), 0, Optional.of(link.into()));
        }

        static Route interior(Hop next, int length, int rank, int added) {
            return new Route(length, rank, next, Switch.LONGEST, added, Optional.empty());
        }
    }

    /**
     * What is sent to see whether somebody answers.
     *
     * @param port the destination's; 0 where the protocol has none
     */
    record Probe(String protocol, int port, int size) {

        Packet there(Address source, Address destination) {
            return new Packet(source, destination, protocol, port, size);
        }

        /** The answer goes to a port of the asking side's choice (RFC 6335 §6). */
        Packet back(Address source, Address destination) {
            return new Packet(source, destination, protocol, port == 0 ? 0 : FIRST_DYNAMIC_PORT, size);
        }
    }

    /** What a BGP session runs over (RFC 4271 §8.2.1). */
    static final Probe BGP = new Probe("tcp", 179, SMALLEST);

    private static Probe echo(int size) {
        return new Probe("icmp", 0, size);
    }

    /**
     * Sends an echo request and its answer.
     *
     * @param table the VRF to send in; the router's own where it is empty
     * @param size of the packet in bytes; it is not fragmented
     * @param source address to send from; the one of the interface nearest to the destination where it is absent
     */
    public Ping ping(String from, String table, Optional<String> source, String destination, int size) {
        return answered(from, table, source, destination, echo(size));
    }

    /** Opens a TCP connection to a port; whoever is there answers, if only by a reset (RFC 9293 §3.5.2). */
    Ping connect(String from, String table, Optional<String> source, String destination, int port) {
        return answered(from, table, source, destination, new Probe("tcp", port, SMALLEST));
    }

    private Ping answered(String from, String table, Optional<String> source, String destination, Probe probe) {
        Router router = routers.get(from);
        if (router == null) {
            return new Ping(false, "the lab does not know what devices of this family do");
        }
        if (router.table(table).isEmpty()) {
            return new Ping(false, "there is no VRF " + table);
        }
        Address to = Address.parse(destination);
        Optional<Address> own = source.map(Address::parse).or(() -> nearest(router, table, to));
        if (own.isEmpty() || !router.owns(own.get(), table)) {
            return new Ping(false, "this router has no such source address" + (table.isEmpty() ? "" : " in " + table));
        }
        Fate there = send(router, table, probe.there(own.get(), to), new ArrayList<>());
        if (there instanceof Fate.Dropped dropped) {
            return new Ping(false, dropped.reason());
        }
        Fate.Delivered at = (Fate.Delivered) there;
        Fate back = send(at.router(), at.table(), probe.back(to, own.get()), new ArrayList<>());
        boolean home = isHome(back, from);
        return new Ping(home, home ? "" : "no answer");
    }

    /**
     * A port, and what it says of the link it is an end of.
     *
     * @param neighbour the device and port at the other end, as it says of itself (IEEE 802.1AB); empty where nothing is heard
     * @param network what the link's own, untagged part is in; empty where it is in none
     * @param area of the interior routing protocol; empty where it takes no part
     * @param mtu largest packet there, in bytes
     * @param hello seconds between hellos of that protocol; empty like the area, and so are {@code dead} and {@code stub}
     * @param dead seconds without any until the neighbour is taken for gone
     * @param stub whether the area takes no routes from outside, {@code yes} or {@code no}
     * @param bundled whether the port is one of a bundle
     */
    public record PortState(boolean up, String neighbour, String network, String area, String mtu, String hello, String dead, String stub, boolean bundled) {}

    /** How a port stands: it is up where its cable leads to a port that is not switched off either. */
    public PortState port(String device, String port) {
        Router router = routers.get(device);
        Optional<End> far = links.wire(new End(device, port));
        boolean up = router != null && !router.down().contains(port)
                && far.map(end -> routers.get(end.device())).filter(other -> !other.down().contains(far.get().port())).isPresent();
        Optional<IpInterface> own = router == null ? Optional.empty() : router.interfacesIn(Router.OWN).stream()
                .filter(iface -> iface.port().equals(port) && iface.frames().equals("untagged")).findFirst();
        Optional<Ospf> ospf = own.flatMap(router::ospf);
        return new PortState(up, up ? far.get().device() + " " + far.get().port() : "", own.map(iface -> iface.network().toString()).orElse(""),
                ospf.map(Ospf::area).orElse(""), own.map(iface -> Integer.toString(iface.mtu())).orElse(""), ospf.map(each -> Integer.toString(each.hello())).orElse(""),
                ospf.map(each -> Integer.toString(each.dead())).orElse(""), ospf.map(each -> each.stub() ? "yes" : "no").orElse(""),
                router != null && router.bundled().contains(port));
    }

    /** Why a table has no route to just this prefix with a next hop that is somebody else's on one of its links; absent where it has one. */
    public Optional<String> missing(String name, String table, String prefix) {
        Net wanted = Net.of(prefix);
        return inTable(name, table, (router, vrf) -> has(router, vrf, wanted) || sources(router, vrf, wanted.first().width()).anyMatch(source ->
                vrf.takes(source.vrf(), wanted) && has(source.router(), source.vrf(), wanted) && !replaced(router, source, wanted.first(), wanted.length()))
                        ? Optional.empty() : Optional.of(name + " has no route to just " + prefix + " in " + table));
    }

    /** What is wrong in a table of a router; where there is none, that. */
    private Optional<String> inTable(String name, String table, BiFunction<Router, Table, Optional<String>> wrong) {
        Router router = routers.get(name);
        Optional<Table> vrf = router == null ? Optional.empty() : router.table(table);
        return vrf.isEmpty() ? Optional.of("there is no VRF " + table) : wrong.apply(router, vrf.get());
    }

    /** Why a VRF has no routing session with a customer's router at an address; absent where it has one. */
    public Optional<String> silent(String name, String table, String peer) {
        return inTable(name, table, (router, vrf) -> exchange.down(router, vrf, Address.parse(peer)));
    }

    /** Why a VRF does not take exactly a number of prefixes from a customer's router at an address; absent where it does. */
    Optional<String> miscounted(String name, String table, String peer, long count) {
        return silent(name, table, peer).or(() -> {
            Router router = routers.get(name);
            long taken = exchange.taken(router, router.table(table).orElseThrow(), Address.parse(peer));
            return taken == count ? Optional.empty() : Optional.of("it takes " + taken + (taken == 1 ? " prefix" : " prefixes") + " from " + peer + ", not " + count);
        });
    }

    /** Why a VRF takes no routes of the router that owns an address; absent where it does. */
    Optional<String> untold(String name, String table, String peer) {
        Router router = routers.get(name);
        Optional<Table> vrf = router == null ? Optional.empty() : router.table(table);
        Optional<String> owner = backbone.owner(Address.parse(peer));
        if (vrf.isEmpty() || owner.isEmpty()) {
            return Optional.of(vrf.isEmpty() ? "there is no VRF " + table : "nobody is at " + peer);
        }
        return Stream.of(32, 128).flatMap(width -> sources(router, vrf.get(), width)).anyMatch(source -> source.router().name().equals(owner.get())) ? Optional.empty()
                : Optional.of("no route of " + owner.get() + " comes in: " + apart(router, vrf.get(), routers.get(owner.get())));
    }

    /**
     * The first route that a VRF imports of another VRF than these; absent where there is none.
     *
     * @param distinguishers route distinguishers of the VRFs whose routes may be there
     * @param targets route targets that a route may carry, whatever VRF it is of
     */
    Optional<String> foreign(String name, String table, Set<String> distinguishers, Set<String> targets) {
        return inTable(name, table, (router, vrf) -> Stream.of(32, 128).flatMap(width -> sources(router, vrf, width)).filter(source -> !distinguishers.contains(source.vrf().rd())
                && Collections.disjoint(source.vrf().exports(), targets) && told(source).all().anyMatch(prefix -> vrf.takes(source.vrf(), prefix)))
                .map(source -> "routes of " + source.vrf().name() + " on " + source.router().name() + " come in, with the route distinguisher " + source.vrf().rd())
                .min(Comparator.naturalOrder()));
    }

    /** What keeps the routes of another router's tables out of one here, the first that an engineer would look for. */
    private String apart(Router router, Table vrf, Router other) {
        if (Stream.of("vpn", "vpn6", "evpn").noneMatch(family -> backbone.announcing(router.name(), family).contains(other.name()))) {
            return "there is no session that it could come over";
        }
        Optional<Table> fitting = other.tables().stream().filter(table -> !Collections.disjoint(table.exports(), vrf.imports())).findFirst();
        if (fitting.isEmpty()) {
            return "it gives none of the route targets " + String.join(", ", new TreeSet<>(vrf.imports()));
        }
        String here = vrf.overlay().map(Router.Overlay::vni).orElse("");
        String there = fitting.get().overlay().map(Router.Overlay::vni).orElse("");
        return here.equals(there) ? "each needs a router's MAC address of its own"
                : "its network identifier is " + (there.isEmpty() ? "not said" : there) + " there and " + (here.isEmpty() ? "not said" : here) + " here";
    }

    private boolean has(Router router, Table table, Net prefix) {
        return router.interfacesIn(table.name()).stream().anyMatch(iface -> iface.network().equals(prefix))
                || table.statics().stream().anyMatch(route -> route.prefix().equals(prefix) && router.interfacesIn(table.name()).stream()
                        .anyMatch(iface -> iface.network().holds(route.nextHop()) && !iface.address().equals(route.nextHop())))
                || exchange.learnt(router, table).anyMatch(each -> each.prefix().equals(prefix));
    }

    /** What a table has of itself: the networks it is on, and static routes whose next hop is on one of them. */
    Stream<Net> own(Router router, Table table) {
        List<IpInterface> interfaces = router.interfacesIn(table.name());
        return Stream.concat(interfaces.stream().map(IpInterface::network), table.statics().stream()
                .filter(route -> interfaces.stream().anyMatch(iface -> iface.network().holds(route.nextHop()))).map(Router.Static::prefix));
    }

    /**
     * The routers that a packet comes through, and those that the answer comes through.
     *
     * @param lost why the one or the other got no further; empty where the answer came home
     */
    public record Trace(List<String> there, List<String> back, String lost) {

        public boolean answered() {
            return lost.isEmpty();
        }
    }

    /**
     * Follows a packet, and its answer, from router to router.
     *
     * @param source address to send from; the one of the interface nearest to the destination where it is absent
     */
    public Trace trace(String from, String table, Optional<String> source, String destination) {
        Router router = routers.get(from);
        if (router == null || router.table(table).isEmpty()) {
            return new Trace(List.of(), List.of(), router == null ? "the lab does not know what devices of this family do" : "there is no VRF " + table);
        }
        Address to = Address.parse(destination);
        Optional<Address> own = source.map(Address::parse).or(() -> nearest(router, table, to));
        if (own.isEmpty()) {
            return new Trace(List.of(), List.of(), from + " has no address of its own to send from");
        }
        List<String> there = new ArrayList<>();
        Fate fate = send(router, table, echo(SMALLEST).there(own.get(), to), there);
        if (fate instanceof Fate.Dropped dropped) {
            return new Trace(there, List.of(), dropped.reason());
        }
        Fate.Delivered at = (Fate.Delivered) fate;
        List<String> back = new ArrayList<>();
        Fate home = send(at.router(), at.table(), echo(SMALLEST).back(to, own.get()), back);
        return new Trace(there, back, isHome(home, from) ? "" : home instanceof Fate.Dropped dropped ? dropped.reason() : "the answer came home to another");
    }

    private static boolean isHome(Fate back, String from) {
        return back instanceof Fate.Delivered at && at.router().name().equals(from);
    }

    private static Optional<Address> nearest(Router router, String table, Address to) {
        return router.interfacesIn(table).stream().filter(iface -> iface.address().width() == to.width())
                .sorted(Comparator.comparing(iface -> !iface.network().holds(to))).map(IpInterface::address).findFirst();
    }

    /**
     * @param way where each router that it comes to is added
     */
    private Fate send(Router from, String table, Packet packet, List<String> way) {
        Router router = from;
        String in = table;
        for (int left = TIME_TO_LIVE; left > 0; left--) {
            way.add(router.name() + (in.isEmpty() ? "" : " in " + in));
            if (router.owns(packet.destination(), in)) {
                return new Fate.Delivered(router, in);
            }
            Optional<Route> best = best(router, in, packet.destination());
            if (best.isEmpty()) {
                return new Fate.Dropped(router.name() + " has no route" + (in.isEmpty() ? "" : " in " + in));
            }
            if (packet.size() > best.get().mtu()) {
                return new Fate.Dropped(router.name() + " passes " + best.get().mtu() + " bytes at most there, not " + packet.size());
            }
            if (best.get().into().isEmpty() && !backbone.carries(router.name(), best.get().next().router().name(), packet.size() + best.get().added())) {
                return new Fate.Dropped("the way from " + router.name() + " to " + best.get().next().router().name() + " passes "
                        + (backbone.passes(router.name(), best.get().next().router().name()) - best.get().added()) + " bytes at most, not " + packet.size());
            }
            router = best.get().next().router();
            in = best.get().next().table();
            Optional<IpInterface> into = best.get().into();
            if (into.isPresent() && !router.admits(into.get(), packet)) {
                return new Fate.Dropped(router.name() + " keeps it out at " + into.get().part() + " by the packet filter " + into.get().guard().orElseThrow());
            }
        }
        return new Fate.Dropped("time to live exceeded");
    }

    private Optional<Route> best(Router router, String table, Address destination) {
        Stream<Route> connected = router.interfacesIn(table).stream().filter(iface -> iface.network().holds(destination))
                .flatMap(iface -> onLink(router, iface, destination).stream()
                        .map(link -> Route.over(link, iface.network().length(), 0)));
        Stream<Route> statics = router.table(table).stream().flatMap(each -> each.statics().stream())
                .filter(route -> route.prefix().holds(destination))
                .flatMap(route -> router.interfacesIn(table).stream().filter(iface -> iface.network().holds(route.nextHop()))
                        .flatMap(iface -> onLink(router, iface, route.nextHop()).stream())
                        .map(link -> Route.over(link, route.prefix().length(), 1)));
        Stream<Route> learnt = router.table(table).stream().flatMap(each -> exchange.learnt(router, each)).filter(route -> route.prefix().holds(destination))
                .map(route -> Route.over(route.via(), route.prefix().length(), 1));
        Stream<Route> interior = table.isEmpty() ? backbone.interior(router.name()).stream().map(routers::get).filter(other -> other.tells(destination))
                .map(other -> Route.interior(new Hop(other, Router.OWN), destination.width(), 3, 0)) : Stream.empty();
        Stream<Route> imported = table.isEmpty() ? Stream.empty()
                : router.table(table).stream().flatMap(vrf -> imported(router, vrf, destination));
        return Stream.of(connected, statics, learnt, imported, interior).flatMap(routes -> routes)
                .max(Comparator.comparingInt(Route::length).thenComparing(Route::rank, Comparator.reverseOrder()));
    }

    /** The neighbour with this address on the other side of an interface's wire: same tag, port and interface enabled. */
    Optional<Link> onLink(Router router, IpInterface iface, Address address) {
        return links.across(router, iface).stream().filter(far -> far.iface().address().equals(address)).findFirst()
                .map(far -> new Link(new Hop(far.router(), far.iface().table()), Math.min(iface.mtu(), far.iface().mtu()), far.iface()));
    }

    private Stream<Route> imported(Router router, Table vrf, Address destination) {
        return sources(router, vrf, destination.width()).flatMap(source -> told(source).longest(destination, prefix -> vrf.takes(source.vrf(), prefix)).stream()
                .filter(length -> !replaced(router, source, destination, length))
                .map(length -> Route.interior(new Hop(source.router(), source.vrf().name()), length, 2, source.vrf().overlay().isPresent() ? VXLAN : LABELS)));
    }

    /**
     * Whether a route does not come here because a reflector tells of only one route of each distinguisher and prefix (RFC 4364 §4.2, RFC 4456):
     * that of the router with the least name, in place of its choice.
     */
    private boolean replaced(Router router, Source source, Address destination, int length) {
        List<Source> same = byDistinguisher.getOrDefault(source.vrf().rd(), List.of());
        return same.size() > 1 && !source.vrf().rd().isEmpty() && !source.router().equals(router)
                && !backbone.sessions(router.name(), destination.width() == 32 ? "vpn" : "vpn6").contains(source.router().name())
                && same.stream().filter(other -> !other.router().equals(router) && other.router().name().compareTo(source.router().name()) < 0)
                        .anyMatch(other -> told(other).longest(destination).stream().anyMatch(each -> each == length));
    }

    /** A VRF whose VPN routes another one imports. */
    record Source(Router router, Table vrf) {}

    /**
     * The VRFs whose export targets a VRF imports: others here, and those of routers whose routes reach this one, over labels
     * (RFC 4364 §4.3.1) or over VXLAN (RFC 9136).
     *
     * @param width of the addresses that it is about, in bits: routes of either version of IP have a family of their own (RFC 4659)
     */
    Stream<Source> sources(Router router, Table vrf, int width) {
        return sources.computeIfAbsent(router.name() + " " + vrf.name() + " " + width, key -> gatherSources(router, vrf, width).toList()).stream();
    }

    private Stream<Source> gatherSources(Router router, Table vrf, int width) {
        if (vrf.imports().isEmpty()) {
            return Stream.empty();
        }
        Source here = new Source(router, vrf);
        Set<String> vpn = backbone.announcing(router.name(), width == 32 ? "vpn" : "vpn6");
        Set<String> overlay = vrf.overlay().isPresent() ? backbone.announcing(router.name(), "evpn") : Set.of();
        // Of the tables of a whole network few export what one of them imports.
        return vrf.imports().stream().flatMap(target -> byExport.getOrDefault(target, List.of()).stream()).distinct().filter(source -> !source.equals(here))
                .filter(source -> source.router().equals(router) || vpn.contains(source.router().name())
                        || overlay.contains(source.router().name()) && vrf.overlay().isPresent() && source.vrf().overlay().filter(vrf.overlay().get()::carries).isPresent())
                .sorted(Comparator.comparing((Source source) -> !source.router().equals(router)).thenComparing(source -> source.router().name()));
    }

    private static Stream<Source> tables(Router router) {
        return router.tables().stream().map(table -> new Source(router, table));
    }

    /** Where packets are put onto a segment: by which device, and its name there. */
    record Landing(String device, String segment) {}

    /** Where a table's packets for a host on a segment are put onto it: here if the segment is here, else by a leaf that tells of it. */
    Optional<Landing> landing(String name, String table, Address host) {
        Router router = routers.get(name);
        return router == null ? Optional.empty() : router.table(table).flatMap(vrf -> Stream.concat(Stream.of(new Source(router, vrf)), sources(router, vrf, host.width()))
                .flatMap(source -> source.router().interfacesIn(source.vrf().name()).stream()
                        .filter(iface -> iface.port().equals(Router.GATEWAY) && iface.network().holds(host))
                        .map(iface -> Map.entry(iface.network().length(), new Landing(source.router().name(), iface.circuit()))))
                // The first of the longest: what is here comes before what is told.
                .reduce((one, other) -> other.getKey() > one.getKey() ? other : one).map(Map.Entry::getValue));
    }

    /** The prefixes that a VRF announces: what it has of itself, and what its customers told. */
    private Prefixes told(Source source) {
        return told.computeIfAbsent(source.router().name() + " " + source.vrf().name(), key -> Prefixes.of(Stream.concat(own(source.router(), source.vrf()),
                exchange.learnt(source.router(), source.vrf()).map(RouteExchange.Learnt::prefix))));
    }

    /** Whether an address is a table's own on a device, and no other device of its VPN has it too. */
    boolean ownAlone(String name, String table, Address address) {
        Router router = routers.get(name);
        return router != null && router.owns(address, table) && router.table(table).filter(vrf -> sources(router, vrf, address.width())
                .noneMatch(source -> source.router().owns(address, source.vrf().name()))).isPresent();
    }
}
