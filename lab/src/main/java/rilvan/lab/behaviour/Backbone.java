package rilvan.lab.behaviour;

import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.lab.behaviour.Router.IpInterface;

/**
 * Interior routing, and the BGP sessions between providers' routers: what the packets and routes of all VPNs depend on, and what no VPN changes. So it is worked out
 * once for many changes of VPNs, which matters where there are a thousand routers.
 */
final class Backbone {

    private final Map<String, Router> routers;
    private final Links links;
    private final Map<Address, Router> owners = new HashMap<>();
    private final Map<String, Set<String>> interiors = new ConcurrentHashMap<>();
    private final Map<String, Set<String>> established = new ConcurrentHashMap<>();
    private final Map<String, Set<String>> announcing = new ConcurrentHashMap<>();
    private final Map<String, Set<String>> clients = new ConcurrentHashMap<>();
    private final Map<String, Map<String, Integer>> widest = new ConcurrentHashMap<>();
    /** What every link of the interior passes, in bytes. */
    private final int narrowest;

    Backbone(Map<String, Router> routers, Wiring wiring) {
        this.routers = routers;
        this.links = new Links(routers, wiring);
        routers.values().forEach(router -> router.interfacesIn(Router.OWN).forEach(iface -> owners.putIfAbsent(iface.address(), router)));
        this.narrowest = routers.values().stream().flatMap(router -> router.interfacesIn(Router.OWN).stream().filter(iface -> router.ospf(iface).isPresent()))
                .mapToInt(IpInterface::mtu).min().orElse(Switch.LONGEST);
    }

    /** Whether it is that of some routers as well: nothing that it depends on is another one there. */
    boolean isOf(Map<String, Router> others) {
        return routers.size() == others.size() && routers.entrySet().stream().allMatch(each -> others.containsKey(each.getKey()) && each.getValue().isSameInBackbone(others.get(each.getKey())));
    }

    /** Whose own address this is. */
    Optional<String> owner(Address address) {
        return Optional.ofNullable(owners.get(address)).map(Router::name);
    }

    /** Whether interior routing leads from one router to another. */
    boolean reaches(String from, String to) {
        return interior(from).contains(to);
    }

    /** Routers whose routes of a family reach this one: over a session with it, or reflected by one that has sessions with both (RFC 4456). */
    Set<String> announcing(String router, String family) {
        return announcing.computeIfAbsent(family + " " + router, key -> gather(router, family));
    }

    private Set<String> gather(String router, String family) {
        Set<String> gathered = new LinkedHashSet<>();
        for (String peer : sessions(router, family)) {
            gathered.add(peer);
            boolean client = isClient(peer, router);
            for (String other : sessions(peer, family)) {
                if (!other.equals(router) && (client || isClient(peer, other))) {
                    gathered.add(other);
                    // One reflector may have it from another one, of which it is no client.
                    if (client && !clients(other).isEmpty()) {
                        sessions(other, family).stream().filter(third -> isClient(other, third)).forEach(gathered::add);
                    }
                }
            }
        }
        gathered.remove(router);
        return gathered;
    }

    private boolean isClient(String reflector, String client) {
        return clients(reflector).contains(client);
    }

    private Set<String> clients(String reflector) {
        return clients.computeIfAbsent(reflector, key -> routers.get(reflector).neighbours().stream().filter(Router.Neighbour::client)
                .map(neighbour -> owners.get(neighbour.address())).filter(Objects::nonNull).map(Router::name).collect(Collectors.toSet()));
    }

    /** The routers there is an established session for routes of a family with. */
    Set<String> sessions(String router, String family) {
        return !routers.containsKey(router) ? Set.of() : established.computeIfAbsent(family + " " + router, key -> establish(routers.get(router), family));
    }

    /** A session is up where both ends name an address of the other's own table, with the right AS and family. */
    private Set<String> establish(Router router, String family) {
        Set<String> near = interior(router.name());
        return named(router, family).filter(peer -> !peer.equals(router) && near.contains(peer.name()) && named(peer, family).anyMatch(router::equals))
                .map(Router::name).collect(Collectors.toCollection(LinkedHashSet::new));
    }

    private Stream<Router> named(Router router, String family) {
        return router.neighbours().stream().filter(neighbour -> neighbour.families().contains(family)).flatMap(neighbour ->
                Stream.ofNullable(owners.get(neighbour.address())).filter(peer -> peer.as() == neighbour.remoteAs() && peer.tells(neighbour.address())
                        && !Links.sameId(router, peer)));
    }

    /**
     * The routers that interior routing reaches, this one included. Two are neighbours where both ends of a link take part in the
     * same area with the same timers, share a network, and pass packets of the same size (RFC 2328 §10.5, §10.6).
     */
    Set<String> interior(String from) {
        Set<String> known = interiors.get(from);
        if (known == null) {
            // Being a neighbour goes both ways, so that all that are reached reach the same.
            Set<String> reached = explore(from);
            reached.forEach(router -> interiors.put(router, reached));
            known = reached;
        }
        return known;
    }

    /** Whether a packet of a size in bytes gets from one router to another over the interior. */
    boolean carries(String from, String to, int bytes) {
        return bytes <= narrowest || from.equals(to) || bytes <= passes(from, to);
    }

    /** What the way from one router to another passes, in bytes: of the ways with the fewest links the widest; 0 where there is none. */
    int passes(String from, String to) {
        return widest(from).getOrDefault(to, 0);
    }

    private Map<String, Integer> widest(String from) {
        return widest.computeIfAbsent(from, key -> {
            Map<String, Integer> known = new HashMap<>(Map.of(from, Switch.LONGEST));
            Map<String, Integer> outermost = known;
            while (!outermost.isEmpty()) {
                Map<String, Integer> next = new HashMap<>();
                outermost.forEach((router, bytes) -> adjacencies(router).filter(link -> !known.containsKey(link.to()))
                        .forEach(link -> next.merge(link.to(), Math.min(bytes, link.mtu()), Math::max)));
                known.putAll(next);
                outermost = next;
            }
            return known;
        });
    }

    /** A link of the interior to a neighbour, and what it passes, in bytes. */
    private record Adjacency(String to, int mtu) {}

    private Stream<Adjacency> adjacencies(String name) {
        Router router = routers.get(name);
        return router.interfacesIn(Router.OWN).stream().filter(iface -> router.ospf(iface).isPresent()).flatMap(iface -> links.across(router, iface).stream()
                .filter(far -> far.iface().table().equals(Router.OWN) && Links.strangers(router, iface, far).isEmpty()).map(far -> new Adjacency(far.router().name(), iface.mtu())));
    }

    private Set<String> explore(String from) {
        Set<String> reached = new LinkedHashSet<>(Set.of(from));
        Deque<String> next = new ArrayDeque<>(reached);
        while (!next.isEmpty()) {
            adjacencies(next.pop()).map(Adjacency::to).filter(reached::add).forEach(next::push);
        }
        return reached;
    }
}
