package rilvan.server.files;

import jakarta.annotation.PreDestroy;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import rilvan.server.Settings;
import rilvan.server.files.GitFolder.Commit;
import rilvan.server.inventory.TenantBook;
import rilvan.server.library.Library;
import rilvan.server.ops.Repeating;
import rilvan.server.store.Acts;
import rilvan.server.store.Json;
import rilvan.server.store.Services;
import rilvan.server.store.Services.MadeBy;
import rilvan.server.store.Services.VersionRow;
import tools.jackson.core.type.TypeReference;

/**
 * Keeps the wanted state as a git repository, where the settings name a folder for it: each order that is done is one commit, with its author, reason and number. What changes without
 * an order (tenants, models) is a commit of the service's own. Each instance keeps its own folder.
 */
@Component
public class StateRepository {

    private static final Duration BETWEEN_LOOKS = Duration.ofSeconds(1);
    /** What orders make is told with the time at which they began to store it; none takes that long to be seen. */
    private static final Duration LATEST = Duration.ofMinutes(10);
    private static final String SERVICE = "rilvan";
    private static final TypeReference<Map<String, Object>> FIELDS = new TypeReference<>() {};

    private final Services services;
    private final StateFiles files;
    private final TenantBook tenants;
    private final Library library;
    private final Acts acts;
    private final Json json;
    private final Path folder;
    private final Repeating looks = new Repeating("repository of the wanted state");
    private GitFolder git;
    private final Set<Long> committed = new HashSet<>();
    private Instant last = Instant.EPOCH;
    private long tenantsVersion = -1;
    private long libraryVersion = -1;

    StateRepository(Services services, StateFiles files, TenantBook tenants, Library library, Acts acts, Json json, Settings settings) {
        this.services = services;
        this.files = files;
        this.tenants = tenants;
        this.library = library;
        this.acts = acts;
        this.json = json;
        this.folder = settings.stateFolder();
    }

    @EventListener(ApplicationReadyEvent.class)
    public void begin() {
        if (folder != null) {
            looks.begin(Duration.ZERO, BETWEEN_LOOKS, this::look);
        }
    }

    @PreDestroy
    void close() {
        looks.close();
        if (git != null) {
            git.close();
        }
    }

    /** Commits what has come since the last look; at first, whatever is otherwise than it is committed. */
    void look() {
        if (git == null) {
            GitFolder opened = GitFolder.open(folder);
            opened.committed().ifPresent(there -> {
                committed.addAll(there.orders());
                last = there.at();
            });
            git = opened;
            try {
                theRest();
            } catch (RuntimeException e) {
                // It is begun anew at the next look.
                git.close();
                git = null;
                committed.clear();
                last = Instant.EPOCH;
                throw e;
            }
        } else {
            orders();
        }
        apart();
    }

    /** @return whether there were any */
    private boolean orders() {
        boolean any = false;
        for (MadeBy order : lately()) {
            if (!committed.contains(order.order())) {
                any = true;
                Map<String, String> written = new TreeMap<>();
                Set<String> gone = new TreeSet<>();
                services.versionsOf(order.order()).stream().filter(row -> row.componentOf() == null).forEach(row -> made(row, written, gone));
                gone.addAll(renamed(written.keySet()));
                Instant at = order.at().toInstant();
                String reason = order.reason().equals("-") ? "order " + order.order() : order.reason();
                git.commit(written, gone, order.who(), at, reason + "\n\nOrder: " + order.order() + "\n", Commit.ALWAYS);
                committed.add(order.order());
                last = at.isAfter(last) ? at : last;
            }
        }
        return any;
    }

    private List<MadeBy> lately() {
        return services.madeSince(last.minus(LATEST).atOffset(ZoneOffset.UTC));
    }

    private void made(VersionRow row, Map<String, String> written, Set<String> gone) {
        String path = StateFiles.path(row.service());
        if (row.kind().equals("REMOVE")) {
            gone.add(path);
        } else if (row.model() != null) {
            written.put(path, StateFiles.text(row.service(), row.tenant(), row.model(), row.modelVersion(), json.read(row.parametersJson(), FIELDS)));
        }
    }

    /** Files of services that have another name now: what comes under a name was there under another. */
    private Set<String> renamed(Set<String> written) {
        Set<String> there = git.paths();
        if (there.containsAll(written)) {
            return Set.of();
        }
        Set<String> names = new HashSet<>(services.names());
        Set<String> gone = new TreeSet<>();
        there.stream().filter(path -> StateFiles.isOfService(path) && !names.contains(StateFiles.service(path))).forEach(gone::add);
        return gone;
    }

    /** Whatever no order tells of: the beginning, and what an instance was away for. */
    private void theRest() {
        boolean isFirst = last.equals(Instant.EPOCH);
        List<Long> before = List.of();
        if (isFirst) {
            last = acts.now().toInstant();
            before = lately().stream().map(MadeBy::order).toList();
            committed.addAll(before);
        }
        Map<String, String> wanted = new TreeMap<>();
        // What an order makes meanwhile is that order's: the state is taken when all that is in it is told.
        do {
            wanted.clear();
            files.each(tenant -> true, service -> true, wanted::put);
        } while (!isFirst && orders());
        Map<String, String> there = git.files();
        Set<String> gone = new TreeSet<>(there.keySet());
        gone.removeAll(wanted.keySet());
        Instant now = acts.now().toInstant();
        wanted.entrySet().removeIf(file -> file.getValue().equals(there.get(file.getKey())));
        // Orders that are in the beginning are not told again.
        git.commit(wanted, gone, SERVICE, now, (isFirst ? "the wanted state" : "what has changed meanwhile") + "\n" + before.stream().map(order -> "\nOrder: " + order).collect(Collectors.joining()) + "\n", Commit.WHERE_SOMETHING_CHANGES);
    }

    /** What changes without an order. */
    private void apart() {
        long tenantsNow = tenants.known().version();
        long libraryNow = library.inForce().version();
        if (tenantsNow != tenantsVersion) {
            git.commit(Map.of(StateFiles.TENANTS, files.tenants(tenant -> true)), Set.of(), SERVICE, acts.now().toInstant(), "tenants", Commit.WHERE_SOMETHING_CHANGES);
            tenantsVersion = tenantsNow;
        }
        if (libraryNow != libraryVersion) {
            Map<String, String> wanted = files.models();
            Set<String> gone = new TreeSet<>();
            git.paths().stream().filter(path -> path.startsWith(StateFiles.MODELS) && !wanted.containsKey(path)).forEach(gone::add);
            git.commit(wanted, gone, SERVICE, acts.now().toInstant(), "models and dialects in force", Commit.WHERE_SOMETHING_CHANGES);
            libraryVersion = libraryNow;
        }
    }
}
