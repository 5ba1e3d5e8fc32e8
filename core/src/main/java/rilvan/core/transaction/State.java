package rilvan.core.transaction;

import java.util.Locale;

/**
 * The state of an order. All from {@link #PLANNED} on are records of its journal, in the order they can follow one another. Each record
 * is forced to disk before the next message leaves. The same words are used in the store, in the interfaces and by people.
 */
public enum State {
    /** Another person is to agree to it before it begins. It has its numbers, and holds nothing. */
    AWAITING_AGREEMENT("another person is to agree to this order before it begins"),
    /** Its time has not come. It has its numbers, and holds nothing. */
    SCHEDULED("the time at which this order begins has not come"),
    /** Queued behind orders that hold, or asked earlier for, a device or service that it needs. It holds nothing and has no plan yet. */
    WAITING("another order holds a device or service that this order needs"),
    /** Planned; numbers are taken, devices and services are held. */
    PLANNED("devices, services and numbers are held for this order"),
    /** Sessions are open and their identities are recorded. */
    CONNECTED("sessions with all devices are open"),
    /** Every device is locked, read, edited and validated; from here on devices change. */
    PREPARED("all devices are locked, read, edited and validated; from here on devices change"),
    /** Checked and read a last time: the order is completed, whatever happens. */
    DECIDED("all devices hold the change; the order will be completed"),
    /** Decided, but a device refused its change for good: every device returns to the state before the order. */
    ROLLING_BACK("a device refused the change for good; all devices are rolled back"),
    /** Every device holds what was ordered. */
    DONE("all devices hold what was ordered"),
    /** Every device has the configuration that it had before the order. */
    ROLLED_BACK("every device has the configuration that it had before the order"),
    /** A rehearsal: every device was asked what can be asked without changing it. */
    REHEARSED("tried on the devices; nothing was changed on any of them");

    private final String description;

    State(String description) {
        this.description = description;
    }

    public boolean ended() {
        return this == DONE || this == ROLLED_BACK || this == REHEARSED;
    }

    /** Whether it has not begun: nothing of it has reached a device, and it holds none. */
    public boolean unbegun() {
        return compareTo(PLANNED) < 0;
    }

    /**
     * The state that people see: any way back is rolling back, whatever the last record of the journal.
     *
     * @param rollingBack whether the order is on its way back
     */
    public State shown(boolean rollingBack) {
        return rollingBack && !ended() && !unbegun() ? ROLLING_BACK : this;
    }

    /** The state as people read it, such as {@code rolled back}. */
    public String words() {
        return name().toLowerCase(Locale.ROOT).replace('_', ' ');
    }

    /** What is true in this state, as a sentence without a full stop. */
    public String description() {
        return description;
    }
}
