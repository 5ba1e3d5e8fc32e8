package rilvan.protocol;

import java.security.PublicKey;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.function.Consumer;
import java.util.function.Function;
import org.apache.sshd.client.SshClient;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.AttributeRepository;
import org.apache.sshd.common.AttributeRepository.AttributeKey;
import org.apache.sshd.common.config.keys.KeyUtils;
import org.apache.sshd.common.digest.BuiltinDigests;
import org.apache.sshd.core.CoreModuleProperties;
import rilvan.core.environment.Answer;
import rilvan.core.environment.ConfigurationNotice;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Request;
import rilvan.core.environment.Sessions;
import rilvan.protocol.commandline.CommandLineSession;
import rilvan.protocol.netconf.NetconfSession;

/**
 * Opens sessions over SSH, NETCONF or command line as the target says, and keeps them for a while: a session that is given back
 * in good order is handed out again, so that an order after another costs no new handshake.
 *
 * <p>A device accepts a limited number at a time, so whoever wants more sessions with one waits in line. How many devices have one
 * in use is up to the orders: an order that got half of its sessions must not wait for another that has the other half. In total
 * only those are bounded that nobody uses; those unused longest go first.
 */
public final class SessionPool implements Sessions, AutoCloseable {

    private static final AttributeKey<Target> TARGET = new AttributeKey<>();
    private static final AttributeKey<String> REJECTED = new AttributeKey<>();
    private static final int ANSWERING = 8;
    private static final int HANDSHAKES_PER_CORE = 16;
    private static final Duration KEEP_ALIVE = Duration.ofSeconds(20);

    private final Function<String, Target> targets;
    private final Limits limits;
    private final SessionObserver observer;
    private final SshClient client;
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor(task -> {
        Thread thread = new Thread(task, "session-timer");
        thread.setDaemon(true);
        return thread;
    });
    // Answers are handed on here, and targets looked up: what others do with an answer must not keep the SSH library's threads.
    private final ExecutorService answers = Executors.newFixedThreadPool(ANSWERING, task -> {
        Thread thread = new Thread(task, "device-answers");
        thread.setDaemon(true);
        return thread;
    });
    private final KeyedLimiter turns;
    private final KeyedLimiter handshakes = new KeyedLimiter(HANDSHAKES_PER_CORE * Runtime.getRuntime().availableProcessors());
    // The sessions nobody uses, those unused longest first; and the same by device. Guarded by the first.
    private final Set<Kept> idle = new LinkedHashSet<>();
    private final Map<String, Deque<Kept>> idleOf = new HashMap<>();

    /**
     * How many sessions, and how long.
     *
     * @param answerTime how long a device may take to answer
     * @param idleTime how long a session that nobody uses is kept open
     * @param inUsePerDevice sessions with one device that may be in use at a time
     * @param idlePerDevice unused sessions with one device that are kept open
     * @param idle unused sessions that are kept open in total
     */
    public record Limits(Duration answerTime, Duration idleTime, int inUsePerDevice, int idlePerDevice, int idle) {}

    /** A session that nobody uses, and how it was signed in. Each time that a session is given back is one of its own: its time begins anew. */
    private static final class Kept {

        private final Target target;
        private final DeviceSession session;

        private Kept(Target target, DeviceSession session) {
            this.target = target;
            this.session = session;
        }

        String device() {
            return target.device();
        }

        Target target() {
            return target;
        }

        DeviceSession session() {
            return session;
        }
    }

    /**
     * @param targets how to reach a device by name, asked for each session: one that was signed in otherwise is not used again; throws {@link CannotOpen} where it cannot be told
     */
    public SessionPool(Function<String, Target> targets, Limits limits, SessionObserver observer) {
        this.observer = observer;
        this.targets = targets;
        this.limits = limits;
        this.turns = new KeyedLimiter(limits.inUsePerDevice());
        this.client = SshClient.setUpDefaultClient();
        CoreModuleProperties.TCP_NODELAY.set(client, true);
        CoreModuleProperties.IDLE_TIMEOUT.set(client, Duration.ZERO);
        // A session that is kept must be seen to be gone, and nobody in between may forget it.
        CoreModuleProperties.HEARTBEAT_INTERVAL.set(client, KEEP_ALIVE);
        client.setServerKeyVerifier((session, address, key) -> trusted(session, key));
        client.start();
    }

    private static boolean trusted(ClientSession session, PublicKey key) {
        String seen = KeyUtils.getFingerPrint(BuiltinDigests.sha256, key);
        Target target = session.getConnectionContext().getAttribute(TARGET);
        if (target.hostKeys().contains(seen)) {
            return true;
        }
        String kind = KeyUtils.getKeyType(key);
        session.setAttribute(REJECTED, target.hostKeys().isEmpty()
                ? "its host key " + seen + " (" + kind + ") is not trusted yet; compare it with the device's own and trust it"
                : "its host key is " + seen + " (" + kind + "), but " + String.join(" and ", target.hostKeys())
                        + (target.hostKeys().size() == 1 ? " is" : " are") + " trusted: another device answers there, its key was changed, or it has a key of this kind as well, which may be trusted too");
        return false;
    }

