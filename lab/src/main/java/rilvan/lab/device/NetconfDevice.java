package rilvan.lab.device;

import java.time.Duration;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import org.w3c.dom.Element;
import rilvan.lab.config.EditConfig;
import rilvan.lab.config.Item;
import rilvan.lab.config.RpcError;
import rilvan.lab.config.Xml;
import rilvan.lab.config.YangModel;
import rilvan.lab.device.Faults.FaultPoint;

/**
 * A device with the datastores that its family has: running, and a candidate with confirmed commit 1.1 (RFC 6241 §5.1, §8.3,
 * §8.4), or a startup that is saved apart (§8.7).
 *
 * <p>Every method takes the id of the session that asks, and throws {@link RpcError} where the RFC or the family's modules
 * forbid it. A fault changes nothing.
 */
public final class NetconfDevice implements Device {

    private final String name;
    private final Profile profile;
    private final YangModel model;
    private final ScheduledExecutorService timer;
    private final Runnable onRunningChanged;
    private final Consumer<Item> save;
    private final Faults faults = new Faults(this::ends, this::restart);
    private final Map<Integer, Guest> sessions = new HashMap<>();
    private final Map<Integer, Consumer<ConfigurationChange>> listeners = new LinkedHashMap<>();
    private Item running;
    private Item candidate;
    private Item startup;
    private final Map<Store, Integer> locks = new EnumMap<>(Store.class);
    private Optional<Pending> pending = Optional.empty();
    private int lastSession;

    /** Who has a session, and how it is ended. */
    private record Guest(String user, Runnable end) {}

    /** A confirmed commit that waits for its confirmation. */
    private record Pending(Optional<String> persist, int session, Item before, ScheduledFuture<?> timer) {}

    /** The datastores. */
    public enum Store {
        RUNNING, CANDIDATE, STARTUP
    }

    /**
     * @param start what the device holds when it is switched on
     * @param onRunningChanged called after each change of the running configuration
     * @param save called with what would outlast a restart: every configuration that is committed for good, or saved
     */
    public NetconfDevice(String name, Profile profile, YangModel model, Item start, ScheduledExecutorService timer, Runnable onRunningChanged,
            Consumer<Item> save) {
        this.name = name;
        this.profile = profile;
        this.model = model;
        this.timer = timer;
        this.onRunningChanged = onRunningChanged;
        this.save = save;
        this.running = start;
        this.candidate = start;
        this.startup = start;
    }

    @Override
    public String name() {
        return name;
    }

    @Override
    public synchronized String running() {
        return running.xml();
    }

    public Profile profile() {
        return profile;
    }

    public YangModel model() {
        return model;
    }

    @Override
    public Faults faults() {
        return faults;
    }

    private synchronized List<Runnable> ends() {
        return sessions.values().stream().map(Guest::end).toList();
    }

    /** It holds what it would hold after a power cut: what was saved, and nothing that was not confirmed. */
    private synchronized void restart() {
        pending.ifPresent(unconfirmed -> goBack());
        if (profile.startup()) {
            run(startup, Optional.empty());
        }
        candidate = running;
    }

    @Override
    public synchronized void lockedByAnother(Duration time) {
        int session = enter("somebody", () -> {});
        try {
            lock(session, Store.RUNNING);
            if (profile.candidate()) {
                lock(session, Store.CANDIDATE);
            }
        } catch (RpcError e) {
            leave(session);
            throw e;
        }
        timer.schedule(() -> leave(session), time.toMillis(), TimeUnit.MILLISECONDS);
    }

    /** A new session's id; {@code end} is called when another session ends it. */
    public synchronized int enter(String user, Runnable end) {
        sessions.put(++lastSession, new Guest(user, end));
        return lastSession;
    }

    /** Tells a session of every further change of what is running, as long as it lasts (RFC 5277 §2.1.1). */
    public synchronized void listen(int session, Consumer<ConfigurationChange> told) {
        if (listeners.putIfAbsent(session, told) != null) {
            throw RpcError.protocol("operation-failed", "this session listens already");
        }
    }

    /** A session is over, however: its locks go, and what it alone was committing is rolled back (§7.5, §8.4.1). */
    public synchronized void leave(int session) {
        if (sessions.remove(session) == null) {
            return;
        }
        listeners.remove(session);
        if (pending.isPresent() && pending.get().persist().isEmpty() && pending.get().session() == session) {
            goBack();
        }
        if (Objects.equals(locks.get(Store.CANDIDATE), session)) {
            candidate = running;
        }
        locks.values().removeIf(holder -> holder == session);
    }

