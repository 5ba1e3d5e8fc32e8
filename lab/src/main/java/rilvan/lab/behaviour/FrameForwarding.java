package rilvan.lab.behaviour;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.Deque;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import rilvan.lab.behaviour.Switch.Circuit;
import rilvan.lab.behaviour.Switch.Domain;
import rilvan.lab.behaviour.Switch.Gateway;
import rilvan.lab.behaviour.Switch.Member;
import rilvan.lab.behaviour.Switch.Pair;
import rilvan.lab.behaviour.Switch.Pseudowire;
import rilvan.lab.behaviour.Switch.Segment;

/**
 * Where frames go in a network of switches: over wires and bridges, pseudowires (RFC 8077, RFC 4762) that come up only where both
 * ends agree, wires that EVPN signals (RFC 8214), and segments over VXLAN (RFC 8365).
 */
public final class FrameForwarding {

    private final Map<String, Switch> switches;
    private final Forwarding routing;

    FrameForwarding(Map<String, Switch> switches, Forwarding routing) {
        this.switches = switches;
        this.routing = routing;
    }

    /**
     * A circuit, and what frames carry there.
     *
     * @param tags {@code untagged}, {@code 110} or {@code 110/20}; with {@code s} before it, the outer one is a service tag
     */
    public record AttachmentPoint(String device, String port, String number, String tags) {

        private List<String> list() {
            return tags.equals("untagged") || tags.equals("any") ? List.of() : List.of(tags.replaceFirst("^s", "").split("/"));
        }

        private boolean hasServiceTag() {
            return tags.matches("s\\d.*");
        }
    }

    /** One way out: to another device's end of it, or down. */
    private record WirePath(Optional<Arrival> far, Optional<Pseudowire> pseudowire, String reason) {
        static WirePath down(Pseudowire wire, String reason) {
            return new WirePath(Optional.empty(), Optional.of(wire), reason);
        }

        static WirePath down(String reason) {
            return new WirePath(Optional.empty(), Optional.empty(), reason);
        }

        boolean up() {
            return far.isPresent();
        }
    }

    /**
     * A frame that has come into a domain.
     *
     * @param by the member's circuit, {@code mesh}, {@code segment} or another pseudowire; what split horizon goes by
     */
    private record Arrival(Switch at, Domain domain, String by) {}

    /** Addresses and type (IEEE 802.3 §3.1.1), and each tag (IEEE 802.1Q §9.3), in bytes. */
    private static final int ETHERNET_HEADER = 14;
    private static final int TAG = 4;
    /** What a pseudowire adds: two labels and the control word (RFC 4385 §3). */
    private static final int LABELS_AND_CONTROL_WORD = Forwarding.LABELS + 4;
    /** What VXLAN adds besides the inner Ethernet header. */
    private static final int OVER_VXLAN = Forwarding.VXLAN - ETHERNET_HEADER;

    private record Frame(List<String> tags, boolean serviceTag, int payload, String group) {}

    /** Why the way of what has this name on a device to another device, known by its own address, is down; absent where it is up. */
    public Optional<String> down(String device, String name, String peer) {
        Optional<Domain> domain = Optional.ofNullable(switches.get(device)).flatMap(each -> each.domain(name));
        if (domain.isEmpty()) {
            return Optional.of("there is no " + name);
        }
        Address address = Address.parse(peer);
        List<WirePath> ways = ways(switches.get(device), domain.get()).stream().filter(way -> way.pseudowire().map(each -> each.peer().equals(address))
                .orElse(way.far().map(far -> routing.backbone().owner(address).equals(Optional.of(far.at().name()))).orElse(true))).toList();
        return ways.stream().anyMatch(WirePath::up) ? Optional.empty()
                : Optional.of(ways.stream().findFirst().map(WirePath::reason).orElse(name + " has no way to " + peer));
    }