    @Override
    public CompletionStage<DeviceSession> open(String device) {
        CompletableFuture<DeviceSession> opened = new CompletableFuture<>();
        opened.whenComplete((session, failure) -> {
            if (failure != null) {
                observer.failed(device, failure.getMessage());
            }
        });
        // Whoever waits in line waits no longer than for a device that is silent.
        Future<?> inLine = timer.schedule(() -> opened.completeExceptionally(new CannotOpen("no session within " + limits.answerTime().toSeconds()
                + " s: all " + limits.inUsePerDevice() + " are in use", true)), limits.answerTime().toMillis(), TimeUnit.MILLISECONDS);
        turns.take(device, () -> answers.execute(() -> {
            inLine.cancel(false);
            take(device, opened);
        }));
        // What others do with a session, or with the reason why there is none, is done on threads of the pool.
        CompletableFuture<DeviceSession> handed = new CompletableFuture<>();
        opened.whenCompleteAsync((session, failure) -> {
            if (failure == null) {
                handed.complete(session);
            } else {
                handed.completeExceptionally(failure);
            }
        }, answers);
        return handed;
    }

    /** It is somebody's turn to have a session; they may have gone meanwhile. */
    private void take(String device, CompletableFuture<DeviceSession> opened) {
        // From here on the turn belongs to what is opened: a session gives it back when it is closed, a failure at once.
        opened.whenComplete((session, failure) -> {
            if (failure != null) {
                turns.giveBack(device);
            }
        });
        if (opened.isDone()) {
            return;
        }
        Target target;
        try {
            target = targets.apply(device);
        } catch (CannotOpen e) {
            opened.completeExceptionally(e);
            return;
        } catch (RuntimeException e) {
            opened.completeExceptionally(new CannotOpen("how to reach it cannot be looked up now: " + e.getMessage(), true));
            return;
        }
        Optional<DeviceSession> warm = takeIdle(target);
        if (warm.isPresent()) {
            if (!opened.complete(new PooledSession(target, warm.get()))) {
                // Nobody waits for it any more, and the turn is given back already.
                keep(new Kept(target, warm.get()));
            }
            return;
        }
        // Key exchange is arithmetic of ours: a few at a time, and a device's time counts from when it is spoken to.
        handshakes.take("", () -> {
            opened.whenComplete((session, failure) -> handshakes.giveBack(""));
            timer.schedule(() -> opened.completeExceptionally(new CannotOpen("no session within " + limits.answerTime().toSeconds() + " s")),
                    limits.answerTime().toMillis(), TimeUnit.MILLISECONDS);
            answers.execute(() -> connect(target, opened));
        });
    }

    private void connect(Target target, CompletableFuture<DeviceSession> opened) {
        try {
            // The attempt to connect is never cancelled: the library leaves a connection open that is made while it is.
            client.connect(target.user(), target.address(), target.port(), AttributeRepository.ofAttributesMap(Map.of(TARGET, target)), null).addListener(future -> {
                if (!future.isConnected()) {
                    opened.completeExceptionally(new CannotOpen("nothing answers at " + target.address() + ":" + target.port()));
                    return;
                }
                ClientSession ssh = future.getSession();
                // Whatever the attempt fails for, or has failed for by now, a peer that says nothing included, the connection goes with it.
                opened.whenComplete((session, failure) -> {
                    if (failure != null) {
                        ssh.close(true);
                    }
                });
                if (!opened.isDone()) {
                    signIn(ssh, target, opened);
                }
            });
        } catch (java.io.IOException e) {
            opened.completeExceptionally(new CannotOpen("nothing answers at " + target.address() + ":" + target.port()));
        }
    }

    private void signIn(ClientSession ssh, Target target, CompletableFuture<DeviceSession> opened) {
        long begun = System.nanoTime();
        ssh.addPasswordIdentity(target.password());
        try {
            ssh.auth().addListener(future -> {
                if (!future.isSuccess()) {
                    String rejected = ssh.getAttribute(REJECTED);
                    opened.completeExceptionally(new CannotOpen(rejected != null ? rejected
                            : "the device refused the credential of user '" + target.user() + "'"));
                    return;
                }
                CompletionStage<? extends DeviceSession> opening = target.commandLine().isPresent()
                        ? CommandLineSession.open(ssh, target.commandLine().get(), timer, limits.answerTime(), new Wire(target.device(), observer))
                        : NetconfSession.open(ssh, timer, limits.answerTime(), new Wire(target.device(), observer));
                opening.whenCompleteAsync((session, failure) -> {
                    if (failure != null) {
                        opened.completeExceptionally(new CannotOpen(failure.getMessage()));
                    } else if (!opened.complete(new PooledSession(target, session))) {
                        session.close();
                    } else {
                        observer.opened(target.device(), System.nanoTime() - begun);
                    }
                }, answers);
            });
        } catch (java.io.IOException e) {
            opened.completeExceptionally(new CannotOpen(e.getMessage()));
        }
    }

