package rilvan.core.plan;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.ledger.LedgerMerge.Decision;
import rilvan.core.model.ServiceDocument;
import rilvan.core.tree.Path;

/**
 * What an engineer asks for: services as they should be, and services to remove.
 *
 * @param reason why, for whoever reads the history
 * @param decisions what to do about conflicts, by device and path
 * @param byService whether each service is done or rolled back by itself; otherwise all are together
 */
public record OrderDocument(String reason, List<ServiceDocument> services, List<String> remove,
        Map<String, Map<Path, Decision>> decisions, boolean byService) {

    /** What is left of it when only some of its services are. */
    public OrderDocument only(Set<String> names) {
        return new OrderDocument(reason, services.stream().filter(service -> names.contains(service.name())).toList(),
                remove.stream().filter(names::contains).toList(), decisions, byService);
    }

    /**
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public static OrderDocument read(Document document) {
        DocumentReader reader = new DocumentReader(document);
        reader.renamed("stands", "atomic: order instead of stands: whole, or atomic: service instead of stands: each");
        Fields root = reader.root("reason", "services", "remove", "decisions", "atomic");
        String reason = root.text("reason", "-");
        List<ServiceDocument> services = new ArrayList<>();
        Set<String> names = new HashSet<>();
        for (Fields each : root.each("services", "name", "tenant", "model", "parameters")) {
            String name = each.text("name");
            if (!name.isEmpty() && !name.matches("[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?")) {
                reader.refuse(each.pointer() + "/name", "'" + name + "' is not a name; use small letters, digits and hyphens");
            }
            if (!names.add(name)) {
                reader.refuse(each.pointer() + "/name", name + " is named twice in this order");
            }
            services.add(new ServiceDocument(name, each.text("tenant"), each.text("model"), each.open("parameters")));
        }
        List<String> remove = root.texts("remove");
        for (int i = 0; i < remove.size(); i++) {
            if (!names.add(remove.get(i))) {
                reader.refuse("/remove/" + i, remove.get(i) + " is named twice in this order");
            }
        }
        if (names.isEmpty()) {
            reader.refuse("", "an order names services to add or change under services, or to remove under remove");
        }
        Map<String, Map<Path, Decision>> decisions = new LinkedHashMap<>();
        for (Fields each : root.each("decisions", "device", "path", "decision")) {
            String decision = each.oneOf("decision", "replace", "leave", "join");
            try {
                decisions.computeIfAbsent(each.text("device"), device -> new LinkedHashMap<>()).put(Path.parse(each.text("path")),
                        decision.isEmpty() ? Decision.LEAVE : Decision.valueOf(decision.toUpperCase(Locale.ROOT)));
            } catch (IllegalArgumentException e) {
                reader.refuse(each.pointer() + "/path", e.getMessage());
            }
        }
        boolean byService = root.value("atomic").isPresent() && root.oneOf("atomic", "order", "service").equals("service");
        reader.finish();
        return new OrderDocument(reason, services, remove, decisions, byService);
    }
}
