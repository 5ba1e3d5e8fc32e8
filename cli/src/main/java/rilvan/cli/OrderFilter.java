package rilvan.cli;

import java.util.LinkedHashMap;
import java.util.Map;
import picocli.CommandLine.Option;

/** Which orders a list is of. */
final class OrderFilter {

    @Option(names = "--by", paramLabel = "NAME", description = "Who placed it")
    private String by;

    @Option(names = "--service", paramLabel = "SERVICE", description = "That it is about")
    private String service;

    @Option(names = "--tenant", paramLabel = "TENANT", description = "Whom it is for")
    private String tenant;

    @Option(names = "--device", paramLabel = "DEVICE", description = "Which it changes, or was to change")
    private String device;

    @Option(names = "--since", paramLabel = "TIME", description = "Placed not before this time: 2026-12-01T02:00 here, or with an offset")
    private String since;

    @Option(names = "--until", paramLabel = "TIME", description = "Placed before this time")
    private String until;

    /** As parameters of a query; none where all are wanted. */
    Map<String, Object> query() {
        Map<String, Object> query = new LinkedHashMap<>();
        put(query, "by", by);
        put(query, "service", service);
        put(query, "tenant", tenant);
        put(query, "device", device);
        put(query, "since", since == null ? null : TimingOptions.time("--since", since));
        put(query, "until", until == null ? null : TimingOptions.time("--until", until));
        return query;
    }

    private static void put(Map<String, Object> query, String name, String value) {
        if (value != null) {
            query.put(name, value);
        }
    }
}
