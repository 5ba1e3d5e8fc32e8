package rilvan.lab.behaviour;

import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.lab.behaviour.Forwarding.Link;
import rilvan.lab.behaviour.Router.IpInterface;
import rilvan.lab.behaviour.Router.Neighbour;
import rilvan.lab.behaviour.Router.Table;
import rilvan.lab.device.SharedSecret;

/**
 * What providers' routers and customers' routers learn from each other: over BGP (RFC 4271) with what VPNs ask of it (RFC 4364 §7),
 * and over OSPF (RFC 2328 and RFC 4577, for IPv6 RFC 5340 and RFC 6565). Everybody tells everybody what they know until nobody learns anything new.
 */
final class RouteExchange {

    private static final int MOST_ROUNDS = 64;
    private static final String IP = "ip";

    private final Forwarding forwarding;
    private final Links links;
    private final List<Session> sessions = new ArrayList<>();
    private final Map<End, String> down = new HashMap<>();
    private Map<Key, Map<Net, Learnt>> learnt = Map.of();

    /** A table of a router by their names, which is quick to find. */
    private record Key(String router, String table) {

        static Key of(Router router, Table table) {
            return new Key(router.name(), table.name());
        }
    }

    /** Who is to be a neighbour of a table. */
    private record End(Key at, Address peer) {}

    /** A table of a router. */
    private record TableOfRouter(Router router, Table table) {

        Key key() {
            return Key.of(router, table);
        }

        boolean vrf() {
            return !table.name().equals(Router.OWN);
        }
    }

    /**
     * A route that was learnt.
     *
     * @param path the ASes it came through, the nearest first
     * @param origin the site it comes from (RFC 4364 §7); empty where nothing is said
     * @param via where it leads
     */
    record Learnt(Net prefix, List<Long> path, String origin, Link via) {}

    /** A route as somebody tells it. */
    private record Told(Net prefix, List<Long> path, String origin) {}

    /**
     * What one end hears from the other.
     *
     * @param here its neighbour as configured; absent where it is an adjacency of OSPF
     * @param back how the other end has this one
     */
    private record Session(TableOfRouter at, TableOfRouter far, Link via, Address peer, Optional<Neighbour> here, Optional<Neighbour> back) {}

    RouteExchange(Forwarding forwarding, Links links, Collection<Router> routers) {
        this.forwarding = forwarding;
        this.links = links;
        for (Router router : routers.stream().sorted(Comparator.comparing(Router::name)).toList()) {
            for (Table table : router.tables()) {
                TableOfRouter place = new TableOfRouter(router, table);
                table.neighbours().stream().filter(each -> each.families().contains(IP)).forEach(each -> establish(place, each));
                if (!table.areas().isEmpty() || !table.areas6().isEmpty()) {
                    router.interfacesIn(table.name()).stream().filter(iface -> router.ospf(iface).isPresent()).forEach(iface -> adjoin(place, iface));
                }
            }
        }
        settle();
        if (sessions.removeIf(this::overflows)) {
            settle();
        }
    }

    /** What a router's table has learnt. */
    Stream<Learnt> learnt(Router router, Table table) {
        return learnt.getOrDefault(Key.of(router, table), Map.of()).values().stream();
    }

    /** Why a table has no routing session with whoever is at an address; absent where it has one. */
    Optional<String> down(Router router, Table table, Address peer) {
        return with(router, table, peer).findAny().isPresent() ? Optional.empty() : Optional.of(down.getOrDefault(new End(Key.of(router, table), peer), "nobody is to be a neighbour at " + peer));
    }

    /** How many prefixes a table takes from whoever is at an address. */
    long taken(Router router, Table table, Address peer) {
        return with(router, table, peer).mapToLong(each -> heard(each).count()).sum();
    }

    private Stream<Session> with(Router router, Table table, Address peer) {
        return sessions.stream().filter(each -> each.at().key().equals(Key.of(router, table)) && each.peer().equals(peer));
    }

    // ---- BGP -------------------------------------------------------------------------------------------------------

