package rilvan.lab.behaviour;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import rilvan.lab.behaviour.Switch.Bundle;
import rilvan.lab.behaviour.Switch.Circuit;
import rilvan.lab.behaviour.Switch.Domain;
import rilvan.lab.behaviour.Switch.Gateway;
import rilvan.lab.behaviour.Switch.Match;
import rilvan.lab.behaviour.Switch.Member;
import rilvan.lab.behaviour.Switch.Pair;
import rilvan.lab.behaviour.Switch.Pseudowire;
import rilvan.lab.behaviour.Switch.Segment;
import rilvan.lab.behaviour.Switch.Treatment;
import rilvan.lab.config.Item;
import rilvan.lab.lines.Block;

/** What the configurations of each family mean for frames. A circuit whose port or part is switched off is none. */
final class SwitchReader {

    private static final String INGRESS = "ingress";

    private SwitchReader() {}

    static Switch quern(String name, Item config) {
        Set<String> off = RouterReader.quernDown(config);
        List<Item> ports = config.below("ports").all("port").stream().filter(port -> !off.contains(port.leaf("name"))).toList();
        List<Bundle> bundles = ports.stream().filter(port -> port.child("aggregate").isPresent()).map(port -> {
            Item aggregate = port.below("aggregate");
            Item segment = aggregate.below("ethernet-segment");
            return new Bundle(port.leaf("name"), ports.stream().filter(member -> member.leaf("bundle").equals(port.leaf("name"))).map(member -> member.leaf("name"))
                    .collect(Collectors.toSet()), aggregate.leaf("system-id"), aggregate.leaf("admin-key"), segment.leaf("identifier"), election(segment.leaf("election")));
        }).toList();
        List<Circuit> circuits = new ArrayList<>();
        for (Item port : ports) {
            if (empty(bundles, port.leaf("name"))) {
                continue;
            }
            for (Item circuit : port.all("circuit")) {
                if (!circuit.leaf("enabled").equals("false")) {
                    Item match = circuit.below("match");
                    Item rewrite = circuit.below("rewrite");
                    circuits.add(new Circuit(port.leaf("name"), circuit.leaf("id"), match(has(match, "any"), match.leaf("tags"), match.leaf("outer"),
                            match.leaf("inner"), match.leaf("ethertype").equals("s-tag")), whole(rewrite.leaf("pop"), 0), rewrite.leaf("push"),
                            whole(circuit.leaf("mtu"), whole(port.leaf("mtu"), Switch.LONGEST)), quernTreatment(circuit.below("rate"))));
                }
            }
        }
        List<Domain> domains = new ArrayList<>();
        Item switching = config.below("switching");
        for (Item each : switching.all("cross-connect")) {
            Item wire = each.below("pseudowire");
            Item evpn = each.below("evpn");
            List<Pseudowire> wires = new ArrayList<>();
            if (!wire.leaf("peer").isEmpty()) {
                wires.add(pseudowire(wire.leaf("peer"), wire.leaf("id"), wire.leaf("type"), false, "", false));
            }
            if (!wire.below("backup").leaf("peer").isEmpty()) {
                wires.add(pseudowire(wire.below("backup").leaf("peer"), wire.below("backup").leaf("id"), wire.leaf("type"), false, wire.leaf("peer"), false));
            }
            Optional<Pair> pair = evpn.leaf("target").isEmpty() ? Optional.empty() : Optional.of(new Pair(evpn.leaf("target"),
                    RouterReader.number(evpn.leaf("local-id")), RouterReader.number(evpn.leaf("remote-id")), !evpn.leaf("control-word").equals("false")));
            domains.add(wire(each.leaf("name"), members(each.all("circuit"), "port", "id"), wires, pair,
                    whole(wire.leaf("mtu") + evpn.leaf("mtu"), Switch.LONGEST)));
        }
        for (Item each : switching.all("bridge")) {
            List<Pseudowire> wires = each.all("pseudowire").stream().map(wire -> pseudowire(wire.leaf("peer"), wire.leaf("id"), wire.leaf("type"),
                    !wire.leaf("mesh").equals("false"), wire.leaf("standby-for"), wire.leaf("flush").equals("true"))).toList();
            Item vxlan = each.below("vxlan");
            Optional<Segment> segment = vxlan.leaf("vni").isEmpty() ? Optional.empty() : Optional.of(new Segment(vxlan.leaf("vni"),
                    vxlan.leaf("replication").equals("multicast") ? vxlan.leaf("group") : INGRESS,
                    RouterReader.texts(each.below("evpn"), "import"), RouterReader.texts(each.below("evpn"), "export")));
            Item router = each.below("gateway");
            Optional<Gateway> gateway = router.leaf("vrf").isEmpty() ? Optional.empty() : Optional.of(new Gateway(router.leaf("vrf"), router.leaf("mac"),
                    RouterReader.quernAddresses(router), RouterReader.texts(router.below("relay"), "server"), router.below("relay").leaf("source")));
            domains.add(new Domain(each.leaf("name"), false, members(each.all("circuit"), "port", "id"), wires, Optional.empty(), segment, gateway,
                    apart(each.all("between").stream().filter(rule -> rule.leaf("action").equals("refuse")).toList()), RouterReader.number(each.leaf("mac-limit")),
                    whole(each.leaf("mtu"), Switch.LONGEST)));
        }
        return new Switch(name, circuits, domains, bundles);
    }

