package rilvan.core.transaction;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Supplier;
import java.util.stream.Stream;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Request;
import rilvan.core.environment.Request.Datastore;
import rilvan.core.network.DeviceKind;
import rilvan.core.tree.Change;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * A device of any kind, as RFC 6241 has it, with the faults that its whim brings about. It watches that nothing is sent that
 * must not be.
 */
final class SimulatedDevice {

    /** What can go wrong with a request. */
    enum Fault {
        NONE, REFUSED, WARNED, DROPPED_BEFORE, DROPPED_AFTER, SILENT, SLOW, RESTART,
        /** Says ok and does nothing. */
        IGNORED,
        /** A command line stops in mid-batch. */
        HALF_DONE
    }

    /** What a device does of itself: nothing, unless a test says otherwise. */
    interface Whim {

        default Fault at(Request request) {
            return Fault.NONE;
        }

        /** Whether something happens that rarely does. */
        default boolean chance(double weight) {
            return false;
        }

        default boolean coin() {
            return false;
        }

        default int below(int bound) {
            return bound / 2;
        }
    }

    static final Path BY_HAND = Path.parse("/system/location");
    static final long SLOW_NANOS = 40_000_000_000L;
    private static final List<Answer.Fault> FAULT = List.of(new Answer.Fault("operation-failed", "", "simulated"));
    /** No confirmed commit waits for this token (RFC 6241 §8.4). */
    private static final List<Answer.Fault> NOTHING_PENDING = List.of(new Answer.Fault("invalid-value", "", "simulated"));
    private static final List<Answer.Fault> NOT_ACTIVE = List.of(new Answer.Fault("operation-failed", "", "not active"));

    /** A request that a slow device gets round to after we have given it up. */
    private record Late(int session, Request request, long at) {}

    private final DeviceChange part;
    private final Whim whim;
    private final List<String> broken;
    private final Map<Node, String> texts = new HashMap<>();
    private final Set<Integer> sessions = new HashSet<>();
    private final List<Late> late = new ArrayList<>();
    private int lastSession;
    private Node running;
    private Node candidate;
    private Node startup;
    private int runningLock;
    private int candidateLock;
    private Optional<String> pending = Optional.empty();
    private Node beforePending = Node.EMPTY;
    private long revertAt;
    private boolean liesAboutCancel;
    private boolean liesAboutConfirm;
    private boolean keepsAtExpiry;
    private boolean prepared;
    private boolean decided;
    private boolean readAsAfter;
    private final boolean stubborn;
    private boolean hasGoneBack;
    private boolean disturbed;
    private boolean byHand;
    private boolean committedByHand;
    private int sessionByHand;
    private Optional<Node> changedByHand = Optional.empty();
    private boolean compared;

    /**
     * @param stubborn whether it refuses the change for good once it has rolled back
     */
    SimulatedDevice(DeviceChange part, Node start, Whim whim, List<String> broken, boolean stubborn) {
        this.part = part;
        this.whim = whim;
        this.broken = broken;
        this.running = start;
        this.candidate = start;
        this.startup = start;
        this.stubborn = stubborn;
    }

    void prepared(boolean now) {
        prepared = now;
    }

    void decided() {
        decided = true;
    }

    private boolean hasCandidate() {
        return part.kind().hasCandidate();
    }

    /** Whoever was editing by hand gives up, and releases what they locked. */
    void leaveAlone() {
        end(sessionByHand);
        if (byHand) {
            candidate = running;
            byHand = false;
        }
    }

    /** Somebody edits the candidate and leaves it so. */
    void typeIntoCandidate() {
        candidate = candidate.with(BY_HAND, Node.leaf("put here by hand"));
        byHand = true;
    }

    /** Somebody else's session takes the lock. */
    void lockByHand() {
        sessionByHand = ++lastSession;
        runningLock = sessionByHand;
        sessions.add(sessionByHand);
    }

    /**
     * Somebody changes what runs.
     *
     * @param stays whether it is to stay, whatever becomes of the order
     */
    void change(Node now, boolean stays) {
        changedByHand = stays ? Optional.of(now) : Optional.empty();
        boolean follow = candidate.equals(running);
        run(now);
        startup = stays ? now : startup;
        if (follow) {
            candidate = now;
        }
    }

