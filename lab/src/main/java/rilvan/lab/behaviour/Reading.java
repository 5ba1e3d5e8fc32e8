package rilvan.lab.behaviour;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import rilvan.lab.behaviour.Router.Neighbour;
import rilvan.lab.behaviour.Router.Static;
import rilvan.lab.behaviour.Router.Table;
import rilvan.lab.behaviour.Router.Unit;
import rilvan.lab.config.Item;
import rilvan.lab.lines.Block;

/** What the configurations of each family mean for a router. Addresses of IPv6 are not read yet. */
final class Reading {

    private Reading() {}

    private static final String VPN_TARGET_OUT = "out";

    static Router quern(String name, Item config) {
        List<Unit> units = new ArrayList<>();
        for (Item port : config.below("interfaces").all("interface")) {
            if (port.leaf("enabled").equals("false")) {
                continue;
            }
            for (Item unit : port.below("units").all("unit")) {
                Item ipv4 = unit.below("ipv4");
                if (!unit.leaf("enabled").equals("false") && !ipv4.leaf("address").isEmpty() && !ipv4.leaf("prefix-length").isEmpty()) {
                    Item match = unit.below("match");
                    units.add(unit(port.leaf("name"), unit.leaf("number"), frames(match.leaf("outer"), match.leaf("inner")),
                            ipv4.leaf("address") + "/" + ipv4.leaf("prefix-length"), unit.leaf("vrf"), unit.leaf("mtu")));
                }
            }
        }
        Item routing = config.below("routing");
        List<Table> tables = new ArrayList<>(List.of(new Table(Router.OWN, Set.of(), Set.of(), quernStatics(routing))));
        for (Item vrf : config.below("vpn").all("vrf")) {
            tables.add(new Table(vrf.leaf("name"), texts(vrf.below("route-targets"), "import"),
                    texts(vrf.below("route-targets"), "export"), quernStatics(vrf)));
        }
        List<Neighbour> neighbours = new ArrayList<>();
        for (Item neighbour : routing.below("bgp").all("neighbor")) {
            neighbours.add(new Neighbour(Ipv4.address(neighbour.leaf("address")), Long.parseLong(neighbour.leaf("remote-as")),
                    texts(neighbour, "family").stream().map(family -> family.equals("vpn-ipv4") ? "vpn" : family).collect(Collectors.toSet()), neighbour.leaf("reflector-client").equals("true")));
        }
        Map<String, String> interior = new HashMap<>();
        routing.below("ospf").all("area").forEach(area -> area.all("interface").forEach(link ->
                interior.put(link.leaf("port") + " " + link.leaf("unit"), area.leaf("id"))));
        return new Router(name, units, tables, number(routing.below("bgp").leaf("as")), neighbours, interior, quernDown(config));
    }

    private static List<Static> quernStatics(Item parent) {
        return statics(parent.below("static").all("route").stream().map(route -> List.of(route.leaf("prefix"), route.leaf("next-hop"))).toList());
    }

    static Router tarn(String name, Item config) {
        Map<String, Item> subports = new TreeMap<>();
        Set<String> down = tarnDown(config);
        config.all("subport-row").stream().filter(row -> !down.contains(row.leaf("port"))).forEach(row -> subports.put(row.leaf("port") + " " + row.leaf("index"), row));
        List<Unit> units = new ArrayList<>();
        for (Item row : config.all("subport-address-row")) {
            Item subport = subports.getOrDefault(row.leaf("port") + " " + row.leaf("index"), Item.EMPTY);
            if (!subport.children().isEmpty() && !subport.leaf("admin").equals("off") && !row.leaf("address").contains(":")) {
                units.add(unit(row.leaf("port"), row.leaf("index"), frames(subport.leaf("tag"), subport.leaf("second-tag")),
                        row.leaf("address"), subport.leaf("context"), subport.leaf("octets")));
            }
        }
        config.all("loopback-row").forEach(row -> units.add(unit(Router.LOOPBACK, "0", "untagged", row.leaf("address"), Router.OWN, "")));
        List<Table> tables = new ArrayList<>(List.of(new Table(Router.OWN, Set.of(), Set.of(), tarnStatics(config, "own"))));
        for (Item context : config.all("context-row")) {
            String label = context.leaf("context");
            Set<String> in = new HashSet<>();
            Set<String> out = new HashSet<>();
            config.all("context-target-row").stream().filter(row -> row.leaf("context").equals(label)).forEach(row ->
                    (row.leaf("direction").equals(VPN_TARGET_OUT) ? out : in).add(row.leaf("target")));
            tables.add(new Table(label, in, out, tarnStatics(config, label)));
        }
        List<Neighbour> neighbours = new ArrayList<>();
        for (Item peer : config.all("peer-row")) {
            if (peer.leaf("context").equals("own")) {
                neighbours.add(new Neighbour(Ipv4.address(peer.leaf("peer")), Long.parseLong(peer.leaf("peer-as")),
                        texts(peer, "family"), peer.leaf("client").equals("on")));
            }
        }
        Map<String, String> interior = new HashMap<>();
        config.all("ospf-row").stream().filter(row -> row.leaf("context").equals("own"))
                .forEach(row -> interior.put(row.leaf("port") + " " + row.leaf("index"), row.leaf("area")));
        return new Router(name, units, tables, number(config.below("node").leaf("own-as")), neighbours, interior, down);
    }

