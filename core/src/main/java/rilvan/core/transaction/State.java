package rilvan.core.transaction;

/**
 * Where an order stands: in line, and then the records of its journal, in the order they can follow one another. Each record is
 * forced to disk before the next message.
 */
public enum State {
    /** In line behind orders that hold, or wanted earlier, what it wants. It holds nothing and has no plan yet. */
    WAITING("waits in line"),
    /** Planned; numbers taken; devices and services held. */
    OPEN("planned; devices, services and numbers are held"),
    /** Sessions are open and their identities recorded. */
    HELD("sessions are open, and who they are is on record"),
    /** Every device is locked, read, edited and validated; from here on devices change. */
    ARMED("every device is locked, read and prepared; from here on devices change"),
    /** Proven and read once more: the order stands, and is brought to its end whatever happens. */
    DECIDED("seen working, and every device read once more: it stands, whatever happens"),
    /** Decided, but a device refused for good: everything goes back. */
    TURN("a device refuses for good what it had: everything goes back"),
    /** Everything is as asked. */
    DONE("every device is as asked; nothing is held any more"),
    /** Everything is as before. */
    ABORTED("every device is as before; nothing is held any more");

    private final String words;

    State(String words) {
        this.words = words;
    }

    public boolean ended() {
        return this == DONE || this == ABORTED;
    }

    /** What the record says, in words. */
    public String words() {
        return words;
    }
}