    /** Cancels from now on say ok and keep the change, as some agents do. */
    void lieAboutCancel() {
        liesAboutCancel = true;
    }

    /** When a confirm timer runs out, the change stays all the same. */
    void keepAtExpiry() {
        keepsAtExpiry = true;
    }

    /** What somebody has put on the device by hand meanwhile, beside what the order touches. */
    Node withHandiwork(Node node) {
        return changedByHand.isPresent() ? changedByHand.get() : committedByHand ? node.with(BY_HAND, Node.leaf("put here by hand")) : node;
    }

    Node running() {
        return running;
    }

    /** What is left of an order on the device: nothing, if all went well. */
    String remains(Set<String> sessionsOfTheOrder) {
        return (hasCandidate() && !candidate.equals(running) ? "a changed candidate " : "")
                + (hasCandidate() || startup.equals(running) ? "" : "changes that are not saved ") + (pending.isEmpty() ? "" : "a pending commit ")
                + (runningLock == 0 ? "" : "the running lock ") + (candidateLock == 0 ? "" : "the candidate lock ")
                + (sessions.stream().map(String::valueOf).noneMatch(sessionsOfTheOrder::contains) ? "" : "a session");
    }

    boolean wasReadAsAfter() {
        return readAsAfter;
    }

    Optional<Integer> open() {
        if (whim.chance(1)) {
            return Optional.empty();
        }
        sessions.add(++lastSession);
        return Optional.of(lastSession);
    }

    /** The session's other end is gone. The device may notice at once, or when somebody ends the session. */
    void vanish(int session) {
        compared = false;
        if (whim.coin()) {
            end(session);
        }
    }

    void end(int session) {
        sessions.remove(session);
        if (runningLock == session) {
            runningLock = 0;
        }
        if (candidateLock == session) {
            candidateLock = 0;
            candidate = running;
        }
    }

    void tick(long now) {
        if (pending.isPresent() && now - revertAt >= 0) {
            revert();
        }
        for (Late each : List.copyOf(late)) {
            if (now - each.at() >= 0) {
                late.remove(each);
                if (sessions.contains(each.session())) {
                    disturbed = true;
                    act(each.session(), each.request(), now);
                }
            }
        }
        typeByHand();
        if (whim.chance(0.25)) {
            restart();
        }
    }

    /** What was not committed for good, or not saved, is gone, and so are all sessions. */
    void restart() {
        boolean remembered = readAsAfter;
        pending.ifPresent(token -> revert());
        List.copyOf(sessions).forEach(this::end);
        boolean loses = !hasCandidate() && !running.equals(startup);
        hasGoneBack |= loses;
        running = loses ? startup : running;
        candidate = running;
        readAsAfter = remembered;
    }

    /**
     * Somebody edits the candidate while it is not locked, and later commits or gives up, as far as the device lets them. Not in
     * the moment between a comparison and the confirmation that follows it: a lock is refused then, so that cannot be kept apart.
     */
    private void typeByHand() {
        if (!hasCandidate() || compared) {
            return;
        }
        byHand &= !candidate.equals(running);
        boolean free = candidateLock == 0 && runningLock == 0 && pending.isEmpty();
        if (byHand && candidateLock == 0 && whim.coin() && whim.coin()) {
            if (free && whim.coin()) {
                // Only what they typed: whoever commits a candidate from before the device rolled back breaks it, not we.
                running = running.with(BY_HAND, Node.leaf("put here by hand"));
                committedByHand = true;
            }
            candidate = running;
            byHand = false;
        } else if (!byHand && candidateLock == 0 && candidate.equals(running) && whim.chance(0.25)) {
            typeIntoCandidate();
            byHand = !candidate.equals(running);
        }
    }

    private void revert() {
        if (keepsAtExpiry) {
            pending = Optional.empty();
            return;
        }
        boolean follow = candidate.equals(running) || candidateLock == 0 && !byHand;
        running = beforePending;
        hasGoneBack = true;
        pending = Optional.empty();
        readAsAfter = false;
        if (follow) {
            candidate = running;
        }
    }

