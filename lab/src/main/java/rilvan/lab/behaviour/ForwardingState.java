package rilvan.lab.behaviour;

import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import rilvan.lab.behaviour.Switch.Bundle;
import rilvan.lab.behaviour.Switch.Circuit;
import rilvan.lab.behaviour.Switch.Domain;
import rilvan.lab.behaviour.Switch.Gateway;
import rilvan.lab.behaviour.Switch.Pseudowire;
import rilvan.lab.behaviour.Switch.Treatment;

/** The state of forwarding beyond reachability: backup pseudowires, gateways of segments, DHCP relay, rate limits, MAC learning. */
final class ForwardingState {

    private final Map<String, Switch> switches;
    private final Forwarding routing;
    private final FrameForwarding frames;

    ForwardingState(Map<String, Switch> switches, Forwarding routing, FrameForwarding frames) {
        this.switches = switches;
        this.routing = routing;
        this.frames = frames;
    }

    /**
     * Why the way of something to another device does not stand in for the one to its main peer; absent where it does.
     *
     * @param flush whether the other device is to be told to forget what it learnt when this way comes into use (RFC 4762 §6.2)
     */
    Optional<String> notStandingIn(String device, String name, String peer, String main, boolean flush) {
        Optional<Pseudowire> way = way(device, name, peer);
        if (way.isEmpty()) {
            return Optional.of(name + " has no way to " + peer);
        }
        if (!way.get().standbyFor().equals(Optional.of(Address.parse(main)))) {
            return Optional.of("the way to " + peer + way.get().standbyFor().map(other -> " is the standby for the one to " + other + ", not to " + main)
                    .orElse(" is in use together with the one to " + main));
        }
        return notFlushing(device, name, peer, flush).or(() -> frames.down(device, name, peer));
    }

    /** Why nobody is asked to flush addresses when a device's pseudowire to another one becomes active, where it is to; absent where it has. */
    Optional<String> notFlushing(String device, String name, String peer, boolean flush) {
        return !flush || way(device, name, peer).filter(Pseudowire::flush).isPresent() ? Optional.empty()
                : Optional.of(peer + " is not asked to flush its addresses when this pseudowire becomes active");
    }

    private Optional<Pseudowire> way(String device, String name, String peer) {
        Address address = Address.parse(peer);
        return Optional.ofNullable(switches.get(device)).flatMap(each -> each.domain(name)).flatMap(domain ->
                domain.pseudowires().stream().filter(each -> each.peer().equals(address)).findFirst());
    }

    /** Why a device does not learn exactly a number of addresses for a bridge, 0 for any number; absent where it does. */
    Optional<String> notLearning(String device, String name, long stations) {
        Optional<Domain> domain = Optional.ofNullable(switches.get(device)).flatMap(each -> each.domain(name));
        return domain.isEmpty() ? Optional.of("there is no " + name) : domain.get().stations() == stations ? Optional.empty()
                : Optional.of(name + " learns " + amount(domain.get().stations(), "addresses") + ", not " + amount(stations, "addresses"));
    }

    /** Why a circuit does not have just this rate and class; absent where it has. */
    Optional<String> notTreating(String device, String port, String iface, long rate, String traffic) {
        Optional<Treatment> found = Optional.ofNullable(switches.get(device)).flatMap(each -> each.circuit(port, iface)).map(Circuit::treatment);
        if (found.isEmpty()) {
            return Optional.of(device + " has " + port + " down, or nothing at " + iface + " there");
        }
        Treatment is = found.get();
        return is.in() != rate ? Optional.of("what comes in there passes at " + amount(is.in(), "kbit/s") + ", not at " + amount(rate, "kbit/s"))
                : is.out() != rate ? Optional.of("what goes out there passes at " + amount(is.out(), "kbit/s") + ", not at " + amount(rate, "kbit/s"))
                : is.traffic().equals(traffic) ? Optional.empty()
                : Optional.of("it is treated as " + (is.traffic().isEmpty() ? "nothing in particular" : is.traffic()) + (traffic.isEmpty() ? "" : ", not as " + traffic));
    }

