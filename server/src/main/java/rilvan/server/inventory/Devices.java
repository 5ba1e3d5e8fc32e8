package rilvan.server.inventory;

import jakarta.annotation.PreDestroy;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.CompletionException;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.function.Function;
import org.springframework.dao.DataAccessException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import org.springframework.transaction.annotation.Transactional;
import rilvan.core.dialect.Codec;
import rilvan.core.dialect.CommandLine;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.MalformedConfiguration;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.Answer;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Request;
import rilvan.core.environment.Sessions;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.protocol.SessionPool;
import rilvan.protocol.Target;
import rilvan.server.Settings;
import rilvan.server.keys.CredentialVault;
import rilvan.server.keys.ParameterSeal;
import rilvan.server.library.Library;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Accounts;
import rilvan.server.store.Inventory;
import rilvan.server.store.Orders;

/** Devices: loads the network document, keeps host keys and credentials, opens sessions, reads configurations. */
@Component
public class Devices {

    private static final String STARTUP = "urn:ietf:params:netconf:capability:startup:1.0";
    private static final String FINGERPRINT = "SHA256:[A-Za-z0-9+/]{43}";

    private static final long RECENT_NANOS = 500_000_000;
    private static final int STORE_ATTEMPTS = 15;
    private static final long STORE_RETRY_MILLIS = 200;

    private final Library library;
    private final StoredPlanningSource source;
    private final Inventory inventory;
    private final Accounts accounts;
    private final Orders orders;
    private final DriftRegister drift;
    private final CredentialVault vault;
    private final SessionPool pool;
    private final Sessions sessions;
    private volatile Targets targets = new Targets(-1, System.nanoTime() - RECENT_NANOS, new ConcurrentHashMap<>());

    public Devices(Library library, StoredPlanningSource source, Inventory inventory, Accounts accounts, Orders orders,
            DriftRegister drift, CredentialVault vault, ParameterSeal seal, Settings settings, DeviceTelemetry telemetry) {
        this.library = library;
        this.source = source;
        this.inventory = inventory;
        this.accounts = accounts;
        this.orders = orders;
        this.drift = drift;
        this.vault = vault;
        this.pool = new SessionPool(this::target, new SessionPool.Limits(settings.deviceTimeout(), settings.sessionIdle(), settings.sessionsPerDevice(),
                settings.idleSessionsPerDevice(), settings.idleSessions()), telemetry);
        this.sessions = new SealedSessions(pool, seal, device -> dialect(device).secrets(), this::sealedSecrets);
    }

    @PreDestroy
    void close() {
        pool.close();
    }

    /** Asked while an answer of a device is read, which must not be lost because the store is away for a moment. */
    private Set<String> sealedSecrets(String device) {
        for (int attempt = 1;; attempt++) {
            try {
                return inventory.sealedSecrets(device);
            } catch (DataAccessException | TransactionException e) {
                if (attempt == STORE_ATTEMPTS || !pause()) {
                    throw e;
                }
            }
        }
    }

    private static boolean pause() {
        try {
            TimeUnit.MILLISECONDS.sleep(STORE_RETRY_MILLIS);
            return true;
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            return false;
        }
    }

    public Sessions sessions() {
        return sessions;
    }

    public Dialect dialect(String device) {
        return library.catalog().dialects().get(device(device).family());
    }

    /**
     * @throws ValidationFailure where there is no such device
     */
    public Device device(String name) {
        return source.recentNetwork().device(name).orElseThrow(() -> new ValidationFailure("", "there is no device named '" + name + "'"));
    }

    /** How devices are reached, as of some version of it. */
    private record Targets(long version, long at, Map<String, Target> byDevice) {}

