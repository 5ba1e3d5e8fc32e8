package rilvan.lab.behaviour;

import java.util.ArrayDeque;
import java.util.Collections;
import java.util.Comparator;
import java.util.Deque;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.lab.behaviour.Router.Table;
import rilvan.lab.behaviour.Router.Unit;
import rilvan.lab.behaviour.Wiring.End;

/**
 * Where packets go in a network of routers: connected networks, static routes, interior routing, and VPN routes (RFC 4364) that
 * a router imports over BGP sessions. Longest prefix first; a connected network before the rest.
 */
public final class Forwarding {

    private static final int TIME_TO_LIVE = 32;

    private final Map<String, Router> routers;
    private final Wiring wiring;
    private final Map<String, Set<Router>> interiors = new ConcurrentHashMap<>();
    private final Map<String, List<Router>> established = new ConcurrentHashMap<>();

    Forwarding(Map<String, Router> routers, Wiring wiring) {
        this.routers = routers;
        this.wiring = wiring;
    }

    /** Whether a ping is answered, and if not, what became of it. */
    public record Ping(boolean answered, String reason) {}

    private sealed interface Fate {
        record Delivered(Router router, String table) implements Fate {}

        record Dropped(String reason) implements Fate {}
    }

    /** A hop: the router and the table a packet is looked up in next. */
    private record Hop(Router router, String table) {}

    /** A neighbour over a link, and what the link passes in bytes. */
    private record Link(Hop hop, int mtu) {}

    private record Route(int length, int rank, Hop next, int mtu) {}

    /**
     * Sends an echo request and its answer.
     *
     * @param table the VRF to send in; the router's own where it is empty
     * @param size of the packet in bytes; it is not fragmented
     * @param source address to send from; the one of the unit nearest to the destination where it is absent
     */
    public Ping ping(String from, String table, Optional<String> source, String destination, int size) {
        Router router = routers.get(from);
        if (router == null) {
            return new Ping(false, "the lab does not know what devices of this family do");
        }
        if (router.table(table).isEmpty()) {
            return new Ping(false, "there is no VRF " + table);
        }
        long to = Ipv4.address(destination);
        Optional<Long> own = source.map(Ipv4::address).or(() -> router.unitsIn(table).stream()
                .sorted(Comparator.comparing(unit -> !unit.network().holds(to))).map(Unit::address).findFirst());
        if (own.isEmpty() || !router.owns(own.get(), table)) {
            return new Ping(false, "this router has no such source address" + (table.isEmpty() ? "" : " in " + table));
        }
        Fate there = send(router, table, to, size);
        if (there instanceof Fate.Dropped dropped) {
            return new Ping(false, dropped.reason());
        }
        Fate.Delivered at = (Fate.Delivered) there;
        Fate back = send(at.router(), at.table(), own.get(), size);
        if (back instanceof Fate.Dropped) {
            return new Ping(false, "no answer");
        }
        boolean home = ((Fate.Delivered) back).router().name().equals(from);
        return new Ping(home, home ? "" : "no answer");
    }

    /**
     * A port, and what it says of the link it is an end of.
     *
     * @param neighbour the device and port at the other end, as it says of itself (IEEE 802.1AB); empty where nothing is heard
     * @param network what the link's own, untagged part is in; empty where it is in none
     * @param area of the interior routing protocol; empty where it takes no part
     * @param mtu largest packet there, in bytes
     */
    public record PortState(boolean up, String neighbour, String network, String area, String mtu) {}

    /** How a port stands: it is up where its cable leads to a port that is not switched off either. */
    public PortState port(String device, String port) {
        Router router = routers.get(device);
        Optional<End> far = wiring.across(new End(device, port));
        boolean up = router != null && !router.down().contains(port)
                && far.map(end -> routers.get(end.device())).filter(other -> !other.down().contains(far.get().port())).isPresent();
        Optional<Unit> own = router == null ? Optional.empty() : router.unitsIn(Router.OWN).stream()
                .filter(unit -> unit.port().equals(port) && unit.frames().equals("untagged")).findFirst();
        return new PortState(up, up ? far.get().device() + " " + far.get().port() : "", own.map(unit -> unit.network().toString()).orElse(""),
                own.map(unit -> router.interior().getOrDefault(unit.port() + " " + unit.unit(), "")).orElse(""),
                own.map(unit -> Integer.toString(unit.mtu())).orElse(""));
    }

