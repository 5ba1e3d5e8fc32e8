package rilvan.cli;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import picocli.CommandLine.Option;

/** Which part of a draft is meant: the entries that fit all options that are given; without any, all. */
final class DraftPart {

    @Option(names = "--service", paramLabel = "SERVICE", description = "Only of this service; repeated for several")
    private List<String> services = List.of();

    @Option(names = "--by", paramLabel = "NAME", description = "Only entries of this person; repeated for several")
    private List<String> people = List.of();

    @Option(names = "--tenant", paramLabel = "TENANT", description = "Only services for this tenant; repeated for several")
    private List<String> tenants = List.of();

    @Option(names = "--model", paramLabel = "MODEL", description = "Only services of this model; repeated for several")
    private List<String> models = List.of();

    @Option(names = "--kind", paramLabel = "KIND", description = "Only what is add, change, remove, refresh or move; repeated for several")
    private List<String> kinds = List.of();

    Map<String, Object> said() {
        Map<String, Object> said = new LinkedHashMap<>();
        said.put("services", services);
        said.put("people", people);
        said.put("tenants", tenants);
        said.put("models", models);
        said.put("kinds", kinds.stream().map(kind -> kind.toUpperCase(Locale.ROOT)).toList());
        return said;
    }
}
