package rilvan.core.environment;

/** What a device session can be asked, in the terms of NETCONF (RFC 6241). */
public sealed interface Request {

    /** Where configuration is held (RFC 6241 §5.1, §8.3). */
    enum Datastore {
        RUNNING, CANDIDATE, STARTUP
    }

    /** Takes the lock of a datastore (§7.5). */
    record Lock(Datastore datastore) implements Request {}

    /** Gives it back (§7.6). */
    record Unlock(Datastore datastore) implements Request {}

    /** Reads the parts of a datastore that a subtree filter selects (§7.1); all of it where the filter is empty. */
    record Read(Datastore datastore, String filter) implements Request {}

    /**
     * Edits the candidate (§7.2).
     *
     * @param tested whether the device is to check what comes of it before it takes it (§8.6.4)
     */
    record Edit(String config, boolean tested) implements Request {}

    /**
     * Changes what is running, at once: as a whole or not at all where the device can (§8.2, §8.5), line by line on a
     * command line.
     */
    record Change(String config) implements Request {}

    /** Makes what is running outlast a restart (§8.7). */
    record Save() implements Request {}

    /** Has the device check the candidate (§8.6). */
    record Validate() implements Request {}

    /** Commits the candidate for a number of seconds; without confirmation the device rolls back by itself (§8.4). */
    record ConfirmedCommit(String token, int seconds) implements Request {}

    /** Extends the confirmed commit of this token: the device waits that number of seconds from now for its confirmation (§8.4.1). */
    record Extend(String token, int seconds) implements Request {}

    /** Confirms the commit of this token (§8.4.5.1). */
    record Confirm(String token) implements Request {}

    /** Cancels the confirmed commit of this token (§8.4.4). */
    record Cancel(String token) implements Request {}

    /** Commits the candidate for good (§8.3.4.1). */
    record Commit() implements Request {}

    /** Resets the candidate to what is running (§8.3.4.2). */
    record Discard() implements Request {}

    /** Ends another session (§7.9). */
    record EndSession(String sessionId) implements Request {}

    /** Any other operation, as the family's own text. */
    record Call(String operation) implements Request {}
}