    /** The first device that a wire, bridge or segment is connected to and that has none of these own addresses; absent where there is none. */
    Optional<String> strangers(String device, String name, Set<String> addresses) {
        Optional<Domain> domain = Optional.ofNullable(switches.get(device)).flatMap(each -> each.domain(name));
        Set<String> known = addresses.stream().map(address -> routing.backbone().owner(Address.parse(address)).orElse(address)).collect(Collectors.toSet());
        return domain.isEmpty() ? Optional.of("there is no " + name)
                : ways(switches.get(device), domain.get()).stream().flatMap(way -> way.far().stream()).map(far -> far.at().name()).filter(far -> !known.contains(far))
                        .min(Comparator.naturalOrder()).map(far -> "it is connected to " + far + " too");
    }

    /**
     * Why a segment does not learn of the hosts behind a circuit of another device, which that one tells of however frames are flooded
     * (RFC 7432 §7.2); absent where it does.
     */
    Optional<String> unknown(String device, String name, String other, String port, String number) {
        Optional<Segment> here = Optional.ofNullable(switches.get(device)).flatMap(each -> each.domain(name)).flatMap(Domain::segment);
        Optional<Switch> far = Optional.ofNullable(switches.get(other));
        Optional<Domain> behind = far.filter(each -> each.circuit(port, number).isPresent()).flatMap(each -> each.domainOf(port, number));
        return here.isEmpty() ? Optional.of("there is no " + name)
                : behind.flatMap(Domain::segment).isEmpty() ? Optional.of(other + " has " + port + " " + number + " down, or in no segment")
                : routing.backbone().announcing(device, "evpn").contains(other) && hears(here.get(), behind.flatMap(Domain::segment).get()) ? Optional.empty()
                : Optional.of("nothing comes in of hosts behind " + other + " " + port);
    }

    /** Whether what is told of one end of a segment comes in at another. */
    private static boolean hears(Segment here, Segment there) {
        return there.vni().equals(here.vni()) && !Collections.disjoint(there.exports(), here.imports());
    }

    /**
     * Why test frames that come in at one circuit, as the customer's would, do not get to another and back (ITU-T Y.1731, loopback);
     * absent where they do.
     */
    public Optional<String> unanswered(AttachmentPoint from, AttachmentPoint to, int payload) {
        return lost(from, to, payload).or(() -> lost(to, from, payload).map("no answer: "::concat));
    }

    /**
     * Why packets that come in at one circuit, as a host's would, for the segment's gateway, do not get to a host at a circuit of another
     * segment and back (RFC 9135 §4); absent where they do.
     */
    public Optional<String> unrouted(AttachmentPoint from, String source, AttachmentPoint to, String destination, int payload) {
        Address here = Address.parse(source);
        Address there = Address.parse(destination);
        return strayed(from, here, to, there, payload).or(() -> strayed(to, there, from, here, payload).map("no answer: "::concat));
    }

    private Optional<String> strayed(AttachmentPoint from, Address source, AttachmentPoint to, Address destination, int payload) {
        return refused(from, payload).or(() -> {
            Sent sent = sent(from, payload);
            String device = from.device();
            Optional<Gateway> gateway = sent.at().domain().gateway();
            if (gateway.isEmpty()) {
                return Optional.of(device + " has no gateway in " + sent.at().domain().name());
            }
            if (!sent.frame().tags().isEmpty()) {
                return Optional.of("frames come to the gateway of " + device + " with " + said(sent.frame().tags()));
            }
            if (gateway.get().addresses().stream().noneMatch(address -> Net.of(address).holds(source))) {
                return Optional.of(source + " is on no network of the gateway of " + device);
            }
            Optional<Forwarding.Landing> landing = routing.landing(device, gateway.get().table(), destination);
            return landing.isEmpty() ? Optional.of(device + " has no route to " + destination + " in " + gateway.get().table())
                    : flooded(new Sent(new Arrival(switches.get(landing.get().device()), switches.get(landing.get().device()).domain(landing.get().segment()).orElseThrow(),
                            "gateway"), new Frame(List.of(), false, payload, "")), to, "packets for " + destination);
        });
    }

    /** Why a frame does not get from one circuit to another; absent where it does. */
    Optional<String> lost(AttachmentPoint from, AttachmentPoint to, int payload) {
        return refused(from, payload).or(() -> flooded(sent(from, payload), to, "frames from " + from.device() + " " + from.port()));
    }

