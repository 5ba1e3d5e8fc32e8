package rilvan.core.order;

/** The records of an order's journal, in the order they can follow one another. Each is forced to disk before the next message. */
public enum State {
    /** Planned; numbers taken; devices and services held. */
    OPEN,
    /** Sessions are open and their identities recorded. */
    HELD,
    /** Every device is locked, read, edited and validated; from here on devices change. */
    ARMED,
    /** Proven and read once more: the order stands, and is brought to its end whatever happens. */
    DECIDED,
    /** Decided, but a device refused for good: everything goes back. */
    TURN,
    /** Everything is as asked. */
    DONE,
    /** Everything is as before. */
    ABORTED;

    public boolean ended() {
        return this == DONE || this == ABORTED;
    }
}