    List<Answer> answer(int session, List<Request> flight, long now) {
        List<Answer> answers = new ArrayList<>();
        if (sessions.contains(session)) {
            // What comes over a session that has been ended does not open the moment between comparing and confirming.
            compared = flight.stream().anyMatch(request -> request instanceof Request.Read read && read.datastore() == Datastore.CANDIDATE);
        }
        boolean lost = !sessions.contains(session);
        boolean slow = false;
        for (Request request : flight) {
            Fault fault = lost ? Fault.NONE : whim.at(request);
            if (slow) {
                late.add(new Late(session, request, now + SLOW_NANOS));
            }
            if (lost) {
                answers.add(new Answer.Lost("simulated"));
                continue;
            }
            switch (fault) {
                case DROPPED_BEFORE -> vanish(session);
                case SLOW -> {
                    late.add(new Late(session, request, now + SLOW_NANOS));
                    slow = true;
                }
                case RESTART -> restart();
                default -> { }
            }
            Answer answer = switch (fault) {
                case REFUSED -> request instanceof Request.Unlock ? act(session, request, now) : new Answer.Refused(FAULT);
                case DROPPED_BEFORE, SILENT, SLOW, RESTART -> new Answer.Lost("simulated");
                case IGNORED -> request instanceof Request.Edit || request instanceof Request.Change || request instanceof Request.Save
                        ? new Answer.Done() : act(session, request, now);
                case HALF_DONE -> request instanceof Request.Change change ? halfDone(session, change) : act(session, request, now);
                case NONE, WARNED, DROPPED_AFTER -> act(session, request, now);
            };
            if (fault == Fault.WARNED && answer instanceof Answer.Done) {
                answer = new Answer.Done(FAULT);
            }
            if (fault == Fault.DROPPED_AFTER) {
                vanish(session);
                answer = new Answer.Lost("simulated, after it acted");
            }
            lost = answer instanceof Answer.Lost;
            answers.add(answer);
        }
        return answers;
    }

    private Answer act(int session, Request request, long now) {
        if (request instanceof Request.Lock lock) {
            int holder = lock.datastore() == Datastore.RUNNING ? runningLock : candidateLock;
            boolean dirty = lock.datastore() == Datastore.CANDIDATE && !candidate.equals(running);
            if (holder != 0 || pending.isPresent() || dirty) {
                return new Answer.Refused(FAULT);
            }
            if (lock.datastore() == Datastore.RUNNING) {
                runningLock = session;
            } else {
                candidateLock = session;
            }
            return new Answer.Done();
        } else if (request instanceof Request.Unlock unlock) {
            if (unlock.datastore() == Datastore.RUNNING && runningLock == session) {
                runningLock = 0;
            } else if (unlock.datastore() == Datastore.CANDIDATE && candidateLock == session) {
                candidateLock = 0;
                candidate = running;
            }
            return new Answer.Done();
        } else if (request instanceof Request.Read read) {
            if (read.datastore() != Datastore.STARTUP) {
                readAsAfter = part.judge(running) instanceof DeviceChange.Comparison.After;
            }
            return new Answer.Data(texts.computeIfAbsent(switch (read.datastore()) {
                case RUNNING -> running;
                case CANDIDATE -> candidate;
                case STARTUP -> startup;
            }, part.codec()::encode));
        } else if (request instanceof Request.Edit edit) {
            check(candidateLock == session, "edits a candidate that it has not locked");
            Optional<Node> edited = edited(candidate, edit.config());
            edited.ifPresent(node -> candidate = node);
            return edited.isPresent() ? new Answer.Done() : new Answer.Refused(FAULT);
        } else if (request instanceof Request.Change change) {
            mayChange(session, "a change");
            Optional<Node> edited = edited(running, change.config());
            edited.ifPresent(this::run);
            return edited.isPresent() ? new Answer.Done() : new Answer.Refused(FAULT);
        } else if (request instanceof Request.Save) {
            check(decided, "saves before DECIDED is stored");
            startup = running;
            return new Answer.Done();
        } else if (request instanceof Request.Validate) {
            return new Answer.Done();
        } else if (request instanceof Request.ConfirmedCommit commit) {
            mayChange(session, "a confirmed commit");
            beforePending = running;
            run(candidate);
            pending = Optional.of(commit.token());
            revertAt = now + commit.seconds() * 1_000_000_000L;
            liesAboutCancel |= whim.chance(1);
            liesAboutConfirm |= whim.chance(1);
            return new Answer.Done();
        } else if (request instanceof Request.Extend extend) {
            if (!pending.equals(Optional.of(extend.token()))) {
                return new Answer.Refused(FAULT);
            }
            check(candidate.equals(running), "commits somebody's edits while extending");
            revertAt = now + extend.seconds() * 1_000_000_000L;
            return new Answer.Done();
        } else if (request instanceof Request.Commit) {
            mayChange(session, "a commit");
            if (pending.isPresent()) {
                return new Answer.Refused(FAULT);
            }
            run(candidate);
            return new Answer.Done();
        } else if (request instanceof Request.Confirm confirm) {
            if (!pending.equals(Optional.of(confirm.token()))) {
                // Some agents have another tag for it. Where their dialect does not know their words, only the timer tells whether it was confirmed.
                return new Answer.Refused(!whim.coin() ? NOTHING_PENDING : whim.coin() ? NOT_ACTIVE : FAULT);
            }
            check(decided, "confirms before DECIDED is stored");
            check(candidate.equals(running), "confirms somebody's edits along with its own");
            if (liesAboutConfirm) {
                liesAboutConfirm = false;
                return new Answer.Done();
            }
            run(candidate);
            readAsAfter = true;
            pending = Optional.empty();
            return new Answer.Done();
        } else if (request instanceof Request.Cancel cancel) {
            if (!pending.equals(Optional.of(cancel.token()))) {
                return new Answer.Refused(FAULT);
            }
            if (liesAboutCancel) {
                pending = Optional.empty();
            } else {
                revert();
            }
            return new Answer.Done();
        } else if (request instanceof Request.Discard) {
            check(candidateLock == session, "discards a candidate that it has not locked");
            candidate = running;
            return new Answer.Done();
        } else if (request instanceof Request.EndSession other) {
            int victim = Integer.parseInt(other.sessionId());
            if (!sessions.contains(victim)) {
                return new Answer.Refused(List.of(new Answer.Fault("invalid-value", "", "no such session")));
            }
            end(victim);
            return new Answer.Done();
        }
        throw new IllegalStateException("not simulated: " + request);
    }