    /** Why a customer's frame does not come in at a circuit; absent where it does. */
    private Optional<String> refused(AttachmentPoint from, int payload) {
        Optional<Switch> at = Optional.ofNullable(switches.get(from.device()));
        Optional<Circuit> circuit = at.flatMap(each -> each.circuit(from.port(), from.number()));
        return circuit.isEmpty() || at.get().domainOf(from.port(), from.number()).isEmpty()
                ? Optional.of(from.device() + " carries no frames from " + from.port() + " " + from.number())
                : keptOut(from, circuit.get(), new Frame(from.list(), from.hasServiceTag(), payload, ""));
    }

    /** A frame that has come in, and where. */
    private record Sent(Arrival at, Frame frame) {}

    /** A customer's frame that has come in at a circuit. */
    private Sent sent(AttachmentPoint from, int payload) {
        Switch at = switches.get(from.device());
        Domain domain = at.domainOf(from.port(), from.number()).orElseThrow();
        Frame frame = enter(at.circuit(from.port(), from.number()).orElseThrow(), new Frame(from.list(), from.hasServiceTag(), payload, group(domain, from)));
        return new Sent(new Arrival(at, domain, from.port() + " " + from.number()), frame);
    }

    /** Why a frame does not get from where it has come in to a circuit; absent where it does. */
    private Optional<String> flooded(Sent sent, AttachmentPoint to, String what) {
        Frame frame = sent.frame();
        int payload = frame.payload();
        Deque<Arrival> next = new ArrayDeque<>(List.of(sent.at()));
        Set<List<String>> seen = new HashSet<>();
        List<String> reasons = new ArrayList<>();
        boolean arrived = false;
        while (!next.isEmpty()) {
            Arrival arrival = next.poll();
            if (!seen.add(List.of(arrival.at().name(), arrival.domain().name()))) {
                // Flooded frames that come to a bridge by two ways go round for ever (IEEE 802.1Q, RFC 4762 §4.4).
                return Optional.of("frames go round: " + arrival.at().name() + " gets them by two ways");
            }
            if (payload > arrival.domain().payload()) {
                reasons.add(tooLong(arrival.at().name(), arrival.domain().name(), payload, arrival.domain().payload()));
                continue;
            }
            boolean here = arrival.at().name().equals(to.device()) && !arrival.by().equals(to.port() + " " + to.number()) && arrival.domain().members().stream()
                    .anyMatch(member -> member.port().equals(to.port()) && member.number().equals(to.number()));
            if (here) {
                Optional<String> kept = leave(arrival, to, frame);
                kept.ifPresent(why -> reasons.add(0, why));
                arrived |= kept.isEmpty();
            }
            for (WirePath way : ways(arrival.at(), arrival.domain())) {
                if (!way.up()) {
                    reasons.add(way.reason());
                } else if (mayGo(arrival, way) && active(way, arrival)) {
                    int bytes = payload + ETHERNET_HEADER + TAG * frame.tags().size() + (way.pseudowire().isPresent() || arrival.domain().pair().isPresent() ? LABELS_AND_CONTROL_WORD : OVER_VXLAN);
                    if (routing.backbone().carries(arrival.at().name(), way.far().get().at().name(), bytes)) {
                        next.add(way.far().get());
                    } else {
                        reasons.add("the way from " + arrival.at().name() + " to " + way.far().get().at().name() + " does not pass " + bytes + " bytes, which a frame with " + payload + " is there");
                    }
                }
            }
        }
        return arrived ? Optional.empty() : Optional.of(reasons.stream().findFirst().orElse(what + " do not come out at " + to.device() + " " + to.port()));
    }

    private static String tooLong(String device, String what, int payload, int longest) {
        return device + " passes " + longest + " bytes at most through " + what + ", not " + payload;
    }

    private static String group(Domain domain, AttachmentPoint place) {
        return domain.members().stream().filter(member -> member.port().equals(place.port()) && member.number().equals(place.number())).map(Member::group)
                .findFirst().orElse("");
    }

