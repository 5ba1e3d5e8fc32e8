package rilvan.lab.device;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.constructor.SafeConstructor;

/**
 * What devices of a family can do, read from {@code lab.yaml} in the family's folder.
 *
 * @param commandLine whether it is reached by a command line; otherwise by NETCONF
 * @param candidate whether it has a candidate with confirmed commits (RFC 6241 §8.3, §8.4); otherwise running is changed at once
 * @param startup whether what outlasts a restart is saved apart (§8.7)
 * @param chunked whether it knows chunked framing (RFC 6242 §4.2)
 * @param hidesDefaults whether a value that is the default is left out when it is read (RFC 6243 §2.2)
 * @param notifies whether it tells who asks of every change of what it runs (RFC 5277, RFC 6470)
 */
public record Profile(boolean commandLine, boolean candidate, boolean startup, boolean chunked, boolean hidesDefaults, boolean notifies) {

    /** Reads a family's profile. */
    public static Profile read(Path folder) throws IOException {
        Map<String, Object> said = new Yaml(new SafeConstructor(new LoaderOptions())).load(Files.readString(folder.resolve("lab.yaml")));
        boolean commandLine = "command-line".equals(said.get("protocol"));
        List<?> has = (List<?>) said.getOrDefault("has", List.of());
        return new Profile(commandLine, has.contains("candidate"), commandLine || has.contains("startup"), has.contains("chunked-framing"),
                has.contains("hidden-defaults"), has.contains("notifications"));
    }

    /** The capabilities that a NETCONF device of the family advertises besides its modules (RFC 6241 §8). */
    public List<String> capabilities() {
        List<String> capabilities = new ArrayList<>(List.of("base:1.0", "capability:rollback-on-error:1.0"));
        if (chunked) {
            capabilities.add("base:1.1");
        }
        capabilities.addAll(candidate ? List.of("capability:candidate:1.0", "capability:confirmed-commit:1.1", "capability:validate:1.1")
                : List.of("capability:writable-running:1.0"));
        if (startup) {
            capabilities.add("capability:startup:1.0");
        }
        if (notifies) {
            capabilities.addAll(List.of("capability:notification:1.0", "capability:interleave:1.0"));
        }
        capabilities.add("capability:with-defaults:1.0?basic-mode=" + (hidesDefaults ? "trim" : "explicit"));
        return capabilities;
    }
}