    /** Why a table has no route to just this prefix with a next hop that is somebody else's on one of its links; absent where it has one. */
    public Optional<String> missing(String name, String table, String prefix) {
        Router router = routers.get(name);
        Optional<Table> vrf = router == null ? Optional.empty() : router.table(table);
        if (vrf.isEmpty()) {
            return Optional.of("there is no VRF " + table);
        }
        Ipv4 wanted = Ipv4.parse(prefix);
        boolean own = has(router, vrf.get(), wanted);
        boolean learnt = exporting(router, vrf.get()).anyMatch(peer -> peer.tables().stream()
                .anyMatch(remote -> !Collections.disjoint(remote.exports(), vrf.get().imports()) && has(peer, remote, wanted)));
        return own || learnt ? Optional.empty() : Optional.of(name + " has no route to just " + prefix + " in " + table);
    }

    private static boolean has(Router router, Table table, Ipv4 prefix) {
        return router.unitsIn(table.name()).stream().anyMatch(unit -> unit.network().equals(prefix))
                || table.statics().stream().anyMatch(route -> route.prefix().equals(prefix) && router.unitsIn(table.name()).stream()
                        .anyMatch(unit -> unit.network().holds(route.nextHop()) && unit.address() != route.nextHop()));
    }

    private Fate send(Router from, String table, long destination, int size) {
        Router router = from;
        String in = table;
        for (int left = TIME_TO_LIVE; left > 0; left--) {
            if (router.owns(destination, in)) {
                return new Fate.Delivered(router, in);
            }
            Optional<Route> best = best(router, in, destination);
            if (best.isEmpty()) {
                return new Fate.Dropped(router.name() + " has no route" + (in.isEmpty() ? "" : " in " + in));
            }
            if (size > best.get().mtu()) {
                return new Fate.Dropped(router.name() + " passes " + best.get().mtu() + " bytes at most there, not " + size);
            }
            router = best.get().next().router();
            in = best.get().next().table();
        }
        return new Fate.Dropped("time to live exceeded");
    }

    private Optional<Route> best(Router router, String table, long destination) {
        Stream<Route> connected = router.unitsIn(table).stream().filter(unit -> unit.network().holds(destination))
                .flatMap(unit -> onLink(router, unit, destination).stream()
                        .map(link -> new Route(unit.network().length(), 0, link.hop(), link.mtu())));
        Stream<Route> statics = router.table(table).stream().flatMap(each -> each.statics().stream())
                .filter(route -> route.prefix().holds(destination))
                .flatMap(route -> router.unitsIn(table).stream().filter(unit -> unit.network().holds(route.nextHop()))
                        .flatMap(unit -> onLink(router, unit, route.nextHop()).stream())
                        .map(link -> new Route(route.prefix().length(), 1, link.hop(), link.mtu())));
        Stream<Route> interior = table.isEmpty() ? interior(router).stream().filter(other -> other.owns(destination, Router.OWN))
                .map(other -> new Route(32, 3, new Hop(other, Router.OWN), Switch.LONGEST)) : Stream.empty();
        Stream<Route> imported = table.isEmpty() ? Stream.empty()
                : router.table(table).stream().flatMap(vrf -> imported(router, vrf, destination));
        return Stream.of(connected, statics, imported, interior).flatMap(routes -> routes)
                .max(Comparator.comparingInt(Route::length).thenComparing(Route::rank, Comparator.reverseOrder()));
    }

    /** The neighbour with this address on the other side of a unit's wire: same tag, port and unit enabled. */
    private Optional<Link> onLink(Router router, Unit unit, long address) {
        return wiring.across(new End(router.name(), unit.port())).flatMap(end -> {
            Router other = routers.get(end.device());
            return other == null ? Optional.<Link>empty() : other.units().stream()
                    .filter(far -> far.port().equals(end.port()) && far.frames().equals(unit.frames()) && far.address() == address)
                    .findFirst().map(far -> new Link(new Hop(other, far.table()), Math.min(unit.mtu(), far.mtu())));
        });
    }

    /** VPN routes whose export targets this VRF imports: of other VRFs here, and from routers whose routes reach this one (RFC 4364 §4.3.1). */
    private Stream<Route> imported(Router router, Table vrf, long destination) {
        return exporting(router, vrf).flatMap(peer -> peer.tables().stream().filter(remote -> !peer.equals(router) || !remote.equals(vrf))
                .filter(remote -> !Collections.disjoint(remote.exports(), vrf.imports()))
                .flatMap(remote -> exported(peer, remote, destination).map(length -> new Route(length, 2, new Hop(peer, remote.name()), Switch.LONGEST))));
    }

