package rilvan.lab.behaviour;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import rilvan.lab.behaviour.Router.IpInterface;
import rilvan.lab.behaviour.Router.Ospf;
import rilvan.lab.behaviour.Router.Packet;
import rilvan.lab.behaviour.Wiring.End;

/** What is at the other end of each router's links. */
record Links(Map<String, Router> routers, Wiring wiring) {

    /** A part of a port at the other end of a wire. */
    record Far(Router router, IpInterface iface) {}

    /** The port at the other end of a port's cable. */
    Optional<End> wire(End port) {
        return wiring.across(port);
    }

    /** The parts at the other end of a part's wire that take the same frames, with addresses of the same version of IP. */
    List<Far> across(Router router, IpInterface iface) {
        Optional<End> end = wire(new End(router.name(), iface.port()));
        Router other = end.map(End::device).map(routers::get).orElse(null);
        return other == null ? List.of() : other.interfacesAt(end.get().port()).stream().filter(far -> far.frames().equals(iface.frames())
                && far.address().width() == iface.address().width()).map(far -> new Far(other, far)).toList();
    }

    /**
     * Why the two ends of a link are no neighbours in OSPF, of which the first takes part in it (RFC 2328 §10.5, §10.6); absent where
     * they are. OSPFv3 runs between link-local addresses, whatever networks the ends have (RFC 5340 §2.1).
     */
    static Optional<String> strangers(Router router, IpInterface iface, Far far) {
        Router other = far.router();
        Optional<Ospf> theirs = other.ospf(far.iface());
        return theirs.isEmpty() ? Optional.of(other.name() + " takes no part in OSPF there")
                : sameId(router, other) ? Optional.of(other.name() + " has the same router id, " + other.id())
                : router.ospf(iface).flatMap(ours -> ours.unlike(theirs.get(), other.name())).or(() ->
                        iface.address().width() == 32 && !far.iface().network().equals(iface.network()) ? Optional.of(other.name() + " is in another network")
                        : !router.admits(iface, Packet.hello(far.iface())) ? Optional.of("the packet filter " + iface.guard().orElseThrow() + " keeps OSPF out at " + iface.part())
                        : !other.admits(far.iface(), Packet.hello(iface)) ? Optional.of("the packet filter " + far.iface().guard().orElseThrow() + " of " + other.name() + " keeps OSPF out")
                        : far.iface().mtu() != iface.mtu() ? Optional.of(other.name() + " passes packets of " + far.iface().mtu() + " bytes, not " + iface.mtu())
                        : Optional.empty());
    }

    /** Whether two routers have one identifier, so that neither is a neighbour of the other (RFC 2328 §10.5, RFC 4271 §6.2). */
    static boolean sameId(Router one, Router other) {
        return !one.id().isEmpty() && one.id().equals(other.id());
    }
}
