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

    private record Route(int length, int rank, Hop next) {}

    /**
     * Sends an echo request and its answer.
     *
     * @param table the VRF to send in; the router's own where it is empty
     * @param source address to send from; the one of the unit nearest to the destination where it is absent
     */
    public Ping ping(String from, String table, Optional<String> source, String destination) {
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
        Fate there = send(router, table, to);
        if (there instanceof Fate.Dropped dropped) {
            return new Ping(false, dropped.reason());
        }
        Fate.Delivered at = (Fate.Delivered) there;
        Fate back = send(at.router(), at.table(), own.get());
        if (back instanceof Fate.Dropped) {
            return new Ping(false, "no answer");
        }
        boolean home = ((Fate.Delivered) back).router().name().equals(from);
        return new Ping(home, home ? "" : "no answer");
    }

    private Fate send(Router from, String table, long destination) {
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
            router = best.get().next().router();
            in = best.get().next().table();
        }
        return new Fate.Dropped("time to live exceeded");
    }

    private Optional<Route> best(Router router, String table, long destination) {
        Stream<Route> connected = router.unitsIn(table).stream().filter(unit -> unit.network().holds(destination))
                .flatMap(unit -> onLink(router, unit, destination).stream()
                        .map(hop -> new Route(unit.network().length(), 0, hop)));
        Stream<Route> statics = router.table(table).stream().flatMap(each -> each.statics().stream())
                .filter(route -> route.prefix().holds(destination))
                .flatMap(route -> router.unitsIn(table).stream().filter(unit -> unit.network().holds(route.nextHop()))
                        .flatMap(unit -> onLink(router, unit, route.nextHop()).stream())
                        .map(hop -> new Route(route.prefix().length(), 1, hop)));
        Stream<Route> interior = table.isEmpty() ? interior(router).stream().filter(other -> other.owns(destination, Router.OWN))
                .map(other -> new Route(32, 3, new Hop(other, Router.OWN))) : Stream.empty();
        Stream<Route> imported = table.isEmpty() ? Stream.empty()
                : router.table(table).stream().flatMap(vrf -> imported(router, vrf, destination));
        return Stream.of(connected, statics, imported, interior).flatMap(routes -> routes)
                .max(Comparator.comparingInt(Route::length).thenComparing(Route::rank, Comparator.reverseOrder()));
    }

    /** The neighbour with this address on the other side of a unit's wire: same tag, port and unit enabled. */
    private Optional<Hop> onLink(Router router, Unit unit, long address) {
        return wiring.across(new End(router.name(), unit.port())).flatMap(end -> {
            Router other = routers.get(end.device());
            return other == null ? Optional.<Hop>empty() : other.units().stream()
                    .filter(far -> far.port().equals(end.port()) && far.frames().equals(unit.frames()) && far.address() == address)
                    .findFirst().map(far -> new Hop(other, far.table()));
        });
    }

    /** VPN routes whose export targets this VRF imports, from routers whose routes reach this one. */
    private Stream<Route> imported(Router router, Table vrf, long destination) {
        return announcing(router).stream().flatMap(peer -> peer.tables().stream()
                .filter(remote -> !Collections.disjoint(remote.exports(), vrf.imports()))
                .flatMap(remote -> exported(peer, remote, destination).map(length -> new Route(length, 2, new Hop(peer, remote.name())))));
    }

    /** Lengths of the prefixes that a VRF announces for a destination: what is connected to it, and its static routes. */
    private static Stream<Integer> exported(Router peer, Table remote, long destination) {
        return Stream.concat(
                peer.unitsIn(remote.name()).stream().map(Unit::network),
                remote.statics().stream().filter(route -> peer.unitsIn(remote.name()).stream()
                        .anyMatch(unit -> unit.network().holds(route.nextHop()))).map(Router.Static::prefix))
                .filter(prefix -> prefix.holds(destination)).map(Ipv4::length);
    }

    /** Routers whose VPN routes reach this one: over a session with it, or reflected by one that has sessions with both (RFC 4456). */
    private Set<Router> announcing(Router router) {
        Set<Router> announcing = new LinkedHashSet<>();
        for (Router peer : sessions(router)) {
            announcing.add(peer);
            for (Router other : sessions(peer)) {
                if (!other.equals(router) && (isClient(peer, router) || isClient(peer, other))) {
                    announcing.add(other);
                    // One reflector may have it from another one, of which it is no client.
                    sessions(other).stream().filter(third -> isClient(other, third) && isClient(peer, router)).forEach(announcing::add);
                }
            }
        }
        announcing.remove(router);
        return announcing;
    }

    private static boolean isClient(Router reflector, Router client) {
        return reflector.neighbours().stream().anyMatch(neighbour -> neighbour.client() && client.owns(neighbour.address(), Router.OWN));
    }

    /** The routers there is an established session for VPN routes with. */
    private List<Router> sessions(Router router) {
        Set<Router> near = interior(router);
        return routers.values().stream().filter(peer -> !peer.name().equals(router.name()) && near.contains(peer)
                && names(router, peer) && names(peer, router)).toList();
    }

    /** A session is up where both ends name an address of the other's own table, with the right AS and family. */
    private static boolean names(Router a, Router b) {
        return a.neighbours().stream().anyMatch(neighbour -> neighbour.vpn() && neighbour.remoteAs() == b.as() && b.owns(neighbour.address(), Router.OWN));
    }

    /** The routers that interior routing reaches, this one included: both ends of each link take part in it and share a network. */
    private Set<Router> interior(Router from) {
        Set<Router> reached = new LinkedHashSet<>(Set.of(from));
        Deque<Router> next = new ArrayDeque<>(reached);
        while (!next.isEmpty()) {
            Router router = next.pop();
            for (Unit unit : router.unitsIn(Router.OWN)) {
                if (!router.interior().contains(unit.port() + " " + unit.unit())) {
                    continue;
                }
                wiring.across(new End(router.name(), unit.port())).ifPresent(end -> {
                    Router other = routers.get(end.device());
                    if (other != null && other.unitsIn(Router.OWN).stream().anyMatch(far -> far.port().equals(end.port())
                            && far.frames().equals(unit.frames()) && far.network().equals(unit.network())
                            && other.interior().contains(far.port() + " " + far.unit())) && reached.add(other)) {
                        next.push(other);
                    }
                });
            }
        }
        return reached;
    }
}
