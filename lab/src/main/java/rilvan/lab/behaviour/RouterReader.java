package rilvan.lab.behaviour;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.lab.behaviour.Router.Entry;
import rilvan.lab.behaviour.Router.Guard;
import rilvan.lab.behaviour.Router.IpInterface;
import rilvan.lab.behaviour.Router.Neighbour;
import rilvan.lab.behaviour.Router.Ospf;
import rilvan.lab.behaviour.Router.Overlay;
import rilvan.lab.behaviour.Router.Static;
import rilvan.lab.behaviour.Router.Table;
import rilvan.lab.config.Item;
import rilvan.lab.lines.Block;

/** What the configurations of each family mean for a router. */
final class RouterReader {

    private RouterReader() {}

    private static final String IP = "ip";
    /** What families call the router's own table. */
    private static final String TARN_OWN = "own";
    private static final String BRAE_OWN = "own";

    static Router quern(String name, Item config) {
        List<IpInterface> interfaces = new ArrayList<>();
        for (Item port : config.below("ports").all("port")) {
            if (port.leaf("enabled").equals("false")) {
                continue;
            }
            quernAddresses(port).forEach(address -> interfaces.add(iface(port.leaf("name"), "0", "untagged", address, "", port.leaf("mtu"), "")));
            for (Item circuit : port.all("circuit")) {
                if (!circuit.leaf("enabled").equals("false")) {
                    Item match = circuit.below("match");
                    quernAddresses(circuit).forEach(address -> interfaces.add(iface(port.leaf("name"), circuit.leaf("id"), frames(match.leaf("outer"), match.leaf("inner")),
                            address, circuit.leaf("vrf"), circuit.leaf("mtu").isEmpty() ? port.leaf("mtu") : circuit.leaf("mtu"), circuit.leaf("packet-filter"))));
                }
            }
        }
        config.below("switching").all("bridge").forEach(bridge -> gateway(interfaces, bridge.leaf("name"), bridge.below("gateway").leaf("vrf"), quernAddresses(bridge.below("gateway"))));
        Item routing = config.below("routing");
        List<Table> tables = new ArrayList<>(List.of(quernTable(Router.OWN, "", Item.EMPTY, routing)));
        config.below("vpn").all("vrf").forEach(vrf -> tables.add(quernTable(vrf.leaf("name"), vrf.leaf("rd"), vrf.below("route-targets"), vrf)));
        config.below("vpn").all("vrf").forEach(vrf -> texts(vrf, "own-address").forEach(address -> own(interfaces, vrf.leaf("name"), address)));
        Map<String, List<Entry>> filters = new HashMap<>();
        config.below("policy").all("filter").forEach(filter -> filters.put(filter.leaf("name"), filter.all("entry").stream().map(entry ->
                new Entry(entry.leaf("action").equals("accept"), Net.of(entry.leaf("prefix")), (int) number(entry.leaf("longest")))).toList()));
        Map<String, List<Guard>> guards = new HashMap<>();
        config.below("policy").all("packet-filter").forEach(filter -> guards.put(filter.leaf("name"), filter.all("entry").stream().map(entry -> new Guard(
                entry.leaf("action").equals("accept"), entry.leaf("protocol"), net(entry.leaf("source")), net(entry.leaf("destination")), (int) number(entry.leaf("port")))).toList()));
        return new Router(name, routing.leaf("router-id"), interfaces, tables, number(routing.below("bgp").leaf("as")), filters, guards, quernDown(config),
                config.below("ports").all("port").stream().filter(port -> !port.leaf("bundle").isEmpty()).map(port -> port.leaf("name")).collect(Collectors.toSet()));
    }

    private static Table quernTable(String name, String rd, Item targets, Item routing) {
        return new Table(name, rd, texts(targets, "import"), texts(targets, "export"),
                only(routing.all("import-only").stream().flatMap(target -> texts(target, "prefix").stream().map(prefix -> List.of(target.leaf("target"), prefix)))),
                statics(routing.all("route").stream().map(route -> List.of(route.leaf("to"), route.leaf("via"))).toList()),
                routing.below("bgp").all("neighbor").stream().map(neighbour -> quernNeighbour(name, neighbour)).toList(),
                nets(texts(routing.below("bgp"), "announce")), quernAreas(routing.below("ospf")), quernAreas(routing.below("ospf3")),
                overlay(routing.below("vxlan").leaf("vni"), routing.below("vxlan").leaf("router-mac")));
    }

