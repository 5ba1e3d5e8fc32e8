package rilvan.core.plan;

import java.time.OffsetDateTime;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.UnaryOperator;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.IntStream;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.PlainText;
import rilvan.core.ledger.LedgerMerge.Decision;
import rilvan.core.model.ServiceDocument;
import rilvan.core.network.Network.End;
import rilvan.core.tree.Path;

/**
 * What an engineer asks for: services as they should be, and services to remove.
 *
 * @param reason why, for whoever reads the history
 * @param refresh services that are expanded again with the parameters they have, and behind them those that move to another version of their model
 * @param suspensions what of services is suspended, and what no longer
 * @param returns devices that become again what they held at another time
 * @param moves of those, the version of its model that a service moves to, by name; others stay on theirs
 * @param renamed the present name of a service, by its name in this order
 * @param customersToFollow by service that says so, the ports where the customer's router is still to be changed; for others it stays as it was
 * @param decisions what to do about conflicts, by device and path
 * @param byService whether each service is done or rolled back by itself; otherwise all are together
 */
public record OrderDocument(String reason, List<ServiceDocument> services, List<String> remove, List<String> refresh, List<Suspending> suspensions, List<Returning> returns,
        Map<String, Integer> moves, Map<String, String> renamed, Map<String, List<End>> customersToFollow, Map<String, Map<Path, Decision>> decisions, boolean byService) {

    /** Services that one order may name. */
    public static final int MOST_SERVICES = 5_000;

    private static final int LONGEST_REASON = 1_000;
    private static final int MOST_VERSIONS = 1_000_000;
    private static final Pattern FIELD = Pattern.compile("/(services|remove|refresh|move|suspend|resume)/(\\d+)(/.*)?");

    /**
     * Of a service that stands, or a part of it, that it is suspended or no longer.
     *
     * @param place empty for the whole service, or the list and the name of an item, such as {@code sites/haven}
     * @param pointer where the order says so
     */
    public record Suspending(String service, String place, boolean suspended, String pointer) {}

    /**
     * A device that becomes again what it was known to hold at a time.
     *
     * @param services whether that is also so of what services have put there; otherwise it stays as it is
     * @param pointer where the order says so
     */
    public record Returning(String device, OffsetDateTime at, boolean services, String pointer) {}

    /** An order that expands services again with the parameters they have. */
    public static OrderDocument toRefresh(List<String> services) {
        return new OrderDocument("-", List.of(), List.of(), List.copyOf(services), List.of(), List.of(), Map.of(), Map.of(), Map.of(), Map.of(), false);
    }

    /** The same with other names for services that stand. */
    public OrderDocument withStanding(UnaryOperator<String> name) {
        Map<String, Integer> movesNow = new LinkedHashMap<>();
        moves.forEach((service, version) -> movesNow.put(name.apply(service), version));
        Map<String, String> renamedNow = new LinkedHashMap<>();
        renamed.forEach((service, former) -> renamedNow.put(service, name.apply(former)));
        return new OrderDocument(reason, services, remove.stream().map(name).toList(), refresh.stream().map(name).toList(),
                suspensions.stream().map(each -> new Suspending(name.apply(each.service()), each.place(), each.suspended(), each.pointer())).toList(), returns, movesNow, renamedNow, customersToFollow, decisions, byService);
    }

    /** The name under which a service of this order stands before it. */
    public String present(String name) {
        return renamed.getOrDefault(name, name);
    }

    /** Whether the order changes, removes, refreshes or renames a service that stands. */
    public boolean names(String standing) {
        return services.stream().anyMatch(service -> present(service.name()).equals(standing)) || remove.contains(standing) || refresh.contains(standing) || suspends(standing);
    }

    /** Whether the order suspends a service or a part of it, or takes that back. */
    public boolean suspends(String standing) {
        return suspensions.stream().anyMatch(each -> each.service().equals(standing));
    }

    /** The services that it suspends, or a part of them, or takes that back, each once. */
    public List<String> suspended() {
        return suspensions.stream().map(Suspending::service).distinct().toList();
    }

    /** The service that a field of this document belongs to. */
    public Optional<String> serviceAt(String pointer) {
        Matcher field = FIELD.matcher(pointer);
        if (!field.matches()) {
            return Optional.empty();
        }
        int index = Integer.parseInt(field.group(2));
        return Optional.of(switch (field.group(1)) {
            case "services" -> services.get(index).name();
            case "remove" -> remove.get(index);
            case "refresh" -> refresh.get(index);
            case "suspend", "resume" -> suspensions.stream().filter(each -> each.pointer().equals("/" + field.group(1) + "/" + field.group(2))).findFirst().orElseThrow().service();
            default -> refresh.stream().filter(moves::containsKey).skip(index).findFirst().orElseThrow();
        });
    }

    /** What is left of it when only some of its services are. */
    public OrderDocument only(Set<String> names) {
        return new OrderDocument(reason, services.stream().filter(service -> names.contains(service.name())).toList(),
                remove.stream().filter(names::contains).toList(), refresh.stream().filter(names::contains).toList(),
                suspensions.stream().filter(each -> names.contains(each.service())).toList(), returns, moves, renamed, customersToFollow, decisions, byService);
    }

    /**
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public static OrderDocument read(Document document) {
        DocumentReader reader = new DocumentReader(document);
        reader.renamed("stands", "atomic: order instead of stands: whole, or atomic: service instead of stands: each");
        Fields root = reader.root("reason", "services", "remove", "refresh", "move", "suspend", "resume", "returns", "decisions", "atomic");
        String reason = root.text("reason", "-");
        PlainText.faultOfText(reason).ifPresent(fault -> reader.refuse("/reason", fault));
        if (reason.length() > LONGEST_REASON) {
            reader.refuse("/reason", "has " + reason.length() + " characters; a reason has at most " + LONGEST_REASON);
        }
        List<ServiceDocument> services = new ArrayList<>();
        Set<String> names = new HashSet<>();
        Map<String, String> renamed = new LinkedHashMap<>();
        Map<String, Integer> moves = new LinkedHashMap<>();
        Map<String, List<End>> customersToFollow = new LinkedHashMap<>();
        for (Fields each : root.each("services", "name", "renamed_from", "tenant", "model", "version", "parameters", "customers_to_follow")) {
            String name = each.text("name");
            if (!name.isEmpty() && !PlainText.isName(name)) {
                reader.refuse(each.pointer() + "/name", "'" + name + "' is not a name; use small letters, digits and hyphens");
            }
            if (!names.add(name)) {
                reader.refuse(each.pointer() + "/name", name + " is named twice in this order");
            }
            String former = each.text("renamed_from", "");
            if (!former.isEmpty() && !former.equals(name)) {
                renamed.put(name, former);
                if (!names.add(former)) {
                    reader.refuse(each.pointer() + "/renamed_from", former + " is named twice in this order");
                }
            }
            String tenant = each.text("tenant");
            PlainText.faultOfLine(tenant).ifPresent(fault -> reader.refuse(each.pointer() + "/tenant", fault));
            List<End> customers = each.each("customers_to_follow", "device", "port").stream().map(end -> new End(end.text("device"), end.text("port"))).toList();
            if (each.value("customers_to_follow").isPresent()) {
                customersToFollow.put(name, customers);
            }
            Optional<Integer> version = each.value("version").isEmpty() ? Optional.empty() : Optional.of(each.whole("version", 1, MOST_VERSIONS));
            services.add(new ServiceDocument(name, tenant, each.text("model"), version, each.open("parameters"), Set.copyOf(customers), false, Optional.empty()));
        }
        List<String> remove = once(root, "remove", names, reader);
        List<String> refresh = new ArrayList<>(once(root, "refresh", names, reader));
        for (Fields each : root.each("move", "service", "version")) {
            String name = each.text("service");
            if (!names.add(name)) {
                reader.refuse(each.pointer() + "/service", name + " is named twice in this order");
            }
            moves.put(name, each.whole("version", 1, MOST_VERSIONS));
            refresh.add(name);
        }
        List<Suspending> suspensions = new ArrayList<>(suspensions(root, "suspend", true));
        suspensions.addAll(suspensions(root, "resume", false));
        Set<String> said = new HashSet<>();
        suspensions.forEach(each -> {
            if (names.contains(each.service())) {
                reader.refuse(each.pointer(), each.service() + " is named twice in this order");
            } else if (!said.add(each.service() + "/" + each.place())) {
                reader.refuse(each.pointer(), "is said twice in this order");
            }
        });
        suspensions.forEach(each -> names.add(each.service()));
        long count = services.size() + remove.size() + refresh.size() + suspensions.stream().map(Suspending::service).distinct().count();
        if (count > MOST_SERVICES) {
            reader.refuse("", "an order has at most " + MOST_SERVICES + " services; this one has " + count + ". Split it");
        }
        List<Returning> returns = returns(root, reader);
        if (names.isEmpty() && returns.isEmpty()) {
            reader.refuse("", "an order names services to add or change under services, to remove under remove, to expand again under refresh, to move to another version of their model under move, to suspend and resume under suspend and resume, or devices under returns");
        }
        Map<String, Map<Path, Decision>> decisions = new LinkedHashMap<>();
        for (Fields each : root.each("decisions", "device", "path", "decision")) {
            String decision = each.oneOf("decision", "replace", "restore", "leave", "join");
            try {
                decisions.computeIfAbsent(each.text("device"), device -> new LinkedHashMap<>()).put(Path.parse(each.text("path")),
                        decision.isEmpty() ? Decision.LEAVE : Decision.valueOf(decision.toUpperCase(Locale.ROOT)));
            } catch (IllegalArgumentException e) {
                reader.refuse(each.pointer() + "/path", e.getMessage());
            }
        }
        boolean byService = root.value("atomic").isPresent() && root.oneOf("atomic", "order", "service").equals("service");
        if (byService && !returns.isEmpty()) {
            reader.refuse("/atomic", "an order by which devices return to what they held is one, and not one for each service");
        }
        reader.finish();
        return new OrderDocument(reason, services, remove, refresh, suspensions, returns, moves, renamed, customersToFollow, decisions, byService);
    }

    private static List<Returning> returns(Fields root, DocumentReader reader) {
        List<Returning> returns = new ArrayList<>();
        Set<String> devices = new HashSet<>();
        for (Fields each : root.each("returns", "device", "at", "services")) {
            String device = each.text("device");
            if (!devices.add(device)) {
                reader.refuse(each.pointer() + "/device", device + " is named twice in this order");
            }
            try {
                returns.add(new Returning(device, OffsetDateTime.parse(each.text("at")), each.truth("services", false), each.pointer()));
            } catch (DateTimeParseException e) {
                reader.refuse(each.pointer() + "/at", "is no time; expected one such as 2026-12-01T02:00:00Z");
            }
        }
        return returns;
    }

    private static List<Suspending> suspensions(Fields root, String field, boolean suspended) {
        List<String> listed = root.texts(field);
        return IntStream.range(0, listed.size()).mapToObj(i -> {
            String[] parts = listed.get(i).split("/", 2);
            return new Suspending(parts[0], parts.length == 1 ? "" : parts[1], suspended, "/" + field + "/" + i);
        }).toList();
    }

    private static List<String> once(Fields root, String field, Set<String> names, DocumentReader reader) {
        List<String> listed = root.texts(field);
        for (int i = 0; i < listed.size(); i++) {
            if (!names.add(listed.get(i))) {
                reader.refuse("/" + field + "/" + i, listed.get(i) + " is named twice in this order");
            }
        }
        return listed;
    }
}
