package rilvan.lab.behaviour;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import rilvan.lab.behaviour.Switch.Circuit;
import rilvan.lab.behaviour.Switch.Domain;
import rilvan.lab.behaviour.Switch.Match;
import rilvan.lab.behaviour.Switch.Member;
import rilvan.lab.behaviour.Switch.Pair;
import rilvan.lab.behaviour.Switch.Pseudowire;
import rilvan.lab.behaviour.Switch.Segment;
import rilvan.lab.config.Item;
import rilvan.lab.lines.Block;

/** What the configurations of each family mean for frames. A circuit whose port or part is switched off is none. */
final class SwitchReading {

    private static final String INGRESS = "ingress";

    private SwitchReading() {}

    static Switch quern(String name, Item config) {
        Set<String> off = Reading.quernDown(config);
        List<Item> ports = config.below("interfaces").all("interface").stream().filter(port -> !off.contains(port.leaf("name"))).toList();
        Set<String> bundles = ports.stream().map(port -> port.leaf("bundle")).collect(Collectors.toSet());
        List<Circuit> circuits = new ArrayList<>();
        for (Item port : ports) {
            if (port.child("aggregate").isPresent() && !bundles.contains(port.leaf("name"))) {
                continue;
            }
            for (Item unit : port.below("units").all("unit")) {
                if (!unit.leaf("enabled").equals("false")) {
                    Item match = unit.below("match");
                    Item rewrite = unit.below("rewrite");
                    circuits.add(new Circuit(port.leaf("name"), unit.leaf("number"), match(has(match, "any"), match.leaf("tags"), match.leaf("outer"),
                            match.leaf("inner"), match.leaf("ethertype").equals("s-tag")), whole(rewrite.leaf("pop"), 0), rewrite.leaf("push"),
                            whole(unit.leaf("mtu"), whole(port.leaf("mtu"), Switch.LONGEST))));
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
                wires.add(pseudowire(wire.leaf("peer"), wire.leaf("id"), wire.leaf("type"), false, ""));
            }
            if (!wire.below("backup").leaf("peer").isEmpty()) {
                wires.add(pseudowire(wire.below("backup").leaf("peer"), wire.below("backup").leaf("id"), wire.leaf("type"), false, wire.leaf("peer")));
            }
            Optional<Pair> pair = evpn.leaf("target").isEmpty() ? Optional.empty() : Optional.of(new Pair(evpn.leaf("target"),
                    Reading.number(evpn.leaf("local-id")), Reading.number(evpn.leaf("remote-id")), !evpn.leaf("control-word").equals("false")));
            domains.add(new Domain(each.leaf("name"), true, members(each.all("circuit"), "port", "unit"), wires, pair, Optional.empty(), Set.of(),
                    whole(wire.leaf("mtu") + evpn.leaf("mtu"), Switch.LONGEST)));
        }
        for (Item each : switching.all("bridge")) {
            List<Pseudowire> wires = each.all("pseudowire").stream().map(wire -> pseudowire(wire.leaf("peer"), wire.leaf("id"), wire.leaf("type"),
                    !wire.leaf("mesh").equals("false"), wire.leaf("standby-for"))).toList();
            Item vxlan = each.below("vxlan");
            Optional<Segment> segment = vxlan.leaf("vni").isEmpty() ? Optional.empty() : Optional.of(new Segment(vxlan.leaf("vni"),
                    vxlan.leaf("replication").equals("multicast") ? vxlan.leaf("group") : INGRESS,
                    Reading.texts(each.below("evpn"), "import"), Reading.texts(each.below("evpn"), "export")));
            domains.add(new Domain(each.leaf("name"), false, members(each.all("circuit"), "port", "unit"), wires, Optional.empty(), segment,
                    apart(each.all("between").stream().filter(rule -> rule.leaf("action").equals("refuse")).toList()), whole(each.leaf("mtu"), Switch.LONGEST)));
        }
        return new Switch(name, circuits, domains);
    }

    static Switch tarn(String name, Item config) {
        Set<String> off = new HashSet<>(Reading.tarnDown(config));
        Set<String> trunks = config.all("port-row").stream().filter(port -> !off.contains(port.leaf("port"))).map(port -> port.leaf("trunk")).collect(Collectors.toSet());
        config.all("trunk-row").stream().map(row -> row.leaf("trunk")).filter(trunk -> !trunks.contains(trunk)).forEach(off::add);
        List<Circuit> circuits = new ArrayList<>();
        for (Item row : config.all("subport-row")) {
            if (!row.leaf("admin").equals("off") && !off.contains(row.leaf("port"))) {
                circuits.add(new Circuit(row.leaf("port"), row.leaf("index"), match(has(row, "all"), row.leaf("tag-span"), row.leaf("tag"), row.leaf("second-tag"),
                        row.leaf("tag-type").equals("service")), whole(row.leaf("strip"), 0), row.leaf("add-tag"), whole(row.leaf("octets"), Switch.LONGEST)));
            }
        }
        List<Domain> domains = new ArrayList<>();
        for (Item each : config.all("wire-row")) {
            List<Pseudowire> wires = new ArrayList<>();
            if (!each.leaf("far").isEmpty()) {
                wires.add(pseudowire(each.leaf("far"), each.leaf("far-id"), type(each.leaf("mode")), false, ""));
            }
            if (!each.leaf("reserve").isEmpty()) {
                wires.add(pseudowire(each.leaf("reserve"), each.leaf("reserve-id"), type(each.leaf("mode")), false, each.leaf("far")));
            }
            Optional<Pair> pair = each.leaf("evpn-target").isEmpty() ? Optional.empty() : Optional.of(new Pair(each.leaf("evpn-target"),
                    Reading.number(each.leaf("evpn-here")), Reading.number(each.leaf("evpn-there")), !each.leaf("sequence-word").equals("off")));
            domains.add(new Domain(each.leaf("wire"), true, members(rows(config, "wire-end-row", "wire", each.leaf("wire")), "port", "index"), wires, pair,
                    Optional.empty(), Set.of(), whole(each.leaf("octets"), Switch.LONGEST)));
        }
        for (Item each : config.all("domain-row")) {
            String domain = each.leaf("domain");
            List<Pseudowire> wires = rows(config, "domain-wire-row", "domain", domain).stream().map(wire -> pseudowire(wire.leaf("far"), wire.leaf("far-id"),
                    type(wire.leaf("mode")), !wire.leaf("horizon").equals("off"), wire.leaf("stand-in-for"))).toList();
            List<Item> targets = rows(config, "domain-target-row", "domain", domain);
            Optional<Segment> segment = each.leaf("vni").isEmpty() ? Optional.empty() : Optional.of(new Segment(each.leaf("vni"),
                    each.leaf("flooding").equals("group") ? each.leaf("flooding-group") : INGRESS,
                    targets(targets, direction -> !direction.equals("out")), targets(targets, direction -> direction.equals("out"))));
            domains.add(new Domain(domain, false, members(rows(config, "domain-end-row", "domain", domain), "port", "index"), wires, Optional.empty(), segment,
                    apart(rows(config, "domain-between-row", "domain", domain).stream().filter(rule -> rule.leaf("verdict").equals("drop")).toList()),
                    whole(each.leaf("octets"), Switch.LONGEST)));
        }
        return new Switch(name, circuits, domains);
    }

    static Switch brae(String name, Block config) {
        Set<String> off = new HashSet<>(Reading.braeDown(config));
        Set<String> bundled = config.all("port").stream().filter(port -> !off.contains(port.values().get(0))).map(port -> port.value("member-of")).collect(Collectors.toSet());
        config.all("bundle").stream().map(bundle -> bundle.values().get(0)).filter(bundle -> !bundled.contains(bundle)).forEach(off::add);
        List<Circuit> circuits = new ArrayList<>();
        for (Block part : config.all("part")) {
            if (part.all("shut").isEmpty() && !off.contains(part.values().get(0))) {
                String[] frames = part.value("frames").split(" ");
                boolean tagged = frames[0].matches("tags?");
                if (!frames[0].matches("|tags?|span|any|untagged")) {
                    continue;
                }
                circuits.add(new Circuit(part.values().get(0), part.values().get(1), match(frames[0].equals("any"), frames[0].equals("span") ? frames[1] : "",
                        tagged ? frames[1] : "", frames[0].equals("tags") ? frames[2] : "", !part.all("service-tag").isEmpty()),
                        whole(part.value("strip"), 0), part.value("put-tag"), whole(part.value("payload"), Switch.LONGEST)));
            }
        }
        List<Domain> domains = new ArrayList<>();
        for (Block each : config.all("wire")) {
            List<Pseudowire> wires = new ArrayList<>();
            String main = each.value("far");
            each.all("far").forEach(far -> wires.add(pseudowire(far.values().get(0), far.values().get(1), far.values().get(2), false, "")));
            each.all("spare").forEach(spare -> wires.add(pseudowire(spare.values().get(0), spare.values().get(1),
                    each.all("far").get(0).values().get(2), false, main)));
            Optional<Pair> pair = each.all("evpn").stream().findFirst().map(evpn -> new Pair(evpn.values().get(1), Reading.number(evpn.values().get(2)),
                    Reading.number(evpn.values().get(3)), !each.value("control-word").equals("off")));
            domains.add(new Domain(each.values().get(0), true, ends(each), wires, pair, Optional.empty(), Set.of(), whole(each.value("payload"), Switch.LONGEST)));
        }
        for (Block each : config.all("bridge")) {
            List<Pseudowire> wires = each.all("far").stream().map(far -> pseudowire(far.values().get(0), far.values().get(1), far.value("type"),
                    !far.value("horizon").equals("off"), far.value("standby-for"))).toList();
            Optional<Segment> segment = each.value("vni").isEmpty() ? Optional.empty() : Optional.of(new Segment(each.value("vni"),
                    each.value("flood-group").isEmpty() ? INGRESS : each.value("flood-group"), Reading.firsts(each.all("take")), Reading.firsts(each.all("give"))));
            Set<List<String>> apart = each.all("between").stream().filter(rule -> rule.values().get(2).equals("refuse"))
                    .map(rule -> rule.values().subList(0, 2)).collect(Collectors.toSet());
            domains.add(new Domain(each.values().get(0), false, ends(each), wires, Optional.empty(), segment, apart, whole(each.value("payload"), Switch.LONGEST)));
        }
        return new Switch(name, circuits, domains);
    }

    private static List<Member> ends(Block domain) {
        return domain.all("end").stream().map(Block::values).map(end -> new Member(end.get(0), end.get(1), domain.all("group").stream().map(Block::values)
                .filter(group -> group.subList(0, 2).equals(end)).map(group -> group.get(2)).findFirst().orElse(""))).toList();
    }

    private static List<Member> members(List<Item> items, String port, String unit) {
        return items.stream().map(item -> new Member(item.leaf(port), item.leaf(unit), item.leaf("group"))).toList();
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

    private static Pseudowire pseudowire(String peer, String id, String type, boolean mesh, String standbyFor) {
        return new Pseudowire(Ipv4.address(peer), Reading.number(id), type.isEmpty() ? "raw" : type, mesh, standbyFor.isEmpty() ? Optional.empty() : Optional.of(Ipv4.address(standbyFor)));
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
