package rilvan.core.order;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import rilvan.core.dialect.DeviceKind;
import rilvan.core.outside.Answer;
import rilvan.core.outside.Request;
import rilvan.core.outside.Request.Datastore;
import rilvan.core.tree.Change;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * A device of any kind, as RFC 6241 has it, that fails now and then: refuses, drops the session before or after it acted,
 * says ok to a cancel and keeps the change, does part of a batch of lines, restarts. It watches that nothing is sent that must
 * not be.
 */
final class SimulatedDevice {

    private static final Path BY_HAND = Path.parse("/system/location");
    private static final List<Answer.Fault> FAULT = List.of(new Answer.Fault("operation-failed", "", "simulated"));

    private final Part part;
    private final Random random;
    private final List<String> broken;
    private final Set<Integer> sessions = new HashSet<>();
    private int lastSession;
    private Node running;
    private Node candidate;
    private Node startup;
    private int runningLock;
    private int candidateLock;
    private Optional<String> pending = Optional.empty();
    private Node beforePending = Node.EMPTY;
    private long revertAt;
    private boolean keptByLie;
    private boolean armed;
    private boolean decided;
    private boolean readAsAfter;
    private final boolean stubborn;
    private boolean hasGoneBack;
    private boolean byHand;
    private boolean committedByHand;
    private boolean compared;
    private double faults;

    SimulatedDevice(Part part, Node start, Random random, List<String> broken, double faults) {
        this.part = part;
        this.random = random;
        this.broken = broken;
        this.running = start;
        this.candidate = start;
        this.startup = start;
        this.faults = faults;
        this.stubborn = random.nextInt(4) == 0;
    }

    void armed() {
        armed = true;
    }

    void decided() {
        decided = true;
    }

    private boolean revocable() {
        return part.kind() == DeviceKind.REVOCABLE;
    }

    /** The faults end, and whoever was editing by hand gives up. */
    void behave() {
        faults = 0;
        if (byHand) {
            candidate = running;
            byHand = false;
        }
    }

    /** What somebody has put on the device by hand meanwhile, beside what the order touches. */
    Node withHandiwork(Node node) {
        return committedByHand ? node.with(BY_HAND, Node.leaf("put here by hand")) : node;
    }

    Node running() {
        return running;
    }

    /** What is left of an order on the device: nothing, if all went well. */
    String remains() {
        return (revocable() && !candidate.equals(running) ? "a changed candidate " : "")
                + (revocable() || startup.equals(running) ? "" : "changes that are not saved ") + (pending.isEmpty() ? "" : "a pending commit ")
                + (runningLock == 0 ? "" : "the running lock ") + (candidateLock == 0 ? "" : "the candidate lock");
    }

    boolean wasReadAsAfter() {
        return readAsAfter;
    }

    Optional<Integer> open() {
        if (random.nextDouble() < faults) {
            return Optional.empty();
        }
        sessions.add(++lastSession);
        return Optional.of(lastSession);
    }

