package rilvan.core.transaction;

import java.util.Locale;

/** What a transaction is doing on a device, as people follow it. */
public enum Phase {
    /** Opens a session. */
    CONNECT,
    /** Locks the datastores (RFC 6241 §7.5) and reads, under the lock, what the order touches. */
    LOCK_AND_READ,
    /** Puts the change into the candidate and has the device validate it (RFC 6241 §7.2, §8.6). */
    EDIT_AND_VALIDATE,
    /** Commits for a limited time (RFC 6241 §8.4). */
    CONFIRMED_COMMIT,
    /** Changes a device that has no confirmed commit. */
    CHANGE,
    /** Restarts the timer of a confirmed commit. */
    EXTEND,
    /** Runs the checks of the services. */
    CHECKS,
    /** Reads every device a last time before the decision. */
    FINAL_READ,
    /** Makes a confirmed commit permanent, or saves where startup is separate. */
    CONFIRM,
    /** Releases locks and ends lost sessions. */
    RELEASE,
    /** Brings a device to the state before the order. */
    ROLL_BACK,
    /** Applies a decided change again on a device that rolled back by itself. */
    REAPPLY;

    /** The phase as people read it, such as {@code lock and read}. */
    public String words() {
        return name().toLowerCase(Locale.ROOT).replace('_', ' ');
    }
}
