package rilvan.server.files;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import java.util.function.Predicate;
import org.springframework.stereotype.Component;
import rilvan.core.catalog.Release.Kind;
import rilvan.core.document.Document;
import rilvan.core.document.Secret;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.network.Tenants.Tenant;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.inventory.TenantBook;
import rilvan.server.store.Json;
import rilvan.server.store.Releases;
import tools.jackson.core.type.TypeReference;

/**
 * The wanted state as files, by their paths: {@code tenants.yaml}; {@code services/NAME.yaml}, each an order document of one service; and below {@code models} what is in force, as it was
 * published. The same state gives the same texts, always. Secrets are out of sight; components are not there, since they come with what contains them.
 */
@Component
public class StateFiles {

    static final String TENANTS = "tenants.yaml";
    static final String SERVICES = "services/";
    static final String MODELS = "models/";

    private static final String YAML = ".yaml";
    private static final TypeReference<Map<String, String>> FILES = new TypeReference<>() {};

    private final StoredPlanningSource source;
    private final TenantBook tenants;
    private final Releases releases;
    private final Json json;

    StateFiles(StoredPlanningSource source, TenantBook tenants, Releases releases, Json json) {
        this.source = source;
        this.tenants = tenants;
        this.releases = releases;
        this.json = json;
    }

    /**
     * All files that somebody sees.
     *
     * @param tenant whether a tenant is seen
     * @param service whether a service is seen
     * @param to takes each path with its text; services by name
     */
    public void each(Predicate<String> tenant, Predicate<Service> service, BiConsumer<String, String> to) {
        to.accept(TENANTS, tenants(tenant));
        models().forEach(to);
        services(service, to);
    }

    void services(Predicate<Service> seen, BiConsumer<String, String> to) {
        for (List<Service> page = source.servicesBehind(""); !page.isEmpty(); page = source.servicesBehind(page.get(page.size() - 1).name())) {
            page.stream().filter(seen).forEach(service -> to.accept(path(service.name()), text(service.name(), service.tenant(), service.model(), service.modelVersion(), service.parameters())));
        }
    }

    String tenants(Predicate<String> seen) {
        return Document.written(Map.of("tenants", tenants.all().stream().map(TenantBook.Kept::tenant).filter(tenant -> seen.test(tenant.name())).map(StateFiles::fields).toList()));
    }

    private static Map<String, Object> fields(Tenant tenant) {
        Map<String, Object> fields = new LinkedHashMap<>();
        fields.put("name", tenant.name());
        if (!tenant.contact().isEmpty()) {
            fields.put("contact", tenant.contact());
        }
        if (!tenant.attachments().isEmpty()) {
            fields.put("attachments", tenant.attachments().stream().map(end -> {
                Map<String, Object> attachment = new LinkedHashMap<>();
                attachment.put("device", end.device());
                attachment.put("port", end.port());
                return attachment;
            }).toList());
        }
        return fields;
    }

    /** What is in force, by path. */
    Map<String, String> models() {
        Map<String, String> files = new TreeMap<>();
        releases.inForce().forEach(row -> {
            String folder = MODELS + switch (Kind.valueOf(row.kind())) {
                case MODEL -> "services/" + row.name() + "/";
                case DIALECT -> "dialects/" + row.name() + "/";
                case VOCABULARY -> "";
            };
            json.read(row.filesJson(), FILES).forEach((file, text) -> files.put(folder + file, text));
        });
        return files;
    }

    static String path(String service) {
        return SERVICES + service + YAML;
    }

    /** The service whose file a path is. */
    static String service(String path) {
        return path.substring(SERVICES.length(), path.length() - YAML.length());
    }

    static boolean isOfService(String path) {
        return path.startsWith(SERVICES) && path.endsWith(YAML) && path.indexOf('/', SERVICES.length()) < 0;
    }

    static String text(String name, String tenant, String model, int version, Map<String, Object> parameters) {
        Map<String, Object> service = new LinkedHashMap<>();
        service.put("name", name);
        service.put("tenant", tenant);
        service.put("model", model);
        service.put("version", (long) version);
        service.put("parameters", parameters);
        return Document.written(Secret.masked(Map.of("services", List.of(service))));
    }
}
