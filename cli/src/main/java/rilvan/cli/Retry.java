package rilvan.cli;

import java.io.IOException;
import java.util.concurrent.TimeUnit;

/** Tries again what was lost on its way: an instance that is gone is soon replaced by another one at the same address. Gives up where nothing was reached for a minute, or ever. */
final class Retry {

    private static final long PATIENCE_NANOS = TimeUnit.MINUTES.toNanos(1);
    private static final long PAUSE_MILLIS = 500;

    private boolean everReached;
    private long reached;
    private boolean lost;

    /** Something has answered. */
    void reached() {
        everReached = true;
        reached = System.nanoTime();
        lost = false;
    }

    /**
     * Waits a moment where it is worth trying again; says so once.
     *
     * @throws IOException where it is not, as it came
     */
    void after(Exception failure) throws IOException {
        boolean onItsWay = failure instanceof IOException || failure instanceof Failure failed && failed.exitCode() == Failure.NOT_REACHED;
        if (!onItsWay || !everReached || System.nanoTime() - reached > PATIENCE_NANOS) {
            if (failure instanceof IOException lostOnItsWay) {
                throw lostOnItsWay;
            }
            throw (RuntimeException) failure;
        }
        if (!lost) {
            Terminal.complain("the connection is lost; trying again: " + failure.getMessage());
            lost = true;
        }
        pause();
    }

    /** Waits a moment. */
    void pause() {
        try {
            TimeUnit.MILLISECONDS.sleep(PAUSE_MILLIS);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new Failure(Failure.FAILED, "interrupted");
        }
    }
}
