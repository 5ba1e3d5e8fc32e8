package rilvan.lab.behaviour;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.opendaylight.yangtools.yang.parser.api.YangParserException;
import rilvan.lab.behaviour.Wiring.End;
import rilvan.lab.behaviour.Wiring.Wire;
import rilvan.lab.config.EditConfig;
import rilvan.lab.config.Item;
import rilvan.lab.config.Xml;
import rilvan.lab.config.YangModel;

/** Devices of the demo that are of the family Quern, as small networks worked out by hand begin with them. */
final class QuernDevices {

    private static final Path MODELS = Path.of("../models");
    private static final YangModel MODULES = modules();

    private QuernDevices() {}

    private static YangModel modules() {
        try {
            return YangModel.read(MODELS.resolve("dialects/quern/yang"));
        } catch (IOException | YangParserException e) {
            throw new IllegalStateException(e);
        }
    }

    /** What a device of the demo holds at first. */
    static String text(String name) throws IOException {
        return Files.readString(MODELS.resolve("demo/devices/" + name + ".xml"));
    }

    static Item config(String text) {
        return EditConfig.whole(MODULES, Xml.parse("<config>" + text + "</config>"));
    }

    /** What a device holds, with a packet filter at the link of the table V that accepts just this. */
    static String guarded(String text, String accepted) {
        String table = "<vrf xmlns=\"urn:quern:vpn\">V</vrf>";
        assertThat(text).contains(table);
        return text.replace(table, table + "<packet-filter xmlns=\"urn:quern:vpn\">F</packet-filter>") + """
                <policy xmlns="urn:quern:policy"><packet-filter><name>F</name><entry><number>1</number><action>accept</action>%s</entry></packet-filter></policy>"""
                .formatted(accepted);
    }

    /** What some devices hold, by name; with one thing instead of another on one of them. */
    static Map<String, Item> configs(Map<String, String> texts, String device, String given, String instead) {
        Map<String, Item> configs = new HashMap<>();
        texts.forEach((name, text) -> {
            if (name.equals(device)) {
                assertThat(text).contains(given);
            }
            configs.put(name, config(name.equals(device) ? text.replace(given, instead) : text));
        });
        return configs;
    }

    /**
     * The network of some devices by name, each with what it holds; with one thing instead of another on one of them. It has changed from what the network was before, as it
     * does in the lab: where the change is none of the backbone, that of before goes on, with all that was worked out in it.
     */
    static Forwarding forwarding(Map<String, String> texts, Wiring wiring, String device, String given, String instead) {
        Map<String, Router> before = new HashMap<>();
        configs(texts, "none", "", "").forEach((name, config) -> before.put(name, RouterReader.quern(name, config)));
        Backbone backbone = new Backbone(before, wiring);
        for (String router : before.keySet()) {
            List.of("vpn", "vpn6", "evpn").forEach(family -> backbone.announcing(router, family));
            before.keySet().forEach(other -> backbone.passes(router, other));
        }
        Map<String, Router> routers = new HashMap<>(before);
        configs(texts, device, given, instead).forEach((name, config) -> {
            if (name.equals(device)) {
                routers.put(name, RouterReader.quern(name, config));
            }
        });
        return new Forwarding(routers, wiring, backbone.isOf(routers) ? backbone : new Backbone(routers, wiring));
    }

    /** How they carry frames. */
    static Map<String, Switch> switches(Map<String, String> texts, String device, String given, String instead) {
        Map<String, Switch> switches = new HashMap<>();
        configs(texts, device, given, instead).forEach((name, config) -> switches.put(name, SwitchReader.quern(name, config)));
        return switches;
    }

    /** Wires between ends, two and two, each a device and a port. */
    static Wiring wiring(String... ends) {
        List<Wire> wires = new ArrayList<>();
        for (int i = 0; i < ends.length; i += 2) {
            wires.add(new Wire(end(ends[i]), end(ends[i + 1])));
        }
        return new Wiring(wires);
    }

    private static End end(String text) {
        String[] words = text.split(" ");
        return new End(words[0], words[1]);
    }
}