    /** A session is up where both ends name each other's address, AS and secret, and neither is further away than it may be. */
    private void establish(TableOfRouter place, Neighbour neighbour) {
        Address peer = neighbour.address();
        Optional<IpInterface> direct = place.router().interfacesIn(place.table().name()).stream().filter(iface -> iface.network().holds(peer)).findFirst();
        Optional<IpInterface> iface = direct.or(() -> onTheWay(place, peer));
        Optional<Link> via = iface.flatMap(each -> direct.isPresent() ? forwarding.onLink(place.router(), each, peer) : nextHop(place, each, peer));
        Optional<TableOfRouter> far = via.filter(link -> link.hop().router().owns(peer, link.hop().table()))
                .flatMap(link -> link.hop().router().table(link.hop().table()).map(table -> new TableOfRouter(link.hop().router(), table)));
        if (far.isEmpty()) {
            down.put(new End(place.key(), peer), "nothing answers at " + peer);
            return;
        }
        Address local = neighbour.source().orElse(iface.get().address());
        Optional<Neighbour> back = far.get().table().neighbours().stream().filter(each -> each.families().contains(IP) && each.address().equals(local)).findFirst();
        Optional<String> wrong = back.isEmpty() ? Optional.of(far.get().router().name() + " has no neighbour " + local)
                : wrong(place.router(), neighbour, far.get().router(), back.get(), direct.isPresent())
                        .or(() -> keptOut(place.router(), iface.get(), local, far.get().router(), via.get().into(), peer));
        wrong.ifPresentOrElse(why -> down.put(new End(place.key(), peer), why),
                () -> sessions.add(new Session(place, far.get(), via.get(), peer, Optional.of(neighbour), back)));
    }

    private static Optional<String> wrong(Router router, Neighbour neighbour, Router far, Neighbour back, boolean direct) {
        if (back.source().filter(source -> !source.equals(neighbour.address())).isPresent() || !direct && back.source().isEmpty()) {
            return Optional.of(far.name() + " speaks from another address than " + neighbour.address());
        }
        if (neighbour.remoteAs() != far.as()) {
            return Optional.of("AS " + far.as() + " answers there, not " + neighbour.remoteAs());
        }
        if (back.remoteAs() != router.as()) {
            return Optional.of(far.name() + " expects AS " + back.remoteAs() + " here, not " + router.as());
        }
        if (!SharedSecret.match(neighbour.secret(), back.secret())) {
            return Optional.of("the two ends have different secrets");
        }
        return !direct && (neighbour.hops() < 2 || back.hops() < 2) ? Optional.of("it is further away than the session may reach") : Optional.empty();
    }

    /** A session needs one connection, whichever end opens it (RFC 4271 §6.8); packet filters at either end may keep it out. */
    private static Optional<String> keptOut(Router router, IpInterface iface, Address local, Router far, IpInterface farInterface, Address peer) {
        boolean opened = far.admits(farInterface, Forwarding.BGP.there(local, peer)) && router.admits(iface, Forwarding.BGP.back(peer, local));
        boolean taken = router.admits(iface, Forwarding.BGP.there(peer, local)) && far.admits(farInterface, Forwarding.BGP.back(local, peer));
        return opened || taken ? Optional.empty() : Optional.of("a packet filter keeps out what comes from "
                + (iface.guard().isPresent() ? "there, at " + iface.part() : "here, at " + far.name() + " " + farInterface.part()));
    }

    /** The link that a static route to a neighbour leads over. */
    private static Optional<IpInterface> onTheWay(TableOfRouter place, Address peer) {
        return place.table().statics().stream().filter(route -> route.prefix().holds(peer))
                .flatMap(route -> place.router().interfacesIn(place.table().name()).stream().filter(iface -> iface.network().holds(route.nextHop()))).findFirst();
    }

    private Optional<Link> nextHop(TableOfRouter place, IpInterface iface, Address peer) {
        return place.table().statics().stream().filter(route -> route.prefix().holds(peer) && iface.network().holds(route.nextHop()))
                .flatMap(route -> forwarding.onLink(place.router(), iface, route.nextHop()).stream()).findFirst();
    }

    private boolean overflows(Session session) {
        long limit = session.here().map(Neighbour::limit).orElse(0L);
        long told = limit == 0 ? 0 : heard(session).count();
        if (told > limit) {
            down.put(new End(session.at().key(), session.peer()), "it sends " + told + " prefixes, more than the " + limit + " that are taken");
        }
        return told > limit;
    }

