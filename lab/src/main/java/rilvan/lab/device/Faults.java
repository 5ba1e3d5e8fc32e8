package rilvan.lab.device;

import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Supplier;

/**
 * Faults that somebody has set on a device: the next time it takes a step, or each time for a while, it refuses it, takes long
 * over it, says nothing any more, is lost for a while, or starts anew.
 */
public final class Faults {

    private final Supplier<List<Runnable>> sessions;
    private final Runnable restart;
    private final Map<FaultPoint, Pending> pending = new ConcurrentHashMap<>();
    private volatile long backAt = System.nanoTime();

    /** What a device can be made to fail at. */
    public enum FaultPoint {
        SIGN_IN, LOCK, EDIT, VALIDATE, COMMIT, CONFIRM, CANCEL, SAVE
    }

    /** What then becomes of the step. */
    public sealed interface Trouble {

        /**
         * The device says no.
         *
         * @param path the node it complains of, as it names it (RFC 6241 §4.3); empty where it names none
         */
        record Refusal(String message, String path) implements Trouble {}

        /** The device takes so long before it does it. */
        record Slowness(Duration pause) implements Trouble {}

        /** The device does nothing more in this session, and does not say so. */
        record Silence() implements Trouble {}

        /** The device says that it has done it, and does nothing. */
        record Pretence() implements Trouble {}

        /** The device is out of reach from then on, without a word. */
        record Loss(Duration away) implements Trouble {}

        /** The device starts anew with what it has saved, and is out of reach meanwhile. */
        record Restart(Duration away) implements Trouble {}
    }

    private record Pending(Trouble trouble, Optional<Long> until) {}

    /** The step is not taken now, but after a pause. Nothing has been done of it. */
    public static final class NotYet extends RuntimeException {

        private final Duration pause;

        private NotYet(Duration pause) {
            super(null, null, false, false);
            this.pause = pause;
        }

        public Duration pause() {
            return pause;
        }
    }

    /** The step is never taken, and the session is silent from now on. */
    public static final class Never extends RuntimeException {
        private Never() {
            super(null, null, false, false);
        }
    }

    /** The step is not taken, and answered as if it had been. */
    public static final class Pretended extends RuntimeException {
        private Pretended() {
            super(null, null, false, false);
        }
    }

    /**
     * @param sessions what ends each session that is open
     * @param restart makes the device hold what it has saved
     */
    public Faults(Supplier<List<Runnable>> sessions, Runnable restart) {
        this.sessions = sessions;
        this.restart = restart;
    }

    /** Makes the device fail at a step, once. */
    public void once(FaultPoint step, Trouble trouble) {
        pending.put(step, new Pending(trouble, Optional.empty()));
    }

    /** Makes the device fail at a step every time, for a while. */
    public void during(Duration time, FaultPoint step, Trouble trouble) {
        pending.put(step, new Pending(trouble, Optional.of(System.nanoTime() + time.toNanos())));
    }

    /**
     * The device is about to take a step.
     *
     * @return the refusal it is to give; absent where nothing is in the way
     * @throws NotYet where it is to take the step later
     * @throws Never where it is to fall silent
     * @throws Pretended where it is to say that it has done it
     */
    public Optional<Trouble.Refusal> trip(FaultPoint step) {
        Pending fault = pending.get(step);
        boolean over = fault != null && fault.until().isPresent() && System.nanoTime() - fault.until().get() >= 0;
        if (fault == null || (fault.until().isEmpty() || over) && !pending.remove(step, fault) || over) {
            return Optional.empty();
        }
        if (fault.trouble() instanceof Trouble.Slowness slow) {
            throw new NotYet(slow.pause());
        } else if (fault.trouble() instanceof Trouble.Silence) {
            throw new Never();
        } else if (fault.trouble() instanceof Trouble.Pretence) {
            throw new Pretended();
        } else if (fault.trouble() instanceof Trouble.Loss loss) {
            lose(loss.away());
        } else if (fault.trouble() instanceof Trouble.Restart anew) {
            restart(anew.away());
        } else if (fault.trouble() instanceof Trouble.Refusal refusal) {
            return Optional.of(refusal);
        }
        // Nobody hears it.
        return Optional.of(new Trouble.Refusal("", ""));
    }

    /** The device is out of reach from now on. */
    public void lose(Duration away) {
        backAt = System.nanoTime() + away.toNanos();
        sessions.get().forEach(Runnable::run);
    }

    /** The device starts anew from now on. */
    public void restart(Duration away) {
        lose(away);
        restart.run();
    }

    /** Disarms everything; a device that was lost is back. */
    public void clear() {
        pending.clear();
        backAt = System.nanoTime();
    }

    /** Whether the device is out of reach. */
    public boolean isAway() {
        return System.nanoTime() - backAt < 0;
    }
}
