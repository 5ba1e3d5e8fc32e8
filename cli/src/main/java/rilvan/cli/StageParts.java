package rilvan.cli;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import picocli.CommandLine.Option;

/** Which stages an order has. */
final class StageParts {

    @Option(names = "--first", paramLabel = "PLACE,…", description = {"First at these sites and devices, then, when that is done and proven, elsewhere;", "repeated for further stages"})
    private List<String> first = List.of();

    @Option(names = "--new-before-old", description = "What goes, such as a site or a service, stays until what comes is done and proven")
    private boolean newBeforeOld;

    /** The fields that say so; none where it is all at once. */
    Map<String, Object> said() {
        Map<String, Object> said = new LinkedHashMap<>();
        if (!first.isEmpty()) {
            said.put("first", first);
        }
        if (newBeforeOld) {
            said.put("newBeforeOld", true);
        }
        return said;
    }

    /** The same as parameters of a query. */
    Map<String, Object> query() {
        Map<String, Object> query = said();
        query.computeIfPresent("first", (name, stages) -> String.join(";", first));
        return query;
    }
}
