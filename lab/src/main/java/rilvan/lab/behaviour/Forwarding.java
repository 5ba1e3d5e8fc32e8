package rilvan.lab.behaviour;

import java.util.Collections;
import java.util.Comparator;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import rilvan.lab.behaviour.Router.Table;
import rilvan.lab.behaviour.Router.Unit;
import rilvan.lab.behaviour.Wiring.End;

/**
 * Where packets go in a network of routers: connected networks, static routes, and VPN routes (RFC 4364) that a router
 * imports from the neighbours it has a BGP session with. Longest prefix first; a connected network before the rest.
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
        Stream<Route> imported = table.isEmpty() ? Stream.empty()
                : router.table(table).stream().flatMap(vrf -> imported(router, vrf, destination));
        return Stream.of(connected, statics, imported).flatMap(routes -> routes)
                .max(Comparator.comparingInt(Route::length).thenComparing(Route::rank, Comparator.reverseOrder()));
    }

    /** The neighbour with this address on the other side of a unit's wire: same tag, port and unit enabled. */
    private Optional<Hop> onLink(Router router, Unit unit, long address) {
        return wiring.across(new End(router.name(), unit.port())).flatMap(end -> {
            Router other = routers.get(end.device());
            return other.units().stream()
                    .filter(far -> far.port().equals(end.port()) && far.tag() == unit.tag() && far.address() == address)
                    .findFirst().map(far -> new Hop(other, far.table()));
        });
    }

    /** VPN routes whose export targets this VRF imports, from routers there is an established session with. */
    private Stream<Route> imported(Router router, Table vrf, long destination) {
        return routers.values().stream().filter(peer -> !peer.name().equals(router.name()) && established(router, peer))
                .flatMap(peer -> peer.tables().stream()
                        .filter(remote -> !Collections.disjoint(remote.exports(), vrf.imports()))
                        .flatMap(remote -> exported(peer, remote, destination)
                                .map(length -> new Route(length, 2, new Hop(peer, remote.name())))));
    }

    /** Lengths of the prefixes that a VRF announces for a destination: what is connected to it, and its static routes. */
    private static Stream<Integer> exported(Router peer, Table remote, long destination) {
        return Stream.concat(
                peer.unitsIn(remote.name()).stream().map(Unit::network),
                remote.statics().stream().filter(route -> peer.unitsIn(remote.name()).stream()
                        .anyMatch(unit -> unit.network().holds(route.nextHop()))).map(Router.Static::prefix))
                .filter(prefix -> prefix.holds(destination)).map(Ipv4::length);
    }

    /** A BGP session is up where both ends name each other's address on a link they share, with the right AS and family. */
    private boolean established(Router a, Router b) {
        return names(a, b) && names(b, a);
    }

    private boolean names(Router a, Router b) {
        return a.neighbours().stream().anyMatch(neighbour -> neighbour.vpn() && neighbour.remoteAs() == b.as()
                && a.unitsIn(Router.OWN).stream().filter(unit -> unit.network().holds(neighbour.address()))
                        .anyMatch(unit -> onLink(a, unit, neighbour.address()).filter(hop -> hop.router().equals(b)).isPresent()));
    }
}