    static Switch tarn(String name, Item config) {
        Set<String> off = RouterReader.tarnDown(config);
        List<Bundle> bundles = config.all("trunk-row").stream().map(row -> new Bundle(row.leaf("trunk"), rows(config, "port-row", "trunk", row.leaf("trunk")).stream()
                .map(port -> port.leaf("port")).filter(port -> !off.contains(port)).collect(Collectors.toSet()), row.leaf("lacp-system"), row.leaf("lacp-key"),
                row.leaf("segment-id"), election(row.leaf("forwarder")))).toList();
        List<Circuit> circuits = new ArrayList<>();
        for (Item row : config.all("subport-row")) {
            if (!row.leaf("admin").equals("off") && !off.contains(row.leaf("port")) && !empty(bundles, row.leaf("port"))) {
                circuits.add(new Circuit(row.leaf("port"), row.leaf("index"), match(has(row, "all"), row.leaf("tag-span"), row.leaf("tag"), row.leaf("second-tag"),
                        row.leaf("tag-type").equals("service")), whole(row.leaf("strip"), 0), row.leaf("add-tag"), whole(row.leaf("octets"), Switch.LONGEST),
                        new Treatment(RouterReader.number(row.leaf("shape-in")), RouterReader.number(row.leaf("shape-out")), row.leaf("class"))));
            }
        }
        List<Domain> domains = new ArrayList<>();
        for (Item each : config.all("wire-row")) {
            List<Pseudowire> wires = new ArrayList<>();
            if (!each.leaf("far").isEmpty()) {
                wires.add(pseudowire(each.leaf("far"), each.leaf("far-id"), type(each.leaf("mode")), false, "", false));
            }
            if (!each.leaf("reserve").isEmpty()) {
                wires.add(pseudowire(each.leaf("reserve"), each.leaf("reserve-id"), type(each.leaf("mode")), false, each.leaf("far"), false));
            }
            Optional<Pair> pair = each.leaf("evpn-target").isEmpty() ? Optional.empty() : Optional.of(new Pair(each.leaf("evpn-target"),
                    RouterReader.number(each.leaf("evpn-here")), RouterReader.number(each.leaf("evpn-there")), !each.leaf("sequence-word").equals("off")));
            domains.add(wire(each.leaf("wire"), members(rows(config, "wire-end-row", "wire", each.leaf("wire")), "port", "index"), wires, pair,
                    whole(each.leaf("octets"), Switch.LONGEST)));
        }
        for (Item each : config.all("domain-row")) {
            String domain = each.leaf("domain");
            List<Pseudowire> wires = rows(config, "domain-wire-row", "domain", domain).stream().map(wire -> pseudowire(wire.leaf("far"), wire.leaf("far-id"),
                    type(wire.leaf("mode")), !wire.leaf("horizon").equals("off"), wire.leaf("stand-in-for"), wire.leaf("withdraw").equals("on"))).toList();
            List<Item> targets = rows(config, "domain-target-row", "domain", domain);
            Optional<Segment> segment = each.leaf("vni").isEmpty() ? Optional.empty() : Optional.of(new Segment(each.leaf("vni"),
                    each.leaf("flooding").equals("group") ? each.leaf("flooding-group") : INGRESS,
                    targets(targets, direction -> !direction.equals("out")), targets(targets, direction -> direction.equals("out"))));
            Optional<Gateway> gateway = rows(config, "domain-gateway-row", "domain", domain).stream().findFirst().map(row -> new Gateway(row.leaf("context"), row.leaf("mac"),
                    RouterReader.leaves(rows(config, "domain-gateway-address-row", "domain", domain), "address"),
                    Set.copyOf(RouterReader.leaves(rows(config, "domain-relay-row", "domain", domain), "server")), row.leaf("relay-source")));
            domains.add(new Domain(domain, false, members(rows(config, "domain-end-row", "domain", domain), "port", "index"), wires, Optional.empty(), segment, gateway,
                    apart(rows(config, "domain-between-row", "domain", domain).stream().filter(rule -> rule.leaf("verdict").equals("drop")).toList()),
                    RouterReader.number(each.leaf("stations")), whole(each.leaf("octets"), Switch.LONGEST)));
        }
        return new Switch(name, circuits, domains, bundles);
    }

