package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.io.IOException;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

@Command(name = "report", mixinStandardHelpOptions = true, description = {"Reports what orders have changed, the earliest first: a row for each service that became another one, and one for an order that changed devices alone.",
    "An order that was rolled back has changed nothing, and is not there."},
        footer = {"", "Examples:", "  rilvan report --since 2026-12-01T00:00", "  rilvan report --tenant 'Tidewater Clinics' --csv", "  rilvan report --device haven-pe1 --by anna"})
final class ReportCommand implements Callable<Integer> {

    private static final int PAGE = 500;

    @Mixin
    private OrderFilter filter;

    @Mixin
    private ListOutput output;

    @Override
    public Integer call() throws IOException {
        Map<String, Object> wanted = filter.query();
        wanted.putAll(Map.of("state", "DONE", "after", 0, "limit", PAGE));
        JsonArray rows = new JsonArray();
        for (Object each : Server.signedIn().list("/api/v1/orders" + Texts.query(wanted))) {
            JsonObject order = (JsonObject) each;
            List<JsonObject> changed = order.getArray("services").stream().map(JsonObject.class::cast).filter(service -> !service.getString("kind").equals("KEEP")).toList();
            if (changed.isEmpty()) {
                rows.add(row(order, "devices", ""));
            }
            changed.forEach(service -> rows.add(row(order, service.getString("kind").toLowerCase(Locale.ROOT), service.getString("service"))));
        }
        output.list(rows, "no order has changed anything that fits", List.of("WHEN", "ORDER", "BY", "WHAT", "SERVICE", "REASON"), row -> List.of(Texts.time(row.getString("at")), Long.toString(row.getLong("order")),
                row.getString("by"), row.getString("what"), row.getString("service"), row.getString("reason")));
        return 0;
    }

    private static JsonObject row(JsonObject order, String what, String service) {
        return new JsonObject(Map.of("at", order.getString("endedAt"), "order", order.getLong("id"), "by", order.getString("who"), "what", what, "service", service, "reason", order.getString("reason")));
    }
}
