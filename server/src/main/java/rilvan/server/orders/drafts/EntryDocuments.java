package rilvan.server.orders.drafts;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import rilvan.core.draft.Meeting;
import rilvan.server.store.DraftRecords.EntryRow;
import rilvan.server.store.Json;
import tools.jackson.core.type.TypeReference;

/** The documents of entries: as an order has them, and as they are compared. */
final class EntryDocuments {

    static final TypeReference<Map<String, Object>> FIELDS = new TypeReference<>() {};
    static final String REMOVE = "REMOVE";
    static final String REFRESH = "REFRESH";
    static final String MOVE = "MOVE";
    static final String ADD = "ADD";
    static final String CHANGE = "CHANGE";

    private EntryDocuments() {}

    /** A value of a document as plain fields. */
    static Map<String, Object> fields(Object value) {
        return Json.ROWS.read(Json.ROWS.write(value), FIELDS);
    }

    static Map<String, Object> wanted(EntryRow entry) {
        return Json.ROWS.read(entry.wantedJson(), FIELDS);
    }

    static Map<String, Object> started(EntryRow entry) {
        return Json.ROWS.read(entry.startedJson(), FIELDS);
    }

    /**
     * What an entry changes of its service, beside what has become of that since.
     *
     * @param present the service as others have it
     */
    static Meeting meeting(EntryRow entry, Map<String, Object> present) {
        return Meeting.of(started(entry), after(entry), present);
    }

    /** What the service is to be; nothing where it is to go. */
    static Map<String, Object> after(EntryRow entry) {
        return Json.ROWS.read(entry.afterJson(), FIELDS);
    }

    /**
     * What the service is to be, of what is wanted; what that does not say stays as it was.
     *
     * @param parameters complete
     */
    static Map<String, Object> after(Map<String, Object> started, Map<String, Object> wanted, Map<String, Object> parameters) {
        Map<String, Object> after = new LinkedHashMap<>(started);
        after.putAll(wanted);
        after.keySet().removeAll(List.of("name", "renamed_from"));
        after.put("parameters", parameters);
        return after;
    }

    /** An order that carries entries out. */
    static Map<String, Object> order(String reason, List<EntryRow> entries, List<Map<String, Object>> decisions) {
        List<Object> services = new ArrayList<>();
        List<Object> remove = new ArrayList<>();
        List<Object> refresh = new ArrayList<>();
        List<Object> move = new ArrayList<>();
        entries.forEach(entry -> {
            switch (entry.kind()) {
                case REMOVE -> remove.add(entry.service());
                case REFRESH -> refresh.add(entry.service());
                case MOVE -> move.add(Map.of("service", entry.service(), "version", wanted(entry).get("version")));
                default -> services.add(wanted(entry));
            }
        });
        Map<String, Object> order = new LinkedHashMap<>();
        order.put("reason", reason);
        order.put("services", services);
        order.put("remove", remove);
        order.put("refresh", refresh);
        order.put("move", move);
        order.put("decisions", decisions);
        return order;
    }
}