    /** A command line takes some of the lines and stumbles over the next. */
    private Answer halfDone(int session, Request.Change change) {
        if (part.kind() != DeviceKind.COMMAND_LINE) {
            return new Answer.Refused(FAULT);
        }
        mayChange(session, "a change");
        edited(running, change.config()).ifPresent(edited -> {
            List<Change> lines = Difference.between(running, edited).changes();
            run(new Difference(lines.subList(0, whim.below(lines.size() + 1))).applyTo(running));
        });
        return new Answer.Refused(FAULT);
    }

    /** What an edit makes of a configuration; absent where it is refused. */
    private Optional<Node> edited(Node base, String text) {
        Difference planned = part.difference();
        Optional<Difference> known = Stream.<Supplier<Difference>>of(() -> planned, () -> part.towards(false, base), () -> part.towards(true, base),
                // What runs is what was read, also where the candidate still has our last edit, since a discard was refused.
                () -> part.towards(false, running), () -> part.towards(true, running)).map(Supplier::get).filter(each -> part.codec().edit(each).equals(text)).findFirst();
        if (known.isEmpty() && !disturbed) {
            throw new IllegalStateException("an edit that nobody planned: " + text);
        }
        if (known.isEmpty()) {
            // Planned for what was read before a late request changed it: what it creates is there, or what it deletes is not.
            return Optional.empty();
        }
        Difference wanted = known.get();
        if (stubborn && hasGoneBack && wanted.equals(part.towards(true, base))) {
            return Optional.empty();
        }
        try {
            return Optional.of(wanted.applyTo(base));
        } catch (IllegalStateException e) {
            // What is to be created is there already, or what is to be deleted is not.
            return Optional.empty();
        }
    }

    private void mayChange(int session, String what) {
        check(prepared, "sends " + what + " before PREPARED is stored");
        check(part.kind() == DeviceKind.COMMAND_LINE || runningLock == session && (!hasCandidate() || candidateLock == session),
                "sends " + what + " without its locks");
    }

    private void run(Node config) {
        running = config;
        readAsAfter = false;
    }

    private void check(boolean holds, String otherwise) {
        if (!holds) {
            broken.add(part.device() + ": the order " + otherwise);
        }
    }
}