    static Switch brae(String name, Block config) {
        Set<String> off = RouterReader.braeDown(config);
        List<Bundle> bundles = config.all("bundle").stream().map(bundle -> new Bundle(bundle.values().get(0), config.all("port").stream()
                .filter(port -> port.value("member-of").equals(bundle.values().get(0))).map(port -> port.values().get(0)).filter(port -> !off.contains(port))
                .collect(Collectors.toSet()), bundle.value("lacp-system"), bundle.value("lacp-key"), bundle.value("segment-id"), election(bundle.value("elect")))).toList();
        List<Circuit> circuits = new ArrayList<>();
        for (Block part : config.all("part")) {
            if (part.all("closed").isEmpty() && !off.contains(part.values().get(0)) && !empty(bundles, part.values().get(0))) {
                String[] frames = part.value("frames").split(" ");
                boolean tagged = frames[0].matches("tags?");
                if (!frames[0].matches("|tags?|span|any|untagged")) {
                    continue;
                }
                circuits.add(new Circuit(part.values().get(0), part.values().get(1), match(frames[0].equals("any"), frames[0].equals("span") ? frames[1] : "",
                        tagged ? frames[1] : "", frames[0].equals("tags") ? frames[2] : "", !part.all("service-tag").isEmpty()),
                        whole(part.value("strip"), 0), part.value("put-tag"), whole(part.value("payload"), Switch.LONGEST),
                        new Treatment(RouterReader.number(part.value("limit")), RouterReader.number(part.value("limit")), part.value("treat"))));
            }
        }
        List<Domain> domains = new ArrayList<>();
        for (Block each : config.all("wire")) {
            List<Pseudowire> wires = new ArrayList<>();
            String main = each.value("far");
            each.all("far").forEach(far -> wires.add(pseudowire(far.values().get(0), far.values().get(1), far.values().get(2), false, "", false)));
            each.all("spare").forEach(spare -> wires.add(pseudowire(spare.values().get(0), spare.values().get(1),
                    each.all("far").get(0).values().get(2), false, main, false)));
            Optional<Pair> pair = each.all("evpn").stream().findFirst().map(evpn -> new Pair(evpn.values().get(1), RouterReader.number(evpn.values().get(2)),
                    RouterReader.number(evpn.values().get(3)), !each.value("control-word").equals("off")));
            domains.add(wire(each.values().get(0), ends(each), wires, pair, whole(each.value("payload"), Switch.LONGEST)));
        }
        for (Block each : config.all("bridge")) {
            List<Pseudowire> wires = each.all("far").stream().map(far -> pseudowire(far.values().get(0), far.values().get(1), far.value("type"),
                    !far.value("horizon").equals("off"), far.value("standby-for"), !far.all("flush").isEmpty())).toList();
            Optional<Segment> segment = each.value("vni").isEmpty() ? Optional.empty() : Optional.of(new Segment(each.value("vni"),
                    each.value("flood-group").isEmpty() ? INGRESS : each.value("flood-group"), RouterReader.firsts(each.all("take")), RouterReader.firsts(each.all("give"))));
            Set<List<String>> apart = each.all("between").stream().filter(rule -> rule.values().get(2).equals("refuse"))
                    .map(rule -> rule.values().subList(0, 2)).collect(Collectors.toSet());
            Optional<Gateway> gateway = each.all("gateway").stream().findFirst().map(router -> new Gateway(router.values().get(0), router.values().get(1),
                    each.all("gateway-address").stream().map(line -> line.values().get(0)).toList(), RouterReader.firsts(each.all("relay")), each.value("relay-from")));
            domains.add(new Domain(each.values().get(0), false, ends(each), wires, Optional.empty(), segment, gateway, apart,
                    RouterReader.number(each.value("stations")), whole(each.value("payload"), Switch.LONGEST)));
        }
        return new Switch(name, circuits, domains, bundles);
    }