    // ---- OSPF ------------------------------------------------------------------------------------------------------

    /** Customers' links only: those between a provider's routers are {@link Forwarding}'s. */
    private void adjoin(TableOfRouter place, IpInterface iface) {
        for (Links.Far far : links.across(place.router(), iface)) {
            TableOfRouter other = new TableOfRouter(far.router(), far.router().table(far.iface().table()).orElseThrow());
            if (!place.vrf() && !other.vrf()) {
                continue;
            }
            Link via = new Link(new Forwarding.Hop(far.router(), far.iface().table()), iface.mtu(), far.iface());
            Links.strangers(place.router(), iface, far).ifPresentOrElse(why -> down.put(new End(place.key(), far.iface().address()), why),
                    () -> sessions.add(new Session(place, other, via, far.iface().address(), Optional.empty(), Optional.empty())));
        }
    }

    // ---- who tells what --------------------------------------------------------------------------------------------

    private void settle() {
        learnt = Map.of();
        for (int round = 0; round < MOST_ROUNDS; round++) {
            Map<Key, Map<Net, Learnt>> next = new HashMap<>();
            for (Session session : sessions) {
                heard(session).forEach(each -> next.computeIfAbsent(session.at().key(), at -> new LinkedHashMap<>()).merge(each.prefix(), each,
                        (one, other) -> other.path().size() < one.path().size() ? other : one));
            }
            if (next.equals(learnt)) {
                return;
            }
            learnt = next;
        }
    }

    private Stream<Learnt> heard(Session session) {
        return session.here().isPresent() ? overBgp(session, session.here().get(), session.back().orElseThrow()) : overOspf(session);
    }

    private Stream<Learnt> overBgp(Session session, Neighbour here, Neighbour back) {
        long near = session.at().router().as();
        long far = session.far().router().as();
        return told(session.far()).filter(each -> back.origin().isEmpty() || !each.origin().equals(back.origin()))
                .filter(each -> each.prefix().first().width() == session.peer().width())
                .filter(each -> session.far().router().passes(back.filterOut(), each.prefix()))
                .map(each -> new Told(each.prefix(), Stream.concat(Stream.of(far),
                        each.path().stream().map(as -> back.override() && as == near ? far : as)).toList(), each.origin()))
                .filter(each -> each.path().stream().filter(as -> as == near).count() <= here.ownAs() && session.at().router().passes(here.filterIn(), each.prefix()))
                .map(each -> new Learnt(each.prefix(), each.path(), here.origin().isEmpty() ? each.origin() : here.origin(), session.via()));
    }

    /** A provider's router tells its customer all of the VPN; a customer's tells of its own links. */
    private Stream<Learnt> overOspf(Session session) {
        TableOfRouter far = session.far();
        Stream<Net> nets = far.vrf() ? Stream.concat(told(far).map(Told::prefix), forwarding.own(far.router(), far.table()))
                : far.router().interfacesIn(far.table().name()).stream().filter(iface -> far.router().ospf(iface).isPresent()).map(IpInterface::network);
        return nets.filter(net -> net.first().width() == session.peer().width()).map(net -> new Learnt(net, List.of(), "", session.via()));
    }

    /** What a table tells over BGP: what it announces and has, what it has learnt, and for a VRF what the VPN has. */
    private Stream<Told> told(TableOfRouter place) {
        Set<Net> own = forwarding.own(place.router(), place.table()).collect(Collectors.toSet());
        Stream<Told> announced = place.table().announces().stream().filter(own::contains).map(net -> new Told(net, List.of(), ""));
        return Stream.of(announced, tells(place.router(), place.table()), Stream.of(32, 128).flatMap(width -> vpn(place, width))).flatMap(each -> each);
    }

    private Stream<Told> tells(Router router, Table table) {
        return learnt(router, table).map(each -> new Told(each.prefix(), each.path(), each.origin()));
    }

    private Stream<Told> vpn(TableOfRouter place, int width) {
        return forwarding.sources(place.router(), place.table(), width).flatMap(source -> Stream.concat(
                forwarding.own(source.router(), source.vrf()).map(net -> new Told(net, List.of(), "")), tells(source.router(), source.vrf())).filter(each -> place.table().takes(source.vrf(), each.prefix())))
                .filter(each -> each.prefix().first().width() == width);
    }
}