    private static Map<String, Ospf> quernAreas(Item ospf) {
        Map<String, Ospf> areas = new HashMap<>();
        ospf.all("area").forEach(area -> area.all("link").forEach(link -> areas.put(quernLink(link.leaf("at")),
                Ospf.of(area.leaf("id"), link.leaf("hello-interval"), link.leaf("dead-interval"), area.leaf("stub").equals("true")))));
        return areas;
    }

    /** A port, or one of its circuits as PORT#ID, by port and number; a port that is not parted has the number 0. */
    private static String quernLink(String at) {
        return at.contains("#") ? at.replace('#', ' ') : at + " 0";
    }

    /** Addresses with their lengths, of both versions of IP. */
    static List<String> quernAddresses(Item holder) {
        return Stream.of("ipv4", "ipv6").map(holder::leaf).filter(address -> !address.isEmpty()).toList();
    }

    /** What a segment's gateway is to its router: addresses on one more link. */
    private static void gateway(List<IpInterface> interfaces, String segment, String table, List<String> addresses) {
        if (!table.isEmpty()) {
            addresses.forEach(address -> interfaces.add(iface(Router.GATEWAY, segment, "untagged", address, table, "", "")));
        }
    }

    /** A VRF's address on no port, told to the others as a host. */
    private static void own(List<IpInterface> interfaces, String table, String address) {
        interfaces.add(iface(Router.LOOPBACK, "0", "untagged", address + (address.contains(":") ? "/128" : "/32"), table, "", ""));
    }

    private static Optional<Overlay> overlay(String vni, String mac) {
        return vni.isEmpty() && mac.isEmpty() ? Optional.empty() : Optional.of(new Overlay(vni, mac));
    }

    private static Neighbour quernNeighbour(String table, Item neighbour) {
        Set<String> families = texts(neighbour, "family").stream().map(family -> switch (family) {
            case "vpn-ipv4" -> "vpn";
            case "vpn-ipv6" -> "vpn6";
            case "ipv4", "ipv6" -> IP;
            default -> family;
        }).collect(Collectors.toSet());
        return new Neighbour(Address.parse(neighbour.leaf("address")), number(neighbour.leaf("remote-as")), table.equals(Router.OWN) ? families : Set.of(IP),
                neighbour.leaf("reflector-client").equals("true"), address(neighbour.leaf("source")), hops(neighbour.leaf("hops")),
                neighbour.leaf("authentication"), number(neighbour.leaf("prefix-limit")), neighbour.leaf("as-override").equals("true"), number(neighbour.leaf("own-as-limit")),
                neighbour.leaf("site-of-origin"), said(neighbour.leaf("import-filter")), said(neighbour.leaf("export-filter")));
    }