    /** The session with a device that was used last, if there is one that is still open and was signed in as one would be now. */
    private Optional<DeviceSession> takeIdle(Target target) {
        List<Kept> outdated = new ArrayList<>();
        Optional<DeviceSession> found = Optional.empty();
        synchronized (idle) {
            Deque<Kept> own = idleOf.getOrDefault(target.device(), new ArrayDeque<>());
            Kept last = own.peekLast();
            while (last != null && found.isEmpty()) {
                forget(last);
                if (!last.target().equals(target)) {
                    outdated.add(last);
                } else if (last.session().isOpen()) {
                    found = Optional.of(last.session());
                }
                last = own.peekLast();
            }
        }
        outdated.forEach(each -> each.session().close());
        return found;
    }

    /** Ends the unused sessions with devices that would be reached or signed in to otherwise now. */
    public void endOutdated() {
        List<Kept> unused;
        synchronized (idle) {
            unused = List.copyOf(idle);
        }
        for (Kept each : unused) {
            boolean outdated;
            try {
                outdated = !targets.apply(each.device()).equals(each.target());
            } catch (CannotOpen e) {
                outdated = true;
            }
            boolean ours;
            synchronized (idle) {
                ours = outdated && forget(each);
            }
            if (ours) {
                each.session().close();
            }
        }
    }

    private void keep(Kept kept) {
        List<Kept> surplus = new ArrayList<>();
        synchronized (idle) {
            idle.add(kept);
            idleOf.computeIfAbsent(kept.device(), device -> new ArrayDeque<>()).add(kept);
            idleOf.get(kept.device()).stream().skip(limits.idlePerDevice()).forEach(surplus::add);
            idle.stream().limit(Math.max(0, idle.size() - limits.idle())).forEach(surplus::add);
            surplus.forEach(this::forget);
        }
        surplus.forEach(each -> each.session().close());
        timer.schedule(() -> {
            boolean stillUnused;
            synchronized (idle) {
                stillUnused = forget(kept);
            }
            if (stillUnused) {
                kept.session().close();
            }
        }, limits.idleTime().toMillis(), TimeUnit.MILLISECONDS);
    }

    /** Takes a session out of those that are kept; tells whether it was among them. */
    private boolean forget(Kept kept) {
        Deque<Kept> own = idleOf.getOrDefault(kept.device(), new ArrayDeque<>());
        own.remove(kept);
        if (own.isEmpty()) {
            idleOf.remove(kept.device());
        }
        return idle.remove(kept);
    }

    @Override
    public void close() {
        synchronized (idle) {
            idle.forEach(each -> each.session().close());
            idle.clear();
            idleOf.clear();
        }
        timer.shutdownNow();
        answers.shutdownNow();
        client.stop();
    }

    /**
     * A session in somebody's hands. Given back when closed, if every answer came and it has no lock; otherwise ended for good: whoever lets go of a device without unlocking it, as after another
     * instance has taken an order over, would leave the lock in the session of whoever comes next, who knows nothing of it.
     */
    private final class PooledSession implements DeviceSession {

        private final Target target;
        private final DeviceSession session;
        private volatile boolean sound = true;
        private volatile boolean asking;
        // Locks that the device may hold for this session (RFC 6241 §7.5).
        private final Set<Request.Datastore> locks = ConcurrentHashMap.newKeySet();
        private final AtomicBoolean closed = new AtomicBoolean();

        private PooledSession(Target target, DeviceSession session) {
            this.target = target;
            this.session = session;
        }

        @Override
        public String id() {
            return session.id();
        }

        @Override
        public Set<String> capabilities() {
            return session.capabilities();
        }

        @Override
        public boolean isOpen() {
            return session.isOpen();
        }

        @Override
        public CompletionStage<List<Answer>> send(List<Request> flight) {
            asking = true;
            long begun = System.nanoTime();
            flight.stream().filter(Request.Lock.class::isInstance).forEach(lock -> locks.add(((Request.Lock) lock).datastore()));
            return session.send(flight).thenApplyAsync(each -> {
                asking = false;
                for (int i = 0; i < each.size(); i++) {
                    if (flight.get(i) instanceof Request.Lock lock && each.get(i) instanceof Answer.Refused) {
                        locks.remove(lock.datastore());
                    } else if (flight.get(i) instanceof Request.Unlock unlock && each.get(i) instanceof Answer.Done) {
                        locks.remove(unlock.datastore());
                    }
                }
                boolean lost = each.stream().anyMatch(Answer.Lost.class::isInstance);
                if (lost) {
                    sound = false;
                }
                observer.answered(target.device(), flight.size(), System.nanoTime() - begun, lost);
                return each;
            }, answers);
        }

        /** Whoever comes next does not listen: this session is not used again. */
        @Override
        public CompletionStage<Boolean> listen(Consumer<ConfigurationNotice> to) {
            sound = false;
            return session.listen(to);
        }

        @Override
        public void close() {
            if (closed.getAndSet(true)) {
                return;
            }
            if (sound && !asking && locks.isEmpty() && session.isOpen()) {
                keep(new Kept(target, session));
            } else {
                session.close();
            }
            turns.giveBack(target.device());
        }
    }
}
