package rilvan.core.network;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import rilvan.core.document.Document;
import rilvan.core.document.Shape;
import rilvan.core.document.Shape.Fields;
import rilvan.core.network.Device.Port;
import rilvan.core.network.Network.End;
import rilvan.core.network.Network.Link;
import rilvan.core.pool.Pool;

/** Reads a network from a document: {@code network}, {@code devices}, {@code links}, {@code pools}. */
public final class NetworkDocument {

    private NetworkDocument() {}

    /**
     * @throws rilvan.core.document.Refused naming every field at fault
     */
    public static Network read(Document document) {
        Shape shape = new Shape(document);
        Fields root = shape.root("network", "devices", "links", "pools");
        String name = root.text("network");
        Map<String, Device> devices = new LinkedHashMap<>();
        for (Fields each : root.each("devices", "name", "family", "role", "site", "address", "port", "credential", "ports")) {
            List<Port> ports = new ArrayList<>();
            for (Fields port : each.each("ports", "name", "role")) {
                ports.add(new Port(port.text("name"), port.text("role")));
            }
            Device device = new Device(each.text("name"), each.text("family"), each.text("role"), each.text("site"),
                    each.text("address"), each.whole("port", 1, 65_535), each.text("credential"), ports);
            if (devices.put(device.name(), device) != null) {
                shape.refuse(each.pointer() + "/name", "there is already a device named " + device.name());
            }
        }
        List<Link> links = new ArrayList<>();
        for (Fields each : root.each("links", "a", "b")) {
            links.add(new Link(end(shape, each, "a", devices), end(shape, each, "b", devices)));
        }
        Map<String, Pool> pools = new LinkedHashMap<>();
        for (Fields each : root.each("pools", "name", "from", "to", "as")) {
            int from = each.whole("from", 0, Integer.MAX_VALUE);
            int to = each.whole("to", 0, Integer.MAX_VALUE);
            if (to < from) {
                shape.refuse(each.pointer() + "/to", "is below from");
            }
            pools.put(each.text("name"), new Pool(each.text("name"), from, to, each.text("as", "{}")));
        }
        shape.finish();
        return new Network(name, devices, links, pools);
    }

    /** An end is written {@code DEVICE PORT}. */
    private static End end(Shape shape, Fields link, String field, Map<String, Device> devices) {
        String[] words = link.text(field).split(" ");
        if (words.length != 2 || !devices.containsKey(words[0]) || devices.get(words[0]).port(words[1]).isEmpty()) {
            shape.refuse(link.pointer() + "/" + field, "expected a device and one of its ports, such as: haven-pe1 core-1");
        }
        return new End(words[0], words[words.length - 1]);
    }
}