    static Router tarn(String name, Item config) {
        Map<String, Item> subports = new TreeMap<>();
        Set<String> down = tarnDown(config);
        config.all("subport-row").stream().filter(row -> !down.contains(row.leaf("port"))).forEach(row -> subports.put(row.leaf("port") + " " + row.leaf("index"), row));
        List<IpInterface> interfaces = new ArrayList<>();
        for (Item row : config.all("subport-address-row")) {
            Item subport = subports.getOrDefault(row.leaf("port") + " " + row.leaf("index"), Item.EMPTY);
            if (!subport.children().isEmpty() && !subport.leaf("admin").equals("off")) {
                interfaces.add(iface(row.leaf("port"), row.leaf("index"), frames(subport.leaf("tag"), subport.leaf("second-tag")),
                        row.leaf("address"), subport.leaf("context"), subport.leaf("octets"), subport.leaf("guard")));
            }
        }
        config.all("domain-gateway-row").forEach(row -> gateway(interfaces, row.leaf("domain"), row.leaf("context"), leaves(config.all("domain-gateway-address-row").stream()
                .filter(address -> address.leaf("domain").equals(row.leaf("domain"))).toList(), "address")));
        config.all("context-address-row").forEach(row -> own(interfaces, row.leaf("context"), row.leaf("address")));
        config.all("loopback-row").forEach(row -> interfaces.add(iface(Router.LOOPBACK, "0", "untagged", row.leaf("address"), Router.OWN, "", "")));
        List<Table> tables = new ArrayList<>(List.of(tarnTable(config, Router.OWN, TARN_OWN, Item.EMPTY)));
        config.all("context-row").forEach(context -> tables.add(tarnTable(config, context.leaf("context"), context.leaf("context"), context)));
        Map<String, List<Entry>> filters = new HashMap<>();
        config.all("filter-step-row").stream().sorted(Comparator.comparing(row -> number(row.leaf("step")))).forEach(row ->
                filters.computeIfAbsent(row.leaf("filter"), filter -> new ArrayList<>())
                        .add(new Entry(row.leaf("verdict").equals("pass"), Net.of(row.leaf("net")), (int) number(row.leaf("up-to")))));
        Map<String, List<Guard>> guards = new HashMap<>();
        config.all("guard-step-row").stream().sorted(Comparator.comparing(row -> number(row.leaf("step")))).forEach(row ->
                guards.computeIfAbsent(row.leaf("guard"), guard -> new ArrayList<>()).add(new Guard(row.leaf("verdict").equals("pass"), row.leaf("kind"),
                        net(row.leaf("from-net")), net(row.leaf("to-net")), (int) number(row.leaf("door")))));
        return new Router(name, config.below("node").leaf("router-id"), interfaces, tables, number(config.below("node").leaf("own-as")), filters, guards, down,
                config.all("port-row").stream().filter(row -> !row.leaf("trunk").isEmpty()).map(row -> row.leaf("port")).collect(Collectors.toSet()));
    }

    private static Table tarnTable(Item config, String name, String context, Item said) {
        Set<String> stubs = rows(config, "ospf-area-row", context).filter(row -> row.leaf("stub").equals("on")).map(row -> row.leaf("area")).collect(Collectors.toSet());
        Map<String, Ospf> areas = tarnAreas(rows(config, "ospf-row", context), stubs);
        loopback(config.all("loopback-row").isEmpty(), name, areas);
        return new Table(name, said.leaf("distinguisher"), tarnTargets(config, context, "in"), tarnTargets(config, context, "out"),
                only(rows(config, "context-accept-row", context).map(row -> List.of(row.leaf("target"), row.leaf("net")))),
                statics(rows(config, "route-row", context).map(row -> List.of(row.leaf("net"), row.leaf("gateway"))).toList()),
                rows(config, "peer-row", context).map(row -> tarnNeighbour(name, row)).toList(),
                nets(rows(config, "announce-row", context).map(row -> row.leaf("net")).collect(Collectors.toSet())), areas, tarnAreas(rows(config, "ospf3-row", context), Set.of()),
                overlay(said.leaf("vni"), said.leaf("router-mac")));
    }

    private static Map<String, Ospf> tarnAreas(Stream<Item> rows, Set<String> stubs) {
        Map<String, Ospf> areas = new HashMap<>();
        rows.forEach(row -> areas.put(row.leaf("port") + " " + row.leaf("index"),
                Ospf.of(row.leaf("area"), row.leaf("hello"), row.leaf("dead"), stubs.contains(row.leaf("area")))));
        return areas;
    }

    private static Stream<Item> rows(Item config, String list, String context) {
        return config.all(list).stream().filter(row -> row.leaf("context").equals(context));
    }

    private static Set<String> tarnTargets(Item config, String context, String direction) {
        return rows(config, "context-target-row", context).filter(row -> row.leaf("direction").equals(direction)).map(row -> row.leaf("target"))
                .collect(Collectors.toSet());
    }

    private static Neighbour tarnNeighbour(String table, Item row) {
        return new Neighbour(Address.parse(row.leaf("peer")), number(row.leaf("peer-as")), table.equals(Router.OWN) ? texts(row, "family") : Set.of(IP),
                row.leaf("client").equals("on"), address(row.leaf("local")), hops(row.leaf("distance")), row.leaf("digest"), number(row.leaf("limit")),
                row.leaf("rewrite-as").equals("on"), number(row.leaf("own-as-times")), row.leaf("origin"), said(row.leaf("filter-in")), said(row.leaf("filter-out")));
    }