    /** Why a circuit does not take a customer's frame. */
    private static Optional<String> keptOut(AttachmentPoint from, Circuit circuit, Frame frame) {
        if (!circuit.match().takes(frame.tags(), frame.serviceTag())) {
            return Optional.of(from.device() + " takes " + circuit.match() + " from " + from.port() + ", not " + said(frame.tags()));
        }
        if (circuit.pop() > frame.tags().size()) {
            return Optional.of(from.device() + " takes " + circuit.pop() + " tags off frames from " + from.port() + ", which have " + said(frame.tags()));
        }
        return frame.payload() > circuit.payload() ? Optional.of(tooLong(from.device(), from.port() + " " + from.number(), frame.payload(), circuit.payload()))
                : Optional.empty();
    }

    /** What becomes of a frame of the customer's as it comes in: tags come off, a tag goes on. */
    private static Frame enter(Circuit circuit, Frame frame) {
        List<String> tags = new ArrayList<>(frame.tags().subList(circuit.pop(), frame.tags().size()));
        if (!circuit.push().isEmpty()) {
            tags.add(0, circuit.push());
        }
        return new Frame(tags, frame.serviceTag() && circuit.pop() == 0, frame.payload(), frame.group());
    }

    /** Why a frame is not what the customer is to get at a circuit; absent where it is. Rewriting is undone: what goes in one way comes out the other. */
    private static Optional<String> leave(Arrival arrival, AttachmentPoint to, Frame frame) {
        String device = arrival.at().name();
        Optional<Circuit> found = arrival.at().circuit(to.port(), to.number());
        if (found.isEmpty()) {
            return Optional.of(device + " has " + to.port() + " down, or nothing at " + to.number() + " there");
        }
        Circuit out = found.get();
        String group = group(arrival.domain(), to);
        if (arrival.domain().apart().contains(List.of(frame.group(), group)) || arrival.domain().apart().contains(List.of(group, frame.group()))) {
            return Optional.of(device + " isolates the groups " + frame.group() + " and " + group);
        }
        if (frame.payload() > out.payload()) {
            return Optional.of(tooLong(device, out.port() + " " + out.number(), frame.payload(), out.payload()));
        }
        List<String> tags = new ArrayList<>(frame.tags());
        boolean service = frame.serviceTag();
        if (!out.push().isEmpty()) {
            if (tags.isEmpty() || !tags.get(0).equals(out.push())) {
                return Optional.of("frames come to " + device + " " + out.port() + " with " + said(tags) + " where it takes off " + out.push());
            }
            tags.remove(0);
        }
        List<String> own = out.match().sample();
        for (int i = Math.min(out.pop(), own.size()) - 1; i >= 0; i--) {
            tags.add(0, own.get(i));
            service = out.match().service();
        }
        return out.match().takes(tags, service) && tags.equals(to.list()) && service == to.hasServiceTag() ? Optional.empty()
                : Optional.of("frames would leave " + device + " " + out.port() + " with " + said(tags) + ", and " + to.tags() + " is expected");
    }

    private static String said(List<String> tags) {
        return tags.isEmpty() ? "no tag" : "tag " + String.join("/", tags);
    }

    /** Split horizon: no frame is sent to where it came from, and so none from mesh to mesh, nor from the segment to the segment. */
    private static boolean mayGo(Arrival arrival, WirePath way) {
        return !arrival.by().equals(over(way));
    }

    private static String over(WirePath way) {
        return way.pseudowire().map(each -> each.mesh() ? "mesh" : "pseudowire " + each.peer() + " " + each.id()).orElse("segment");
    }

    /** A standby pseudowire carries frames only while that one is down, at either of its ends. */
    private boolean active(WirePath way, Arrival arrival) {
        return way.pseudowire().isEmpty() || isActive(arrival.at(), arrival.domain(), way.pseudowire().get()) && way.far().map(far ->
                far.domain().pseudowires().stream().filter(back -> back.id() == way.pseudowire().get().id())
                        .allMatch(back -> isActive(far.at(), far.domain(), back))).orElse(false);
    }

    private boolean isActive(Switch at, Domain domain, Pseudowire wire) {
        return wire.standbyFor().isEmpty() || domain.pseudowires().stream().filter(main -> main.peer().equals(wire.standbyFor().get()))
                .noneMatch(main -> pseudowire(at, domain, main).up());
    }