    private Stream<Router> exporting(Router router, Table vrf) {
        return vrf.imports().isEmpty() ? Stream.empty() : Stream.concat(Stream.of(router), announcing(router, "vpn").stream());
    }

    /** Lengths of the prefixes that a VRF announces for a destination: what is connected to it, and its static routes. */
    private static Stream<Integer> exported(Router peer, Table remote, long destination) {
        return Stream.concat(
                peer.unitsIn(remote.name()).stream().map(Unit::network),
                remote.statics().stream().filter(route -> peer.unitsIn(remote.name()).stream()
                        .anyMatch(unit -> unit.network().holds(route.nextHop()))).map(Router.Static::prefix))
                .filter(prefix -> prefix.holds(destination)).map(Ipv4::length);
    }

    /** The routers whose routes of a family reach one, by name. */
    Set<String> announcing(String name, String family) {
        return routers.containsKey(name) ? announcing(routers.get(name), family).stream().map(Router::name).collect(Collectors.toCollection(TreeSet::new)) : Set.of();
    }

    /** Whose own address this is. */
    Optional<String> owner(long address) {
        return routers.values().stream().filter(router -> router.owns(address, Router.OWN)).map(Router::name).findFirst();
    }

    /** Whether interior routing leads from one router to another. */
    boolean reaches(String from, String to) {
        return interior(routers.get(from)).contains(routers.get(to));
    }

    /** Routers whose routes of a family reach this one: over a session with it, or reflected by one that has sessions with both (RFC 4456). */
    private Set<Router> announcing(Router router, String family) {
        Set<Router> announcing = new LinkedHashSet<>();
        for (Router peer : sessions(router, family)) {
            announcing.add(peer);
            for (Router other : sessions(peer, family)) {
                if (!other.equals(router) && (isClient(peer, router) || isClient(peer, other))) {
                    announcing.add(other);
                    // One reflector may have it from another one, of which it is no client.
                    sessions(other, family).stream().filter(third -> isClient(other, third) && isClient(peer, router)).forEach(announcing::add);
                }
            }
        }
        announcing.remove(router);
        return announcing;
    }

    private static boolean isClient(Router reflector, Router client) {
        return reflector.neighbours().stream().anyMatch(neighbour -> neighbour.client() && client.owns(neighbour.address(), Router.OWN));
    }

    /** The routers there is an established session for routes of a family with. */
    private List<Router> sessions(Router router, String family) {
        return established.computeIfAbsent(family + " " + router.name(), key -> establish(router, family));
    }

    private List<Router> establish(Router router, String family) {
        Set<Router> near = interior(router);
        return routers.values().stream().filter(peer -> !peer.name().equals(router.name()) && near.contains(peer)
                && names(router, peer, family) && names(peer, router, family)).toList();
    }

    /** A session is up where both ends name an address of the other's own table, with the right AS and family. */
    private static boolean names(Router a, Router b, String family) {
        return a.neighbours().stream().anyMatch(neighbour -> neighbour.families().contains(family) && neighbour.remoteAs() == b.as() && b.owns(neighbour.address(), Router.OWN));
    }

    /**
     * The routers that interior routing reaches, this one included. Two are neighbours where both ends of a link take part in the
     * same area, share a network, and pass packets of the same size (RFC 2328 §10.5, §10.6).
     */
    private Set<Router> interior(Router from) {
        return interiors.computeIfAbsent(from.name(), key -> explore(from));
    }

    private Set<Router> explore(Router from) {
        Set<Router> reached = new LinkedHashSet<>(Set.of(from));
        Deque<Router> next = new ArrayDeque<>(reached);
        while (!next.isEmpty()) {
            Router router = next.pop();
            for (Unit unit : router.unitsIn(Router.OWN)) {
                String area = router.interior().get(unit.port() + " " + unit.unit());
                if (area == null) {
                    continue;
                }
                wiring.across(new End(router.name(), unit.port())).ifPresent(end -> {
                    Router other = routers.get(end.device());
                    if (other != null && other.unitsIn(Router.OWN).stream().anyMatch(far -> far.port().equals(end.port())
                            && far.frames().equals(unit.frames()) && far.network().equals(unit.network())
                            && far.mtu() == unit.mtu() && area.equals(other.interior().get(far.port() + " " + far.unit()))) && reached.add(other)) {
                        next.push(other);
                    }
                });
            }
        }
        return reached;
    }
}