    private static List<Static> tarnStatics(Item config, String context) {
        return statics(config.all("route-row").stream().filter(row -> row.leaf("context").equals(context))
                .map(row -> List.of(row.leaf("net"), row.leaf("gateway"))).toList());
    }

    static Router brae(String name, Block config) {
        List<Unit> units = new ArrayList<>();
        Set<String> down = braeDown(config);
        for (Block part : config.all("part")) {
            String frames = part.value("frames");
            List<String> words = List.of(frames.split(" "));
            String tags = words.get(0).equals("tag") ? words.get(1) : words.get(0).equals("tags") ? words.get(1) + "/" + words.get(2) : "untagged";
            if (part.all("shut").isEmpty() && !down.contains(part.values().get(0)) && words.get(0).matches("|tags?|span|any|untagged")) {
                part.all("address").stream().map(address -> address.values().get(0)).filter(address -> !address.contains(":")).forEach(address ->
                        units.add(unit(part.values().get(0), part.values().get(1), tags, address, part.value("table"), part.value("payload"))));
            }
        }
        config.all("loopback").forEach(line -> units.add(unit(Router.LOOPBACK, "0", "untagged", line.values().get(0), Router.OWN, "")));
        List<Table> tables = new ArrayList<>(List.of(new Table(Router.OWN, Set.of(), Set.of(), braeStatics(config, "own"))));
        for (Block table : config.all("table")) {
            tables.add(new Table(table.values().get(0), firsts(table.all("take")), firsts(table.all("give")), braeStatics(config, table.values().get(0))));
        }
        List<Neighbour> neighbours = new ArrayList<>();
        Map<String, String> interior = new HashMap<>();
        routes(config, "own").ifPresent(own -> {
            own.all("peer").forEach(peer -> neighbours.add(new Neighbour(Ipv4.address(peer.values().get(0)), number(peer.value("as")),
                    firsts(peer.all("family")), !peer.all("client").isEmpty())));
            own.all("ospf").forEach(line -> interior.put(line.values().get(0) + " " + line.values().get(1), line.values().get(2)));
        });
        return new Router(name, units, tables, number(config.value("own-as")), neighbours, interior, down);
    }

    private static Optional<Block> routes(Block config, String table) {
        return config.all("routes").stream().filter(block -> block.values().get(0).equals(table)).findFirst();
    }

    private static List<Static> braeStatics(Block config, String table) {
        return routes(config, table).map(block -> statics(block.all("route").stream().map(Block::values).toList())).orElse(List.of());
    }

    private static List<Static> statics(List<List<String>> prefixesAndHops) {
        return prefixesAndHops.stream().filter(each -> !each.get(0).contains(":"))
                .map(each -> new Static(Ipv4.parse(each.get(0)), Ipv4.address(each.get(1)))).toList();
    }

    private static Unit unit(String port, String unit, String frames, String address, String table, String mtu) {
        String[] parts = address.split("/");
        return new Unit(port, unit, frames, Ipv4.address(parts[0]), Ipv4.network(parts[0], Integer.parseInt(parts[1])), table,
                mtu.isEmpty() ? Switch.LONGEST : Integer.parseInt(mtu));
    }

    private static String frames(String outer, String inner) {
        return outer.isEmpty() ? "untagged" : outer + (inner.isEmpty() ? "" : "/" + inner);
    }

    /** The ports that are switched off. */
    static Set<String> quernDown(Item config) {
        return config.below("interfaces").all("interface").stream().filter(port -> port.leaf("enabled").equals("false")).map(port -> port.leaf("name"))
                .collect(Collectors.toSet());
    }

    static Set<String> tarnDown(Item config) {
        return config.all("port-row").stream().filter(row -> row.leaf("admin").equals("off")).map(row -> row.leaf("port")).collect(Collectors.toSet());
    }

    static Set<String> braeDown(Block config) {
        return config.all("port").stream().filter(port -> !port.all("shut").isEmpty()).map(port -> port.values().get(0)).collect(Collectors.toSet());
    }

    static long number(String text) {
        return text.isEmpty() ? 0 : Long.parseLong(text);
    }

    static Set<String> texts(Item parent, String name) {
        return new HashSet<>(parent.all(name).stream().map(Item::text).toList());
    }

    static Set<String> firsts(List<Block> lines) {
        return new HashSet<>(lines.stream().map(line -> line.values().get(0)).toList());
    }
}