    static Router brae(String name, Block config) {
        List<IpInterface> interfaces = new ArrayList<>();
        Set<String> down = braeDown(config);
        for (Block part : config.all("part")) {
            String frames = part.value("frames");
            List<String> words = List.of(frames.split(" "));
            String tags = words.get(0).equals("tag") ? words.get(1) : words.get(0).equals("tags") ? words.get(1) + "/" + words.get(2) : "untagged";
            if (part.all("closed").isEmpty() && !down.contains(part.values().get(0)) && words.get(0).matches("|tags?|span|any|untagged")) {
                part.all("address").stream().map(address -> address.values().get(0)).forEach(address ->
                        interfaces.add(iface(part.values().get(0), part.values().get(1), tags, address, part.value("table"), part.value("payload"), part.value("guard"))));
            }
        }
        config.all("bridge").forEach(bridge -> bridge.all("gateway").forEach(line -> gateway(interfaces, bridge.values().get(0), line.values().get(0),
                bridge.all("gateway-address").stream().map(address -> address.values().get(0)).toList())));
        config.all("table").forEach(table -> table.all("own-address").forEach(line -> own(interfaces, table.values().get(0), line.values().get(0))));
        config.all("loopback").forEach(line -> interfaces.add(iface(Router.LOOPBACK, "0", "untagged", line.values().get(0), Router.OWN, "", "")));
        List<Table> tables = new ArrayList<>(List.of(braeTable(config, Router.OWN, BRAE_OWN, Optional.empty())));
        config.all("table").forEach(table -> tables.add(braeTable(config, table.values().get(0), table.values().get(0), Optional.of(table))));
        Map<String, List<Entry>> filters = new HashMap<>();
        config.all("prefixes").forEach(filter -> filters.put(filter.values().get(0), filter.all("step").stream()
                .sorted(Comparator.comparing(step -> number(step.values().get(0)))).map(step -> new Entry(step.values().get(1).equals("accept"),
                        Net.of(step.values().get(2)), (int) number(step.values().get(3)))).toList()));
        Map<String, List<Guard>> guards = new HashMap<>();
        config.all("guard").forEach(guard -> guards.put(guard.values().get(0), guard.all("step").stream()
                .sorted(Comparator.comparing(step -> number(step.values().get(0)))).map(step -> braeGuard(step.values())).toList()));
        return new Router(name, config.value("router-id"), interfaces, tables, number(config.value("own-as")), filters, guards, down,
                config.all("port").stream().filter(port -> !port.value("member-of").isEmpty()).map(port -> port.values().get(0)).collect(Collectors.toSet()));
    }

    private static Guard braeGuard(List<String> values) {
        return new Guard(values.get(1).equals("accept"), values.get(2).equals("any") ? "" : values.get(2), net(values.get(3)), net(values.get(4)), (int) number(values.get(5)));
    }

    private static Table braeTable(Block config, String name, String called, Optional<Block> table) {
        Optional<Block> routes = config.all("routes").stream().filter(block -> block.values().get(0).equals(called)).findFirst();
        Set<String> stubs = firsts(lines(routes, "stub"));
        Map<String, List<String>> timers = new HashMap<>();
        lines(routes, "ospf-timers").forEach(line -> timers.put(line.values().get(0) + " " + line.values().get(1), line.values().subList(2, 4)));
        Map<String, Ospf> areas = new HashMap<>();
        lines(routes, "ospf").forEach(line -> {
            String part = line.values().get(0) + " " + line.values().get(1);
            List<String> said = timers.getOrDefault(part, List.of("", ""));
            areas.put(part, Ospf.of(line.values().get(2), said.get(0), said.get(1), stubs.contains(line.values().get(2))));
        });
        loopback(config.all("loopback").isEmpty(), name, areas);
        Map<String, Ospf> areas6 = new HashMap<>();
        lines(routes, "ospf3").forEach(line -> areas6.put(line.values().get(0) + " " + line.values().get(1), Ospf.of(line.values().get(2), "", "", false)));
        return new Table(name, table.map(each -> each.value("rd")).orElse(""), firsts(lines(table, "take")), firsts(lines(table, "give")),
                only(lines(table, "take-only").stream().map(Block::values)), statics(lines(routes, "route").stream().map(Block::values).toList()),
                lines(routes, "peer").stream().map(peer -> braeNeighbour(name, peer)).toList(), nets(firsts(lines(routes, "announce"))), areas, areas6,
                table.flatMap(each -> overlay(each.value("vni"), each.value("router-mac"))));
    }

