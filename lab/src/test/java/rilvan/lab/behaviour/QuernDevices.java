package rilvan.lab.behaviour;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
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
        return new EditConfig(MODULES).apply(Item.EMPTY, Xml.parse("<config>" + text + "</config>"), "merge");
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
