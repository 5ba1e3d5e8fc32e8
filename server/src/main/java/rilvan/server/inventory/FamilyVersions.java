package rilvan.server.inventory;

import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import rilvan.core.dialect.Dialect;
import rilvan.server.library.Library;
import rilvan.server.ops.StartRefused;
import rilvan.server.store.Inventory;

/**
 * The version of each family's configuration form that the store was written with. What is stored of devices cannot be read with a
 * dialect of another version: then the service does not start, and says so.
 */
@Component
public class FamilyVersions {

    public FamilyVersions(Inventory inventory, Library library) {
        Collection<Dialect> dialects = library.catalog().dialects().values();
        Map<String, Integer> stored = inventory.familyVersions().stream()
                .collect(Collectors.toMap(Inventory.FamilyRow::name, Inventory.FamilyRow::version));
        Map<String, String> differing = differing(stored, dialects);
        if (!differing.isEmpty()) {
            throw new StartRefused("The store holds configurations of " + String.join(", ", differing.values()) + ".",
                    "Use the models that the store was written with, or start with an empty store (./demo --reset for the demo).");
        }
        dialects.forEach(dialect -> inventory.putFamilyVersion(dialect.name(), dialect.version()));
    }

    private static Map<String, String> differing(Map<String, Integer> stored, Collection<Dialect> dialects) {
        Map<String, String> differing = new LinkedHashMap<>();
        dialects.forEach(dialect -> {
            int before = stored.getOrDefault(dialect.name(), dialect.version());
            if (before != dialect.version()) {
                differing.put(dialect.name(), "the family " + dialect.name() + " in version " + before + ", but its dialect has version " + dialect.version());
            }
        });
        return differing;
    }
}