    private List<WirePath> ways(Switch at, Domain domain) {
        List<WirePath> ways = new ArrayList<>();
        domain.pseudowires().forEach(each -> ways.add(pseudowire(at, domain, each)));
        domain.pair().ifPresent(pair -> ways.add(pair(at, domain, pair)));
        domain.segment().ifPresent(segment -> ways.addAll(segment(at, segment)));
        return ways;
    }

    /** A pseudowire is up where the far end has the same one towards us, of the same type and payload (RFC 8077 §4, RFC 4447 §5.5). */
    private WirePath pseudowire(Switch at, Domain domain, Pseudowire wire) {
        String down = "pseudowire " + wire.id() + " to " + wire.peer() + " is down: ";
        Optional<Switch> peer = routing.backbone().owner(wire.peer()).map(switches::get);
        if (peer.isEmpty() || !routing.backbone().reaches(at.name(), peer.get().name())) {
            return WirePath.down(wire, down + "there is no way there");
        }
        for (Domain far : peer.get().domains()) {
            for (Pseudowire back : far.pseudowires()) {
                if (back.id() != wire.id() || !routing.backbone().owner(back.peer()).equals(Optional.of(at.name()))) {
                    continue;
                }
                if (!back.type().equals(wire.type())) {
                    return WirePath.down(wire, down + "it is " + wire.type() + " here and " + back.type() + " on " + peer.get().name());
                }
                if (far.payload() != domain.payload()) {
                    return WirePath.down(wire, down + "it passes " + domain.payload() + " bytes here and " + far.payload() + " on " + peer.get().name());
                }
                for (Map.Entry<Switch, Domain> end : List.of(Map.entry(at, domain), Map.entry(peer.get(), far))) {
                    if (end.getValue().wire() && end.getValue().members().stream().allMatch(member -> end.getKey().circuit(member.port(), member.number()).isEmpty())) {
                        return WirePath.down(wire, down + "its circuit on " + end.getKey().name() + " is down");
                    }
                }
                return new WirePath(Optional.of(new Arrival(peer.get(), far, back.mesh() ? "mesh" : "pseudowire " + back.peer() + " " + back.id())),
                        Optional.of(wire), "");
            }
        }
        return WirePath.down(wire, down + peer.get().name() + " has none with this id towards " + at.name());
    }

    private WirePath pair(Switch at, Domain domain, Pair pair) {
        String down = "the EVPN wire " + domain.name() + " is down: ";
        for (String announcing : routing.backbone().announcing(at.name(), "evpn")) {
            Switch peer = switches.get(announcing);
            for (Domain far : peer == null ? List.<Domain>of() : peer.domains()) {
                Optional<Pair> back = far.pair().filter(other -> other.target().equals(pair.target()) && other.local() == pair.remote());
                if (back.isEmpty()) {
                    continue;
                }
                if (back.get().remote() != pair.local()) {
                    return WirePath.down(down + announcing + " looks for end " + back.get().remote() + ", not for " + pair.local());
                }
                if (far.payload() != domain.payload()) {
                    return WirePath.down(down + "it passes " + domain.payload() + " bytes here and " + far.payload() + " on " + announcing);
                }
                if (back.get().controlWord() != pair.controlWord()) {
                    return WirePath.down(down + "the control word is wanted at one end only");
                }
                return new WirePath(Optional.of(new Arrival(peer, far, "segment")), Optional.empty(), "");
            }
        }
        return WirePath.down(down + "no route for end " + pair.remote() + " of " + pair.target() + " comes in");
    }

    /** The other devices of a segment: their routes come in, and flooded frames are sent the same way at both ends. */
    private List<WirePath> segment(Switch at, Segment segment) {
        List<WirePath> ways = new ArrayList<>();
        for (String announcing : routing.backbone().announcing(at.name(), "evpn")) {
            Switch peer = switches.get(announcing);
            for (Domain far : peer == null ? List.<Domain>of() : peer.domains()) {
                far.segment().filter(other -> other.flooding().equals(segment.flooding()) && hears(segment, other))
                        .ifPresent(other -> ways.add(new WirePath(Optional.of(new Arrival(peer, far, "segment")), Optional.empty(), "")));
            }
        }
        return ways;
    }
}