    /** These families announce a router's own address in OSPF wherever it takes part in it. */
    private static void loopback(boolean without, String table, Map<String, Ospf> areas) {
        if (!without && table.equals(Router.OWN) && !areas.isEmpty()) {
            areas.put(Router.LOOPBACK + " 0", areas.values().iterator().next());
        }
    }

    private static List<Block> lines(Optional<Block> block, String word) {
        return block.map(each -> each.all(word)).orElse(List.of());
    }

    private static Neighbour braeNeighbour(String table, Block peer) {
        return new Neighbour(Address.parse(peer.values().get(0)), number(peer.value("as")),
                table.equals(Router.OWN) ? firsts(peer.all("family")) : Set.of(IP), !peer.all("client").isEmpty(), address(peer.value("from")),
                hops(peer.value("hops")), peer.value("digest"), number(peer.value("most")), !peer.all("put-own-as").isEmpty(), number(peer.value("own-as-up-to")), peer.value("origin"),
                said(peer.value("pass-in")), said(peer.value("pass-out")));
    }

    /** Of each route target, the prefixes that are taken. */
    private static Map<String, Set<Net>> only(Stream<List<String>> targetsAndPrefixes) {
        return targetsAndPrefixes.collect(Collectors.groupingBy(each -> each.get(0), Collectors.mapping(each -> Net.of(each.get(1)), Collectors.toSet())));
    }

    private static Set<Net> nets(Set<String> texts) {
        return texts.stream().map(Net::of).collect(Collectors.toSet());
    }

    private static Optional<Net> net(String text) {
        return said(text).map(Net::of);
    }

    private static Optional<Address> address(String text) {
        return said(text).map(Address::parse);
    }

    private static Optional<String> said(String text) {
        return text.isEmpty() ? Optional.empty() : Optional.of(text);
    }

    private static int hops(String text) {
        return text.isEmpty() ? 1 : Integer.parseInt(text);
    }

    private static List<Static> statics(List<List<String>> prefixesAndHops) {
        return prefixesAndHops.stream().map(each -> new Static(Net.of(each.get(0)), Address.parse(each.get(1)))).toList();
    }

    private static IpInterface iface(String port, String iface, String frames, String address, String table, String mtu, String guard) {
        return new IpInterface(port, iface, frames, Address.parse(address.substring(0, address.indexOf('/'))), Net.of(address), table,
                mtu.isEmpty() ? Switch.LONGEST : Integer.parseInt(mtu), said(guard));
    }

    private static String frames(String outer, String inner) {
        return outer.isEmpty() ? "untagged" : outer + (inner.isEmpty() ? "" : "/" + inner);
    }

    /** The ports that are switched off. */
    static Set<String> quernDown(Item config) {
        return config.below("ports").all("port").stream().filter(port -> port.leaf("enabled").equals("false")).map(port -> port.leaf("name"))
                .collect(Collectors.toSet());
    }

    static Set<String> tarnDown(Item config) {
        return config.all("port-row").stream().filter(row -> row.leaf("admin").equals("off")).map(row -> row.leaf("port")).collect(Collectors.toSet());
    }

    static Set<String> braeDown(Block config) {
        return config.all("port").stream().filter(port -> !port.all("closed").isEmpty()).map(port -> port.values().get(0)).collect(Collectors.toSet());
    }

    static long number(String text) {
        return text.isEmpty() ? 0 : Long.parseLong(text);
    }

    static Set<String> texts(Item parent, String name) {
        return new HashSet<>(parent.all(name).stream().map(Item::text).toList());
    }

    static List<String> leaves(List<Item> rows, String name) {
        return rows.stream().map(row -> row.leaf(name)).toList();
    }

    static Set<String> firsts(List<Block> lines) {
        return new HashSet<>(lines.stream().map(line -> line.values().get(0)).toList());
    }
}