    public void kill(int session, int victim) {
        Runnable end;
        synchronized (this) {
            if (victim == session) {
                throw RpcError.protocol("invalid-value", "a session cannot kill itself");
            }
            if (!sessions.containsKey(victim)) {
                throw RpcError.protocol("invalid-value", "there is no session " + victim);
            }
            end = sessions.get(victim).end();
            leave(victim);
        }
        end.run();
    }

    public synchronized Item read(Store store) {
        return switch (known(store)) {
            case RUNNING -> running;
            case CANDIDATE -> candidate;
            case STARTUP -> startup;
        };
    }

    private Store known(Store store) {
        if (store == Store.CANDIDATE && !profile.candidate() || store == Store.STARTUP && !profile.startup()) {
            throw RpcError.protocol("operation-not-supported", "this device has no " + store.name().toLowerCase(java.util.Locale.ROOT));
        }
        return store;
    }

    public synchronized void lock(int session, Store store) {
        known(store);
        trip(FaultPoint.LOCK);
        if (locks.containsKey(store)) {
            throw new RpcError("protocol", "lock-denied", "", "session " + locks.get(store) + " holds the lock");
        }
        if (pending.isPresent() && pending.get().session() != session) {
            throw new RpcError("protocol", "lock-denied", "", "a confirmed commit of another session is pending");
        }
        if (store == Store.CANDIDATE && !candidate.equals(running)) {
            throw new RpcError("protocol", "lock-denied", "", "the candidate has changes that are not committed");
        }
        locks.put(store, session);
    }

    public synchronized void unlock(int session, Store store) {
        if (!locks.remove(store, session)) {
            throw new RpcError("protocol", "operation-failed", "", "this session does not hold the lock");
        }
        if (store == Store.CANDIDATE) {
            candidate = running;
        }
    }

    /** How an edit is checked (RFC 6241 §8.6.4.1). */
    public enum Test {
        SET, TEST_THEN_SET, TEST_ONLY
    }

    /**
     * @param onFault what a node at fault is told to; where it throws nothing, the edit goes on (§7.2, error-option)
     */
    public synchronized void edit(int session, Element config, String defaultOperation, Test test, Consumer<RpcError> onFault) {
        known(Store.CANDIDATE);
        free(session, Store.CANDIDATE);
        trip(FaultPoint.EDIT);
        Item edited = new EditConfig(model, onFault).apply(candidate, config, defaultOperation);
        if (test != Test.SET) {
            model.validate(edited);
        }
        if (test != Test.TEST_ONLY) {
            candidate = edited;
        }
    }

    /**
     * Changes what is running: all of the edit or nothing (§8.5).
     *
     * @param onFault what a node at fault is told to; where it throws nothing, the edit goes on (§7.2, error-option)
     */
    public synchronized void change(int session, Element config, String defaultOperation, Consumer<RpcError> onFault) {
        writable(Store.RUNNING);
        free(session, Store.RUNNING);
        trip(FaultPoint.EDIT);
        Item edited = new EditConfig(model, onFault).apply(running, config, defaultOperation);
        model.validate(edited);
        run(edited, Optional.of(session));
    }

    @Override
    public synchronized void typed(String text) {
        Element typed = Xml.parse("<config>" + text + "</config>");
        if (Xml.elements(typed).isEmpty() && !typed.getTextContent().isBlank()) {
            throw RpcError.protocol("malformed-message", "expected the elements of a configuration");
        }
        Item edited = new EditConfig(model, EditConfig.STOP).apply(running, typed, "merge");
        model.validate(edited);
        boolean clean = candidate.equals(running);
        run(edited, Optional.empty());
        if (clean) {
            candidate = running;
        }
    }

    /** Puts a whole configuration in the place of a datastore (§7.3); what is running, into what the device starts with (§8.7). */
    public synchronized void copy(int session, Item source, Store target) {
        writable(target);
        free(session, target);
        trip(target == Store.STARTUP ? FaultPoint.SAVE : FaultPoint.EDIT);
        switch (target) {
            case CANDIDATE -> candidate = source;
            case RUNNING -> {
                model.validate(source);
                run(source, Optional.of(session));
            }
            case STARTUP -> {
                model.validate(source);
                startup = source;
                save.accept(startup);
            }
        }
    }

    private void writable(Store store) {
        known(store);
        if (store == Store.RUNNING && profile.candidate()) {
            throw RpcError.protocol("operation-not-supported", "only the candidate can be edited");
        }
    }

