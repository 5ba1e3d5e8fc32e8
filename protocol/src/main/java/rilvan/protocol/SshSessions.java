package rilvan.protocol;

import java.security.PublicKey;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.function.Function;
import org.apache.sshd.client.SshClient;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.AttributeRepository;
import org.apache.sshd.common.AttributeRepository.AttributeKey;
import org.apache.sshd.common.config.keys.KeyUtils;
import org.apache.sshd.common.digest.BuiltinDigests;
import org.apache.sshd.core.CoreModuleProperties;
import rilvan.core.outside.Answer;
import rilvan.core.outside.DeviceSession;
import rilvan.core.outside.Request;
import rilvan.core.outside.Sessions;

/**
 * Opens sessions over SSH, NETCONF or command line as the target says, and keeps them for a while: a session that is given back in good order is handed out again, so that
 * an order after another costs no new handshake.
 */
public final class SshSessions implements Sessions, AutoCloseable {

    private static final AttributeKey<Target> TARGET = new AttributeKey<>();
    private static final AttributeKey<String> REJECTED = new AttributeKey<>();
    private static final int KEPT_PER_DEVICE = 2;
    private static final Duration KEEP_ALIVE = Duration.ofSeconds(20);

    private final Function<String, Target> targets;
    private final Duration patience;
    private final Duration kept;
    private final SshClient client;
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor(task -> {
        Thread thread = new Thread(task, "session-timer");
        thread.setDaemon(true);
        return thread;
    });
    private final Map<String, Deque<DeviceSession>> idle = new HashMap<>();

    /**
     * @param targets how to reach a device by name; throws {@link CannotOpen} where it cannot be told
     * @param patience how long a device may take to answer
     * @param kept how long a session that nobody uses is kept open
     */
    public SshSessions(Function<String, Target> targets, Duration patience, Duration kept) {
        this.targets = targets;
        this.patience = patience;
        this.kept = kept;
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
        if (target.hostKey().isPresent() && target.hostKey().get().equals(seen)) {
            return true;
        }
        session.setAttribute(REJECTED, target.hostKey().isPresent()
                ? "its host key is " + seen + ", but " + target.hostKey().get() + " is trusted: another device answers there, or its key was changed"
                : "its host key " + seen + " is not trusted yet; compare it with the device's own and trust it");
        return false;
    }

    @Override
    public CompletionStage<DeviceSession> open(String device) {
        DeviceSession warm = takeIdle(device);
        if (warm != null) {
            return CompletableFuture.completedFuture(new Lent(device, warm));
        }
        Target target;
        try {
            target = targets.apply(device);
        } catch (CannotOpen e) {
            return CompletableFuture.failedFuture(e);
        } catch (RuntimeException e) {
            return CompletableFuture.failedFuture(new CannotOpen("how to reach it cannot be looked up now: " + e.getMessage()));
        }
        CompletableFuture<DeviceSession> opened = new CompletableFuture<>();
        try {
            client.connect(target.user(), target.address(), target.port(),
                    AttributeRepository.ofKeyValuePair(TARGET, target), null).addListener(future -> {
                if (!future.isConnected()) {
                    opened.completeExceptionally(new CannotOpen("nothing answers at " + target.address() + ":" + target.port()));
                    return;
                }
                signIn(future.getSession(), target, opened);
            });
        } catch (java.io.IOException e) {
            opened.completeExceptionally(new CannotOpen("nothing answers at " + target.address() + ":" + target.port()));
        }
        timer.schedule(() -> opened.completeExceptionally(new CannotOpen("no session within " + patience.toSeconds() + " s")),
                patience.toMillis(), TimeUnit.MILLISECONDS);
        return opened;
    }

    private void signIn(ClientSession ssh, Target target, CompletableFuture<DeviceSession> opened) {
        ssh.addPasswordIdentity(target.password());
        try {
            ssh.auth().addListener(future -> {
                if (!future.isSuccess()) {
                    String rejected = ssh.getAttribute(REJECTED);
                    opened.completeExceptionally(new CannotOpen(rejected != null ? rejected
                            : "it does not let '" + target.user() + "' sign in with the credential it is given"));
                    ssh.close(true);
                    return;
                }
                CompletionStage<? extends DeviceSession> opening = target.commandLine().isPresent()
                        ? CommandLineSession.open(ssh, target.commandLine().get(), timer, patience)
                        : NetconfSession.open(ssh, timer, patience);
                opening.whenComplete((session, failure) -> {
                    if (failure != null) {
                        opened.completeExceptionally(new CannotOpen(failure.getMessage()));
                        ssh.close(true);
                    } else if (!opened.complete(new Lent(target.device(), session))) {
                        session.close();
                    }
                });
            });
        } catch (java.io.IOException e) {
            opened.completeExceptionally(new CannotOpen(e.getMessage()));
        }
    }

    private DeviceSession takeIdle(String device) {
        synchronized (idle) {
            Deque<DeviceSession> sessions = idle.getOrDefault(device, new ArrayDeque<>());
            DeviceSession session = sessions.pollLast();
            while (session != null && !session.isOpen()) {
                session = sessions.pollLast();
            }
            return session;
        }
    }

    private void giveBack(String device, DeviceSession session) {
        synchronized (idle) {
            Deque<DeviceSession> sessions = idle.computeIfAbsent(device, name -> new ArrayDeque<>());
            if (sessions.size() >= KEPT_PER_DEVICE) {
                session.close();
                return;
            }
            sessions.addLast(session);
        }
        timer.schedule(() -> {
            boolean unused;
            synchronized (idle) {
                unused = idle.get(device).remove(session);
            }
            if (unused) {
                session.close();
            }
        }, kept.toMillis(), TimeUnit.MILLISECONDS);
    }

    @Override
    public void close() {
        synchronized (idle) {
            idle.values().forEach(sessions -> sessions.forEach(DeviceSession::close));
            idle.clear();
        }
        timer.shutdownNow();
        client.stop();
    }

    /** A session in somebody's hands. Given back when closed, if every answer came; otherwise ended for good. */
    private final class Lent implements DeviceSession {

        private final String device;
        private final DeviceSession session;
        private volatile boolean sound = true;
        private volatile boolean asking;

        private Lent(String device, DeviceSession session) {
            this.device = device;
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
            return session.send(flight).thenApply(answers -> {
                asking = false;
                sound &= answers.stream().noneMatch(Answer.Lost.class::isInstance);
                return answers;
            });
        }

        @Override
        public void close() {
            if (sound && !asking && session.isOpen()) {
                giveBack(device, session);
            } else {
                session.close();
            }
        }
    }
}