    /** The session's other end is gone. The device may notice at once, or when somebody ends the session. */
    void vanish(int session) {
        compared = false;
        if (random.nextBoolean()) {
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
        typeByHand();
        if (random.nextDouble() < faults / 4) {
            // A restart: what was not committed for good is gone, and so are all sessions.
            boolean remembered = readAsAfter;
            pending.ifPresent(token -> revert());
            List.copyOf(sessions).forEach(this::end);
            hasGoneBack |= !revocable() && !running.equals(startup);
            running = revocable() ? running : startup;
            candidate = running;
            readAsAfter = remembered;
        }
    }

    /**
     * Somebody edits the candidate while it is not locked, and later commits or gives up, as far as the device lets them. Not in
     * the moment between a comparison and the confirmation that follows it: a lock is refused then, so that cannot be kept apart.
     */
    private void typeByHand() {
        if (!revocable() || compared) {
            return;
        }
        byHand &= !candidate.equals(running);
        boolean free = candidateLock == 0 && runningLock == 0 && pending.isEmpty();
        if (byHand && candidateLock == 0 && random.nextInt(4) == 0) {
            if (free && random.nextBoolean()) {
                // Only what they typed: whoever commits a candidate from before the device went back breaks it, not we.
                running = running.with(BY_HAND, Node.leaf("put here by hand"));
                committedByHand = true;
            }
            candidate = running;
            byHand = false;
        } else if (!byHand && candidateLock == 0 && candidate.equals(running) && random.nextDouble() < faults / 4) {
            candidate = candidate.with(BY_HAND, Node.leaf("put here by hand"));
            byHand = !candidate.equals(running);
        }
    }

    private void revert() {
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
        compared = flight.stream().anyMatch(request -> request instanceof Request.Read read && read.datastore() == Datastore.CANDIDATE);
        boolean lost = !sessions.contains(session);
        for (Request request : flight) {
            double dice = random.nextDouble();
            if (!lost && dice < faults / 3) {
                lost = true;
                vanish(session);
            }
            if (lost) {
                answers.add(new Answer.Lost("simulated"));
                continue;
            }
            boolean refuses = dice > 1 - faults / 3 && !(request instanceof Request.Unlock);
            Answer answer = refuses ? new Answer.Refused(FAULT) : act(session, request, now);
            if (dice > faults / 3 && dice < 2 * faults / 3) {
                lost = true;
                vanish(session);
                answer = new Answer.Lost("simulated, after it acted");
            }
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
                readAsAfter = part.judge(running) instanceof Part.Reading.After;
            }
            return new Answer.Data(part.codec().encode(switch (read.datastore()) {
                case RUNNING -> running;
                case CANDIDATE -> candidate;
                case STARTUP -> startup;
            }));
        } else if (request instanceof Request.Edit edit) {
            return edit(session, edit.config());
        } else if (request instanceof Request.Change change) {
            return change(session, change.config());
        } else if (request instanceof Request.Save) {
            check(decided, "saves before DECIDED is stored");
            startup = running;
            return new Answer.Done();
        } else if (request instanceof Request.Validate) {
            return new Answer.Done();
        } else if (request instanceof Request.CommitProvisionally commit) {
            mayChange(session, "a provisional commit");
            beforePending = running;
            run(candidate);
            pending = Optional.of(commit.token());
            revertAt = now + commit.seconds() * 1_000_000_000L;
            keptByLie = random.nextDouble() < faults;
            return new Answer.Done();
        } else if (request instanceof Request.Commit) {
            mayChange(session, "a commit");
            run(candidate);
            return pending.isPresent() ? new Answer.Refused(FAULT) : new Answer.Done();
        } else if (request instanceof Request.Confirm confirm) {
            if (!pending.equals(Optional.of(confirm.token()))) {
                return new Answer.Refused(FAULT);
            }
            check(candidate.equals(running), "confirms somebody's edits along with its own");
            run(candidate);
            readAsAfter = true;
            pending = Optional.empty();
            return new Answer.Done();
        } else if (request instanceof Request.Cancel cancel) {
            if (!pending.equals(Optional.of(cancel.token()))) {
                return new Answer.Refused(FAULT);
            }
            if (keptByLie) {
                // Says ok, but keeps the change, as some agents do.
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

    private Answer edit(int session, String text) {
        check(candidateLock == session, "edits a candidate that it has not locked");
        Optional<Node> edited = edited(candidate, text);
        edited.ifPresent(node -> candidate = node);
        return edited.isPresent() ? new Answer.Done() : new Answer.Refused(FAULT);
    }

    /** Changes what runs: all of it, or on a command line perhaps only some of it. */
    private Answer change(int session, String text) {
        check(armed, "changes what runs before ARMED is stored");
        check(part.kind() == DeviceKind.COMMAND_LINE || runningLock == session, "changes what runs without its lock");
        Optional<Node> edited = edited(running, text);
        if (edited.isEmpty()) {
            return new Answer.Refused(FAULT);
        }
        List<Change> lines = Difference.between(running, edited.get()).changes();
        boolean stumbles = part.kind() == DeviceKind.COMMAND_LINE && random.nextDouble() < faults;
        List<Change> done = stumbles ? lines.subList(0, random.nextInt(lines.size() + 1)) : lines;
        run(new Difference(done).applyTo(running));
        return stumbles ? new Answer.Refused(FAULT) : new Answer.Done();
    }

    /** What an edit makes of a configuration; absent where it is refused. */
    private Optional<Node> edited(Node base, String text) {
        Difference planned = part.difference();
        Difference wanted = List.of(planned, part.towards(false, base), part.towards(true, base)).stream()
                .filter(each -> part.codec().edit(each).equals(text)).findFirst()
                .orElseThrow(() -> new IllegalStateException("an edit that nobody planned: " + text));
        if (stubborn && hasGoneBack && wanted.equals(part.towards(true, base))) {
            // Once it has gone back it refuses the change for good.
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
        check(armed, "sends " + what + " before ARMED is stored");
        check(runningLock == session && candidateLock == session, "sends " + what + " without both locks");
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