    public synchronized void validate(Item config) {
        trip(FaultPoint.VALIDATE);
        model.validate(config);
    }

    public synchronized void discard(int session) {
        free(session, Store.CANDIDATE);
        candidate = running;
    }

    /**
     * Commits the candidate, or confirms what is pending.
     *
     * @param confirmed seconds to wait for the confirmation; absent for a commit that lasts
     * @param persist token under which any session may confirm or cancel
     * @param persistId token of what is pending
     */
    public synchronized void commit(int session, Optional<Integer> confirmed, Optional<String> persist, Optional<String> persistId) {
        free(session, Store.CANDIDATE);
        free(session, Store.RUNNING);
        if (persistId.isPresent() && (pending.isEmpty() || !pending.get().persist().equals(persistId))) {
            throw RpcError.protocol("invalid-value", "no confirmed commit with this persist-id is pending");
        }
        if (persistId.isEmpty() && pending.isPresent()
                && (pending.get().persist().isPresent() || pending.get().session() != session)) {
            throw RpcError.protocol("in-use", "a confirmed commit is pending; confirm it with its persist-id");
        }
        trip(pending.isPresent() && confirmed.isEmpty() ? FaultPoint.CONFIRM : FaultPoint.COMMIT);
        model.validate(candidate);
        Item before = pending.map(Pending::before).orElse(running);
        Optional<String> token = persist.or(() -> pending.flatMap(Pending::persist));
        pending.ifPresent(old -> old.timer().cancel(false));
        pending = Optional.empty();
        confirmed.ifPresent(seconds -> {
            ScheduledFuture<?> reversion = timer.schedule(this::runOut, seconds, TimeUnit.SECONDS);
            pending = Optional.of(new Pending(token, session, before, reversion));
        });
        run(candidate, Optional.of(session));
        if (confirmed.isEmpty()) {
            save.accept(running);
        }
    }

    public synchronized void cancel(int session, Optional<String> persistId) {
        trip(FaultPoint.CANCEL);
        if (pending.isEmpty()) {
            throw RpcError.protocol("operation-failed", "no confirmed commit is pending");
        }
        if (!pending.get().persist().equals(persistId) || persistId.isEmpty() && pending.get().session() != session) {
            throw RpcError.protocol("invalid-value", "the pending commit has another persist-id");
        }
        free(session, Store.RUNNING);
        goBack();
    }

    private synchronized void runOut() {
        if (pending.isPresent() && pending.get().timer().getDelay(TimeUnit.MILLISECONDS) <= 0) {
            goBack();
        }
    }

    private void goBack() {
        Pending reverted = pending.orElseThrow();
        reverted.timer().cancel(false);
        pending = Optional.empty();
        boolean clean = candidate.equals(running);
        run(reverted.before(), Optional.empty());
        if (clean || !locks.containsKey(Store.CANDIDATE)) {
            candidate = running;
        }
    }

    /**
     * @param session whose change it is; absent where it is the device's own
     */
    private void run(Item config, Optional<Integer> session) {
        if (!config.equals(running)) {
            Item before = running;
            running = config;
            onRunningChanged.run();
            if (!listeners.isEmpty()) {
                ConfigurationChange change = new ConfigurationChange(session.map(id -> new ConfigurationChange.By(sessions.get(id).user(), id)), edits(before, config));
                listeners.values().forEach(told -> told.accept(change));
            }
        }
    }

    private static List<ConfigurationChange.Edit> edits(Item before, Item after) {
        List<ConfigurationChange.Edit> edits = new ArrayList<>();
        after.children().stream().filter(item -> !before.children().contains(item)).forEach(item -> edits.add(new ConfigurationChange.Edit(item.namespace(), item.name(),
                before.child(item.name()).isPresent() ? "merge" : "create")));
        before.children().stream().filter(item -> after.child(item.name()).isEmpty()).forEach(item ->
                edits.add(new ConfigurationChange.Edit(item.namespace(), item.name(), "delete")));
        return edits;
    }

    private void free(int session, Store store) {
        if (locks.getOrDefault(store, session) != session) {
            throw new RpcError("protocol", "in-use", "", "session " + locks.get(store) + " holds the lock");
        }
    }

    private void trip(FaultPoint step) {
        faults.trip(step).ifPresent(fault -> {
            throw RpcError.application("operation-failed", fault.path(), fault.message());
        });
    }
}
