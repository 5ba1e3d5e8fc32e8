package rilvan.lab.behaviour;

import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * A device as it carries frames, whatever its family: what the lab's own reading of its configuration comes to.
 *
 * @param circuits every part of its ports that is switched on, those that are routed included
 */
record Switch(String name, List<Circuit> circuits, List<Domain> domains, List<Bundle> bundles) {

    /** What passes where a configuration says nothing of a payload, in bytes. */
    static final int LONGEST = 9216;

    /**
     * A part of a port that carries frames.
     *
     * @param pop how many tags it takes off frames that come in, and puts back on those that go out
     * @param push the tag it puts on frames that come in, and takes off those that go out; empty for none
     * @param payload largest payload of a frame, in bytes
     */
    record Circuit(String port, String number, Match match, int pop, String push, int payload, Treatment treatment) {}

    /**
     * How much of what comes is let through, and how it is treated.
     *
     * @param in kbit/s; 0 for no limit
     * @param out kbit/s; 0 for no limit
     * @param traffic the class, in the family's own word; empty where none is said
     */
    record Treatment(long in, long out, String traffic) {}

    /**
     * Ports as one (IEEE 802.1AX), on their own or with those of another device.
     *
     * @param members its ports that are switched on
     * @param system LACP system identity; empty for the device's own
     * @param segment Ethernet segment identifier (RFC 7432 §5); empty where it is on this device only
     * @param election how it is decided who forwards for the segment (RFC 8584)
     */
    record Bundle(String name, Set<String> members, String system, String key, String segment, String election) {}

    /**
     * Which frames of a port a circuit takes (IEEE 802.1Q).
     *
     * @param kind {@code untagged}, {@code any}, {@code span} or {@code tags}
     * @param outer tag, or for a span the ranges of it
     * @param service whether the outer tag is a service tag (IEEE 802.1ad)
     */
    record Match(String kind, String outer, String inner, boolean service) {

        boolean takes(List<String> tags, boolean withServiceTag) {
            return switch (kind) {
                case "any" -> true;
                case "untagged" -> tags.isEmpty();
                case "span" -> !tags.isEmpty() && inSpan(Integer.parseInt(tags.get(0)));
                default -> !tags.isEmpty() && tags.get(0).equals(outer) && withServiceTag == service
                        && (inner.isEmpty() || tags.size() > 1 && tags.get(1).equals(inner));
            };
        }

        private boolean inSpan(int tag) {
            for (String range : outer.split(",")) {
                String[] ends = range.split("-");
                if (tag >= Integer.parseInt(ends[0]) && tag <= Integer.parseInt(ends[ends.length - 1])) {
                    return true;
                }
            }
            return false;
        }

        /** The tags of a frame that it takes. */
        List<String> sample() {
            return switch (kind) {
                case "any", "untagged" -> List.of();
                case "span" -> List.of(outer.split("[-,]")[0]);
                default -> inner.isEmpty() ? List.of(outer) : List.of(outer, inner);
            };
        }

        @Override
        public String toString() {
            return kind.equals("span") ? outer : kind.equals("tags") ? outer + (inner.isEmpty() ? "" : "/" + inner) : kind;
        }
    }

    /**
     * What belongs together: two ends of a wire, or a bridge.
     *
     * @param wire whether it is a wire, whose pseudowire is down where its own port is
     * @param apart groups whose circuits may not talk, in either direction
     * @param stations how many addresses it learns at most; 0 for any number
     */
    record Domain(String name, boolean wire, List<Member> members, List<Pseudowire> pseudowires, Optional<Pair> pair, Optional<Segment> segment,
            Optional<Gateway> gateway, Set<List<String>> apart, long stations, int payload) {}

    /**
     * What a bridge's hosts are routed by (RFC 9135).
     *
     * @param addresses with their networks' lengths
     * @param servers that hosts' requests for an address are relayed to
     * @param source the address they are relayed from; empty where none is said
     */
    record Gateway(String table, String mac, List<String> addresses, Set<String> servers, String source) {}

    /** A circuit that belongs to it. */
    record Member(String port, String number, String group) {}

    /**
     * A pseudowire as one end has it (RFC 8077).
     *
     * @param mesh whether what comes in here goes out of no other mesh pseudowire (RFC 4762 §4.4)
     * @param standbyFor the peer whose pseudowire this one is the standby for
     * @param flush whether the peer is asked to flush what it learnt when this one becomes active (RFC 4762 §6.2)
     */
    record Pseudowire(Address peer, long id, String type, boolean mesh, Optional<Address> standbyFor, boolean flush) {}

    /** One end of a wire that EVPN signals (RFC 8214). */
    record Pair(String target, long local, long remote, boolean controlWord) {}

    /**
     * A segment over VXLAN (RFC 8365).
     *
     * @param flooding {@code ingress}, or the group that flooded frames are sent to
     */
    record Segment(String vni, String flooding, Set<String> imports, Set<String> exports) {}

    Optional<Circuit> circuit(String port, String number) {
        return circuits.stream().filter(circuit -> circuit.port().equals(port) && circuit.number().equals(number)).findFirst();
    }

    Optional<Domain> domain(String wanted) {
        return domains.stream().filter(domain -> domain.name().equals(wanted)).findFirst();
    }

    Optional<Domain> domainOf(String port, String number) {
        return domains.stream().filter(domain -> domain.members().stream().anyMatch(member -> member.port().equals(port) && member.number().equals(number)))
                .findFirst();
    }
}
