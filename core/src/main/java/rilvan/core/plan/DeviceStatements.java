package rilvan.core.plan;

import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.Template;
import rilvan.core.document.Digest;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.Clause;
import rilvan.core.model.Expansion;
import rilvan.core.network.Device;
import rilvan.core.network.Network;

/** What services say on devices, told apart without writing it out. */
final class DeviceStatements {

    private final Map<String, Dialect> dialects;

    DeviceStatements(Map<String, Dialect> dialects) {
        this.dialects = dialects;
    }

    /** For each device a digest of what a service says on it: its clauses, the templates that say them, and what these see of the device. */
    Map<String, String> digests(Expansion expansion, Network network) {
        Map<String, StringBuilder> texts = new TreeMap<>();
        for (Clause clause : expansion.clauses()) {
            Dialect dialect = dialect(network, clause.device());
            Optional<Template> template = Optional.ofNullable(dialect.clauses().get(clause.name()));
            texts.computeIfAbsent(clause.device(), device -> new StringBuilder()).append(dialect.name()).append('\0').append(clause.name())
                    .append('\0').append(clause.says()).append('\0').append(template.map(Template::digest).orElse("")).append('\0');
            if (template.filter(Template::seesDevice).isPresent()) {
                texts.get(clause.device()).append(dialect.about(network.device(clause.device()).orElseThrow(), network)).append('\0');
            }
        }
        Map<String, String> digests = new TreeMap<>();
        texts.forEach((device, text) -> digests.put(device, Digest.of(text.toString()).substring(0, 32)));
        return digests;
    }

    /**
     * The dialect of a device.
     *
     * @throws ValidationFailure where there is no such device, or no dialect for its family
     */
    Dialect dialect(Network network, String device) {
        Device known = network.device(device).orElseThrow(() -> new ValidationFailure("", "there is no device named '" + device + "'"));
        Dialect dialect = dialects.get(known.family());
        if (dialect == null) {
            throw new ValidationFailure("", device + " is of the family '" + known.family() + "', which there is no dialect for");
        }
        return dialect;
    }
}