    /** Looked up once for each version; the version is asked for at most twice a second. */
    private Target target(String name) {
        Targets last = targets;
        long now = System.nanoTime();
        if (now - last.at() > RECENT_NANOS) {
            try {
                long version = inventory.accessVersion();
                last = new Targets(version, now, version == last.version() ? last.byDevice() : new ConcurrentHashMap<>());
                targets = last;
            } catch (DataAccessException | TransactionException e) {
                // A device is reached as it was a moment ago, also while the store is away.
                if (last.version() < 0) {
                    throw e;
                }
            }
        }
        return last.byDevice().computeIfAbsent(name, this::stored);
    }

    /** How devices are reached is another thing now: sessions that were opened otherwise end. */
    private void accessChanged() {
        inventory.accessChanged();
        targets = new Targets(-1, System.nanoTime() - RECENT_NANOS, new ConcurrentHashMap<>());
    }

    /** Ends the unused sessions that were opened before a change of how devices are reached; called when the change is stored. */
    public void endOutdatedSessions() {
        pool.endOutdated();
    }

    private Target stored(String name) {
        Device device = source.recentNetwork().device(name)
                .orElseThrow(() -> new Sessions.CannotOpen("the network has no device of this name"));
        Accounts.Credential credential = accounts.credential(device.credential()).orElseThrow(() ->
                new Sessions.CannotOpen("the credential '" + device.credential() + "' that it is signed in to with is not set"));
        Set<String> hostKeys = inventory.device(name).map(Inventory.DeviceRow::hostKey).map(keys -> Set.of(keys.split(" "))).orElse(Set.of());
        return new Target(name, device.address(), device.managementPort(), credential.login(),
                vault.open(credential.name(), credential.secret()), hostKeys, dialect(name).commandLine());
    }

    @Transactional
    public void putCredential(String name, String login, String password) {
        accounts.putCredential(name, login, vault.seal(name, password));
        accessChanged();
    }

