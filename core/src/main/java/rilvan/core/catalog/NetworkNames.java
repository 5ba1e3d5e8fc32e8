package rilvan.core.catalog;

import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.KnownNames;
import rilvan.core.document.ValidationFailure;
import rilvan.core.network.Device;
import rilvan.core.network.Network;

/** What a model names that is not its own: pools and roles of the network, and other models. */
final class NetworkNames {

    private final DocumentReader reader;
    private final Map<String, Collection<String>> known;

    private NetworkNames(DocumentReader reader, Network network, Set<String> models) {
        this.reader = reader;
        this.known = Map.of("device", network.devices().values().stream().map(Device::role).collect(Collectors.toCollection(TreeSet::new)),
                "port", network.devices().values().stream().flatMap(device -> device.ports().stream()).map(Device.Port::role).collect(Collectors.toCollection(TreeSet::new)),
                "service", new TreeSet<>(models));
    }

    /**
     * Makes sure that all of them are there. Before a network is loaded only models are looked for.
     *
     * @param models the names of all models, this one among them
     * @throws ValidationFailure naming every field at fault
     */
    static void check(Document model, Network network, Set<String> models) {
        NetworkNames names = new NetworkNames(new DocumentReader(model), network, models);
        Map<?, ?> fields = (Map<?, ?>) model.value();
        names.roles(fields.get("parameters"), "/parameters");
        if (fields.get("allocate") instanceof Map<?, ?> takes) {
            takes.forEach((name, take) -> names.look("/allocate/" + name + "/pool", "the network has no pool '", String.valueOf(((Map<?, ?>) take).get("pool")), network.pools().keySet()));
        }
        names.reader.finish();
    }

    private void roles(Object schema, String pointer) {
        if (!(schema instanceof Map<?, ?> fields)) {
            return;
        }
        if (fields.get("refers") instanceof String kind && fields.get("of") instanceof List<?> listed && known.containsKey(kind)) {
            for (int i = 0; i < listed.size(); i++) {
                look(pointer + "/of/" + i, kind.equals("service") ? "there is no model '" : "the network has no " + kind + " of the role '", String.valueOf(listed.get(i)), known.get(kind));
            }
        }
        Stream.of("properties", "$defs").filter(each -> fields.get(each) instanceof Map<?, ?>).forEach(each ->
                ((Map<?, ?>) fields.get(each)).forEach((name, below) -> roles(below, pointer + "/" + each + "/" + name)));
        roles(fields.get("items"), pointer + "/items");
    }

    private void look(String pointer, String missing, String name, Collection<String> names) {
        if (!names.isEmpty() && !names.contains(name)) {
            reader.refuse(pointer, missing + name + "'; " + KnownNames.instead(name, names));
        }
    }
}
