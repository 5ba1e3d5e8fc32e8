package rilvan.core.model;

import dev.cel.common.types.CelType;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Set;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.ValidationFailure;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.network.Setting;

/** The settings that a model or a dialect reads, each with a schema and a default: on a device the nearest value that is set, where it is of the schema's type. */
public final class DeclaredSettings {

    private static final String POINTER = "/settings";

    private final Parameters parameters;

    private DeclaredSettings(Parameters parameters) {
        this.parameters = parameters;
    }

    /**
     * Reads the declarations that stand at {@code /settings} of a document; what is wrong is noted.
     *
     * @throws ValidationFailure where they cannot be read at all
     */
    public static DeclaredSettings read(Map<String, Object> declared, DocumentReader reader) {
        try {
            DeclaredSettings settings = new DeclaredSettings(Parameters.of(Map.of("type", "object", "properties", declared), POINTER));
            settings.names().stream().filter(name -> !name.matches("[a-z][a-z0-9_]*")).forEach(name ->
                    reader.refuse(POINTER + "/" + name, "is not a name of a setting; use small letters, digits and underscores"));
            return settings;
        } catch (ValidationFailure e) {
            e.problems().forEach(problem -> reader.refuse(problem.pointer().replaceFirst("^" + POINTER + "/properties", POINTER), problem.message()));
            reader.finish();
            throw e;
        }
    }

    public Set<String> names() {
        return parameters.names();
    }

    /** The JSON Schema of a group of them. */
    public Map<String, Object> schema() {
        return parameters.schema();
    }

    Map<String, CelType> types() {
        return parameters.types();
    }

    /** What they are on a device; where none is set, the default. */
    public Map<String, Object> on(Device device, Network network) {
        Map<String, Object> set = new LinkedHashMap<>();
        names().forEach(name -> network.setting(device, name).map(Setting::value).filter(value -> parameters.takes(name, value)).ifPresent(value -> set.put(name, value)));
        return parameters.completed(set);
    }

    /** What they are where nothing is set. */
    public Map<String, Object> defaults() {
        return parameters.completed(Map.of());
    }
}