    /**
     * Loads a network document in place of the one before.
     *
     * @throws ValidationFailure naming every field at fault
     */
    @Transactional
    public Network load(String text, Precondition seen) {
        Network network = NetworkDocument.read(Document.read(text));
        inventory.lockNetwork();
        seen.check("the network", inventory.networkVersion().map(String::valueOf));
        List<Problem> problems = new ArrayList<>();
        int i = 0;
        for (Device device : network.devices().values()) {
            if (!library.catalog().dialects().containsKey(device.family())) {
                problems.add(new Problem("/devices/" + i + "/family", "there is no dialect for '" + device.family() + "'; available: "
                        + String.join(", ", library.catalog().dialects().keySet())));
            }
            i++;
        }
        for (Inventory.DeviceRow row : inventory.devices()) {
            if (!network.devices().containsKey(row.name()) && !inventory.ledger(row.name()).isEmpty()) {
                problems.add(new Problem("/devices", row.name() + " is missing, but services are configured on it"));
            }
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        inventory.putNetwork(text);
        network.devices().keySet().forEach(inventory::addDevice);
        accessChanged();
        return network;
    }

    /**
     * Trusts host keys, in place of those that were trusted; refused as a whole where a device is not known.
     *
     * @param hostKeys by device, a fingerprint for each kind of key that it has, with blanks between
     */
    @Transactional
    public void trust(Map<String, String> hostKeys) {
        hostKeys.forEach((name, key) -> {
            if (key == null || !key.matches(FINGERPRINT + "( " + FINGERPRINT + "){0,7}")) {
                throw new ValidationFailure("/" + name, "'" + key + "' is not a fingerprint; it looks like SHA256: and 43 characters; several have a blank between them");
            }
            if (inventory.trust(name, String.join(" ", new TreeSet<>(List.of(key.split(" "))))) == 0) {
                throw new ValidationFailure("/" + name, "there is no device named '" + name + "'");
            }
        });
        accessChanged();
    }

    /**
     * The device's configuration as it is now, canonical text.
     *
     * @throws Sessions.CannotOpen where it cannot be reached or read
     */
    public String live(String name) {
        return dialect(name).codec().encode(holds(name));
    }

    /**
     * What a device runs, and what it would start with (RFC 6241 §8.7), canonical texts.
     *
     * @param startup absent where the device has or shows none of its own: it starts with what it runs
     */
    public record Configurations(String running, Optional<String> startup) {}

    /**
     * The configurations of a device as they are now.
     *
     * @throws Sessions.CannotOpen where it cannot be reached or read
     */
    public Configurations configurations(String name) {
        Dialect dialect = dialect(name);
        return in(name, session -> {
            boolean shows = session.capabilities().contains(STARTUP) || dialect.commandLine().flatMap(CommandLine::readSaved).isPresent();
            return new Configurations(dialect.codec().encode(read(name, session, Request.Datastore.RUNNING)),
                    shows ? Optional.of(dialect.codec().encode(read(name, session, Request.Datastore.STARTUP))) : Optional.empty());
        });
    }

    /** What the device holds now. */
    private Node holds(String name) {
        return in(name, session -> read(name, session, Request.Datastore.RUNNING));
    }

    private Node read(String name, DeviceSession session, Request.Datastore datastore) {
        Codec codec = dialect(name).codec();
        Answer answer = session.send(List.of(new Request.Read(datastore, codec.everything()))).toCompletableFuture().join().get(0);
        if (answer instanceof Answer.Data data) {
            return codec.decode(data.text());
        }
        throw new Sessions.CannotOpen(name + " could not be read: " + (answer instanceof Answer.Refused refused ? refused.message() : ((Answer.Lost) answer).reason()));
    }

    private <T> T in(String name, Function<DeviceSession, T> work) {
        try (DeviceSession session = sessions.open(name).toCompletableFuture().join()) {
            met(name, session.capabilities());
            return work.apply(session);
        } catch (CompletionException e) {
            throw e.getCause() instanceof Sessions.CannotOpen cannot
                    ? new Sessions.CannotOpen(name + ": " + cannot.getMessage()) : e;
        } catch (MalformedConfiguration e) {
            throw new Sessions.CannotOpen(name + " holds what its family's schema does not know: " + e.getMessage());
        }
    }

    /**
     * A session with a device, for whoever keeps it.
     *
     * @throws Sessions.CannotOpen where it cannot be reached
     */
    public DeviceSession session(String name) {
        try {
            return sessions.open(name).toCompletableFuture().join();
        } catch (CompletionException e) {
            throw e.getCause() instanceof Sessions.CannotOpen cannot ? cannot : e;
        }
    }

    /** Remembers how a change of a device can be undone, by what it says of itself. */
    public void met(String name, Set<String> capabilities) {
        dialect(name).kind().asFarAs(capabilities).ifPresent(kind -> inventory.putKind(name, kind.name()));
    }

    /**
     * Reads a device and remembers what it holds, as the base of the next preview.
     *
     * @return what changed since it was last read, by path; empty where nothing did
     */
    public Map<String, String> read(String name) {
        return read(name, Optional.empty());
    }

    /** @param changedBy who has changed it, as the device says */
    public Map<String, String> read(String name, Optional<String> changedBy) {
        Codec codec = dialect(name).codec();
        while (true) {
            Inventory.DeviceRow before = inventory.device(name).orElseThrow(() -> new ValidationFailure("", "there is no device named '" + name + "'"));
            Node holds = holds(name);
            String now = codec.encode(holds);
            // What is as it was last read has been compared with what was ordered already.
            if (now.equals(before.configuration()) && inventory.stillAsRead(name, before.version()) == 1) {
                return Map.of();
            }
            orders.holder("device", name).ifPresent(order -> {
                throw new ValidationFailure("", name + " is held by order " + order + "; read it when that has ended");
            });
            if (drift.keep(name, before.version(), now, holds, changedBy)) {
                Map<String, String> changes = new LinkedHashMap<>();
                Optional.ofNullable(before.configuration()).ifPresent(text -> Difference.between(codec.decode(text), holds).changes()
                        .forEach(change -> changes.put(change.at().toString(), change.before().isEmpty() ? "new" : change.after().isEmpty() ? "gone" : "changed")));
                return changes;
            }
        }
    }
}
