package rilvan.core.plan;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.DocumentReader;
import rilvan.core.ledger.LedgerMerge.Decision;
import rilvan.core.model.ServiceDocument;
import rilvan.core.tree.Path;

/**
 * What an engineer asks for: services as they should be, and services to remove.
 *
 * @param reason why, for whoever reads the history
 * @param decisions what to do about conflicts, by device and path
 * @param each whether each service stands or falls by itself; otherwise all do together
 */
public record OrderDocument(String reason, List<ServiceDocument> services, List<String> remove,
        Map<String, Map<Path, Decision>> decisions, boolean each) {

    /** What is left of it when only some of its services are. */
    public OrderDocument only(Set<String> names) {
        return new OrderDocument(reason, services.stream().filter(service -> names.contains(service.name())).toList(),
                remove.stream().filter(names::contains).toList(), decisions, each);
    }

    /**
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public static OrderDocument read(Document document) {
        DocumentReader shape = new DocumentReader(document);
        Fields root = shape.root("reason", "services", "remove", "decisions", "stands");
        String reason = root.text("reason", "-");
        List<ServiceDocument> services = new ArrayList<>();
        Set<String> names = new HashSet<>();
        for (Fields each : root.each("services", "name", "tenant", "model", "parameters")) {
            String name = each.text("name");
            if (!name.isEmpty() && !name.matches("[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?")) {
                shape.refuse(each.pointer() + "/name", "'" + name + "' is no name; use small letters, digits and hyphens");
            }
            if (!names.add(name)) {
                shape.refuse(each.pointer() + "/name", name + " stands in this order twice");
            }
            services.add(new ServiceDocument(name, each.text("tenant"), each.text("model"), each.open("parameters")));
        }
        List<String> remove = root.texts("remove");
        for (int i = 0; i < remove.size(); i++) {
            if (!names.add(remove.get(i))) {
                shape.refuse("/remove/" + i, remove.get(i) + " stands in this order twice");
            }
        }
        if (names.isEmpty()) {
            shape.refuse("", "an order names services to add or change under services, or to take away under remove");
        }
        Map<String, Map<Path, Decision>> decisions = new LinkedHashMap<>();
        for (Fields each : root.each("decisions", "device", "path", "decision")) {
            String decision = each.oneOf("decision", "replace", "leave", "join");
            try {
                decisions.computeIfAbsent(each.text("device"), device -> new LinkedHashMap<>()).put(Path.parse(each.text("path")),
                        decision.isEmpty() ? Decision.LEAVE : Decision.valueOf(decision.toUpperCase(Locale.ROOT)));
            } catch (IllegalArgumentException e) {
                shape.refuse(each.pointer() + "/path", e.getMessage());
            }
        }
        boolean stands = root.value("stands").isPresent() && root.oneOf("stands", "whole", "each").equals("each");
        shape.finish();
        return new OrderDocument(reason, services, remove, decisions, stands);
    }
}
