package rilvan.server.orders.drafts;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import rilvan.core.document.ValidationFailure;
import rilvan.core.draft.Changes;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.drafts.DraftBook.InTheWay;
import rilvan.server.orders.drafts.DraftBook.Unknown;
import rilvan.server.store.Json;
import rilvan.server.store.Services;
import rilvan.server.store.Services.VersionRow;
import tools.jackson.core.type.TypeReference;

/** What services were: each order that made something of a service made a version of it. A way back is an order like any other; here is its document. */
@Component
public class Versions {

    private static final String REMOVE = EntryDocuments.REMOVE;
    private static final int MOST_NAMED = 8;
    private static final TypeReference<Map<String, Object>> FIELDS = new TypeReference<>() {};

    private final Services services;
    private final StoredPlanningSource source;
    private final Json json;

    Versions(Services services, StoredPlanningSource source, Json json) {
        this.services = services;
        this.source = source;
        this.json = json;
    }

    /** What is to be done about services that later orders have changed as well. */
    public enum Later {
        /** Nothing is undone: which orders are in the way is told. */
        REFUSE,
        /** What later orders did to them is undone, too. */
        UNDO,
        /** They are left as they are. */
        SKIP;

        /** @throws ValidationFailure where the word is none */
        public static Later of(Optional<String> word) {
            return switch (word.orElse("")) {
                case "" -> REFUSE;
                case "undo" -> UNDO;
                case "skip" -> SKIP;
                default -> throw new ValidationFailure("/later", "must be undo or skip: what later orders did to the same services is undone as well, or these are left as they are");
            };
        }
    }

    /**
     * What changed from one version of a service to another, or to what it is now.
     *
     * @throws Unknown where an order has made nothing of it
     */
    public Changes between(String service, long from, Optional<Long> to) {
        return Changes.between(complete(version(service, from)), to.map(order -> complete(version(service, order)))
                .orElseGet(() -> source.service(service).map(stands -> EntryDocuments.fields(stands.asOrdered())).orElse(Map.of())));
    }

    private VersionRow version(String service, long order) {
        return services.version(service, order).orElseThrow(() -> new Unknown("order " + order + " has made nothing of a service named '" + service + "'"));
    }

    /** What a service was, as an order would write it; nothing of one that had gone. */
    private Map<String, Object> complete(VersionRow row) {
        return row.kind().equals(REMOVE) ? Map.of() : document(row);
    }

    private Map<String, Object> document(VersionRow row) {
        if (row.model() == null) {
            throw new InTheWay("what " + row.service() + " was after order " + row.orderId() + " is known but for its model's version: the order has ended long ago");
        }
        Map<String, Object> document = new LinkedHashMap<>();
        document.put("tenant", row.tenant());
        document.put("model", row.model());
        document.put("version", (long) row.modelVersion());
        document.put("parameters", json.read(row.parametersJson(), FIELDS));
        return document;
    }

    /**
     * An order document that makes of a service again what an order had made of it.
     *
     * @throws Unknown where that order has made nothing of it
     */
    public String returning(String service, long order) {
        VersionRow row = version(service, order);
        if (row.componentOf() != null) {
            throw new InTheWay(service + " is a part of " + row.componentOf() + "; return that");
        }
        return json.write(row.kind().equals(REMOVE) ? Map.of("remove", List.of(service)) : Map.of("services", List.of(named(service, document(row)))));
    }

    private static Map<String, Object> named(String service, Map<String, Object> document) {
        Map<String, Object> named = new LinkedHashMap<>();
        named.put("name", service);
        named.putAll(document);
        return named;
    }

    /**
     * An order document that makes of each service of an order again what it was before it.
     *
     * @throws Unknown where the order has changed no service
     * @throws InTheWay where later orders have changed the same services, and nothing is said about that
     */
    public String undoing(long order, Later later) {
        return undoing(Set.of(order), "undo order " + order, later);
    }

    /**
     * The same of several orders at once, what none else has changed since.
     *
     * @throws InTheWay where others have
     */
    public String undoing(Set<Long> orders, String reason) {
        return undoing(orders, reason, Later.REFUSE);
    }

    private String undoing(Set<Long> orders, String reason, Later later) {
        Map<String, Long> first = new TreeMap<>();
        orders.forEach(order -> services.versionsOf(order).stream().filter(row -> row.componentOf() == null).forEach(row -> first.merge(row.service(), order, Math::min)));
        if (first.isEmpty()) {
            throw new Unknown(named(orders) + (orders.size() == 1 ? " has changed no service" : " have changed no service"));
        }
        Map<String, List<Long>> since = new LinkedHashMap<>();
        first.forEach((service, order) -> {
            List<Long> others = services.ordersSince(service, order).stream().filter(each -> !orders.contains(each)).toList();
            if (!others.isEmpty()) {
                since.put(service, others);
            }
        });
        if (later == Later.REFUSE && !since.isEmpty()) {
            throw new InTheWay("later orders have changed the same services: " + since.entrySet().stream().limit(MOST_NAMED)
                    .map(each -> each.getKey() + " (" + each.getValue().stream().map(number -> "order " + number).collect(Collectors.joining(", ")) + ")").collect(Collectors.joining(", "))
                    + (since.size() > MOST_NAMED ? " and " + (since.size() - MOST_NAMED) + " others" : "") + "; undo what these did as well (later: undo), or leave these services as they are (later: skip)");
        }
        Set<String> skipped = later == Later.SKIP ? since.keySet() : Set.of();
        List<Object> remove = new ArrayList<>();
        List<Object> change = new ArrayList<>();
        first.forEach((service, order) -> {
            if (skipped.contains(service)) {
                return;
            }
            Optional<VersionRow> before = services.versionBefore(service, order).filter(version -> !version.kind().equals(REMOVE));
            if (before.isPresent()) {
                change.add(named(service, document(before.get())));
            } else if (source.service(service).isPresent()) {
                remove.add(service);
            }
        });
        if (remove.isEmpty() && change.isEmpty()) {
            throw new InTheWay("nothing of " + named(orders) + " is left to undo" + (skipped.isEmpty() ? "" : ": later orders have changed all of its services"));
        }
        return json.write(Map.of("reason", reason, "services", change, "remove", remove));
    }

    private static String named(Set<Long> orders) {
        return (orders.size() == 1 ? "order " : "orders ") + orders.stream().sorted().map(String::valueOf).collect(Collectors.joining(", "));
    }
}
