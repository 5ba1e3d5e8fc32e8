package rilvan.server.files;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.Function;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.network.TenantDocument;
import rilvan.core.network.Tenants.Tenant;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.inventory.TenantBook;
import rilvan.server.orders.drafts.Comparison;
import rilvan.server.orders.drafts.Comparison.Compared;
import rilvan.server.orders.intake.OrderLimits;
import rilvan.server.store.Json;

/** What files would make of the wanted state if it were as they say. */
@Component
public class StateDifferences {

    private final StoredPlanningSource source;
    private final TenantBook tenants;
    private final Comparison comparison;
    private final Json json;

    StateDifferences(StoredPlanningSource source, TenantBook tenants, Comparison comparison, Json json) {
        this.source = source;
        this.tenants = tenants;
        this.comparison = comparison;
        this.json = json;
    }

    /** What would become of a tenant. */
    public enum TenantChange {
        ADD, CHANGE, REMOVE
    }

    /**
     * What is different.
     *
     * @param services each with what would become of it; none that would stay as it is
     * @param tenants likewise; orders do not change these
     * @param order an order document that makes the services so; empty where none is different
     */
    public record Differences(List<Compared> services, Map<String, TenantChange> tenants, String order) {}

    /**
     * Compares files with what is.
     *
     * @param files texts by path, of those that are otherwise than {@link StateFiles} has them; paths of neither services nor tenants are passed over
     * @param gone paths that are not there
     * @param seen whether a tenant is seen
     * @throws ValidationFailure where a file cannot be read, or is about another service than its name says
     */
    public Differences between(Map<String, String> files, Collection<String> gone, String who, OrderLimits limits, Predicate<String> seen) {
        List<Problem> problems = new ArrayList<>();
        Map<String, Object> services = new LinkedHashMap<>();
        new TreeMap<>(files).forEach((path, text) -> {
            if (StateFiles.isOfService(path)) {
                try {
                    services.put(StateFiles.service(path), service(StateFiles.service(path), text));
                } catch (ValidationFailure e) {
                    e.problems().forEach(problem -> problems.add(new Problem("/files/" + Document.escape(path) + problem.pointer(), problem.message())));
                } catch (Document.Malformed e) {
                    problems.add(new Problem("/files/" + Document.escape(path), e.getMessage()));
                }
            }
        });
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        List<String> remove = gone.stream().filter(StateFiles::isOfService).map(StateFiles::service).sorted().toList();
        List<Compared> compared = services.isEmpty() && remove.isEmpty() ? List.of()
                : comparison.of(json.write(Map.of("services", List.copyOf(services.values()), "remove", remove)), who, limits).stream().filter(each -> !each.changes().isEmpty()).toList();
        return new Differences(compared, Optional.ofNullable(files.get(StateFiles.TENANTS)).map(text -> tenants(text, seen)).orElse(Map.of()), order(compared, services));
    }

    private String order(List<Compared> compared, Map<String, Object> services) {
        if (compared.isEmpty()) {
            return "";
        }
        return json.write(Map.of("services", compared.stream().map(each -> services.get(each.service())).filter(each -> each != null).toList(),
                "remove", compared.stream().map(Compared::service).filter(name -> !services.containsKey(name)).toList()));
    }

    private static Map<String, Object> service(String name, String text) {
        Map<String, Object> root = Document.fields(Document.read(text).value());
        if (!root.keySet().equals(Set.of("services")) || !(root.get("services") instanceof List<?> listed) || listed.size() != 1) {
            throw new ValidationFailure("", "must have one service, under services, and nothing else");
        }
        Map<String, Object> service = Document.fields(listed.get(0));
        if (!name.equals(service.get("name"))) {
            throw new ValidationFailure("/services/0/name", "is '" + service.get("name") + "'; the file is of " + name);
        }
        return service;
    }

    private Map<String, TenantChange> tenants(String text, Predicate<String> seen) {
        Map<String, Tenant> wanted;
        try {
            wanted = TenantDocument.read(Document.read(text), source.network()).stream().collect(Collectors.toMap(Tenant::name, Function.identity()));
        } catch (ValidationFailure e) {
            throw new ValidationFailure(e.problems().stream().map(problem -> new Problem("/files/" + StateFiles.TENANTS + problem.pointer(), problem.message())).toList());
        } catch (Document.Malformed e) {
            throw new ValidationFailure("/files/" + StateFiles.TENANTS, e.getMessage());
        }
        Map<String, TenantChange> changes = new TreeMap<>();
        tenants.all().stream().map(TenantBook.Kept::tenant).filter(tenant -> seen.test(tenant.name())).forEach(tenant -> {
            Tenant now = wanted.remove(tenant.name());
            if (now == null) {
                changes.put(tenant.name(), TenantChange.REMOVE);
            } else if (!now.contact().equals(tenant.contact()) || !now.attachments().equals(tenant.attachments())) {
                changes.put(tenant.name(), TenantChange.CHANGE);
            }
        });
        wanted.keySet().forEach(name -> changes.put(name, TenantChange.ADD));
        return changes;
    }
}