    private static Domain wire(String name, List<Member> members, List<Pseudowire> pseudowires, Optional<Pair> pair, int payload) {
        return new Domain(name, true, members, pseudowires, pair, Optional.empty(), Optional.empty(), Set.of(), 0, payload);
    }

    /** Whether a port is a bundle without any port in it that is switched on: it is down then. */
    private static boolean empty(List<Bundle> bundles, String port) {
        return bundles.stream().anyMatch(bundle -> bundle.name().equals(port) && bundle.members().isEmpty());
    }

    private static String election(String said) {
        return said.isEmpty() ? "modulo" : said;
    }

    private static Treatment quernTreatment(Item rate) {
        return new Treatment(RouterReader.number(rate.leaf("input")), RouterReader.number(rate.leaf("output")), rate.leaf("class"));
    }

    private static List<Member> ends(Block domain) {
        return domain.all("end").stream().map(Block::values).map(end -> new Member(end.get(0), end.get(1), domain.all("group").stream().map(Block::values)
                .filter(group -> group.subList(0, 2).equals(end)).map(group -> group.get(2)).findFirst().orElse(""))).toList();
    }

    private static List<Member> members(List<Item> items, String port, String number) {
        return items.stream().map(item -> new Member(item.leaf(port), item.leaf(number), item.leaf("group"))).toList();
    }

    private static List<Item> rows(Item config, String name, String key, String value) {
        return config.all(name).stream().filter(row -> row.leaf(key).equals(value)).toList();
    }

    private static Set<String> targets(List<Item> rows, Predicate<String> direction) {
        return rows.stream().filter(row -> direction.test(row.leaf("direction"))).map(row -> row.leaf("target")).collect(Collectors.toSet());
    }

    private static Set<List<String>> apart(List<Item> rules) {
        return rules.stream().map(rule -> List.of(rule.leaf("group"), rule.leaf("other"))).collect(Collectors.toSet());
    }

    private static Match match(boolean any, String span, String outer, String inner, boolean service) {
        return any ? new Match("any", "", "", false) : !span.isEmpty() ? new Match("span", span, "", false)
                : outer.isEmpty() ? new Match("untagged", "", "", false) : new Match("tags", outer, inner, service);
    }

    private static Pseudowire pseudowire(String peer, String id, String type, boolean mesh, String standbyFor, boolean flush) {
        return new Pseudowire(Address.parse(peer), RouterReader.number(id), type.isEmpty() ? "raw" : type, mesh,
                standbyFor.isEmpty() ? Optional.empty() : Optional.of(Address.parse(standbyFor)), flush);
    }

    /** The type of RFC 8077 that one of Tarn's modes is. */
    private static String type(String mode) {
        return mode.equals("vlan") ? "tagged" : "raw";
    }

    private static boolean has(Item item, String name) {
        return item.child(name).isPresent();
    }

    private static int whole(String text, int otherwise) {
        return text.isEmpty() ? otherwise : Integer.parseInt(text);
    }
}