    private static String amount(long number, String of) {
        return number == 0 ? "any number of " + of : number + " " + of;
    }

    /** Why a device is no gateway of a segment with an address, a MAC address and a table; absent where it is. */
    Optional<String> noGateway(String device, String segment, String table, String mac, String address) {
        Optional<Gateway> found = gateway(device, segment);
        return found.isEmpty() ? Optional.of(device + " has no gateway in " + segment)
                : !found.get().table().equals(table) ? Optional.of("the gateway routes in " + found.get().table() + ", not in " + table)
                : !found.get().mac().equals(mac) ? Optional.of("the gateway answers as " + (found.get().mac().isEmpty() ? "nobody" : found.get().mac()) + ", not as " + mac)
                : found.get().addresses().contains(address) ? Optional.empty()
                : Optional.of("the gateway has " + (found.get().addresses().isEmpty() ? "no address" : String.join(" and ", found.get().addresses())) + ", not " + address);
    }

    /** Why hosts of a segment do not get addresses from a server by way of a device; absent where they may. */
    Optional<String> notRelaying(String device, String segment, String server) {
        Optional<Gateway> found = gateway(device, segment);
        return found.filter(each -> each.servers().contains(server)).isEmpty() ? Optional.of("nobody asks " + server + " for " + segment)
                : found.get().source().isEmpty() ? Optional.of(server + " cannot answer: it is asked from no address of this device's own")
                : routing.ownAlone(device, found.get().table(), Address.parse(found.get().source())) ? Optional.empty()
                : Optional.of(server + " cannot answer: it is asked from " + found.get().source() + ", which " + found.get().table() + " does not have on this device alone");
    }

    private Optional<Gateway> gateway(String device, String segment) {
        return Optional.ofNullable(switches.get(device)).flatMap(each -> each.domain(segment)).flatMap(Domain::gateway);
    }

    /**
     * Why a bundle does not work as one with its ports here and those on another device; absent where it does. The customer's device
     * takes all of its links into one only where they tell it one identity (IEEE 802.1AX), and the two devices find each other only by
     * one Ethernet segment (RFC 7432 §8.1) with one way of electing who forwards (RFC 8584 §2.1).
     *
     * @param members how many ports it is to have here
     * @param other the other device; this one where the bundle is here alone
     */
    Optional<String> apart(String device, String name, int members, String other) {
        Optional<Bundle> found = bundles(device).filter(each -> each.name().equals(name)).findFirst();
        if (found.isEmpty() || found.get().members().size() != members) {
            return Optional.of(name + " has " + found.map(each -> each.members().size()).orElse(0) + " ports that are up on " + device + ", not " + members);
        }
        if (other.equals(device)) {
            return Optional.empty();
        }
        Bundle here = found.get();
        Optional<Bundle> there = !routing.backbone().announcing(device, "evpn").contains(other) ? Optional.empty()
                : bundles(other).filter(each -> !each.segment().isEmpty() && each.segment().equals(here.segment())).findFirst();
        if (there.isEmpty()) {
            return Optional.of(other + " does not advertise the Ethernet segment " + (here.segment().isEmpty() ? "of " + name + ", which has none" : here.segment()));
        }
        return !there.get().system().equals(here.system()) || !there.get().key().equals(here.key()) || here.system().isEmpty() || here.key().isEmpty()
                ? Optional.of("it is " + identity(here) + " here and " + identity(there.get()) + " on " + other + ": the far end takes them for two")
                : there.get().election().equals(here.election()) ? Optional.empty()
                : Optional.of("the forwarder is elected by " + here.election() + " here and by " + there.get().election() + " on " + other);
    }

    private Stream<Bundle> bundles(String device) {
        return Optional.ofNullable(switches.get(device)).stream().flatMap(each -> each.bundles().stream());
    }

    private static String identity(Bundle bundle) {
        return "system " + (bundle.system().isEmpty() ? "of its own" : bundle.system()) + " key " + (bundle.key().isEmpty() ? "of its own" : bundle.key());
    }
}
