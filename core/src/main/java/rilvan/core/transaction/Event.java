package rilvan.core.transaction;

import java.util.List;
import rilvan.core.environment.Answer;

/** What happened outside a transaction. */
public sealed interface Event {

    /** A session is open; its id is what another session needs to end it. */
    record Opened(String device, String sessionId) implements Event {}

    record NotOpened(String device, String reason) implements Event {}

    /** One answer for each request of the flight. */
    record Answered(String device, List<Answer> answers) implements Event {}

    record Written() implements Event {}

    /** It is not known whether the record was stored: the store's answer was lost. */
    record RecordUnknown() implements Event {}

    /** The last record that is stored, and the right to drive the order has not passed on. */
    record RecordRead(State state) implements Event {}

    /** What is left of the order without those at fault, its parts written down. */
    record RetryPlanned(List<DeviceChange> parts) implements Event {}

    /** Nothing is left of the order without those at fault. */
    record NothingLeft() implements Event {}

    /** The right to drive the order has passed on. */
    record Overtaken() implements Event {}

    /** The checks were made; the summary says what they came to, and is the reason of the order where one failed. */
    record Checked(boolean holds, String summary) implements Event {}

    /** A pause is over; it was one of the order itself where no device is named. */
    record Resumed(String device) implements Event {}

    /**
     * A person says what they saw on a device that is in doubt: everything as it was before the order, or everything as it
     * should be after it. Without effect unless that is where the order leads.
     */
    record Resolved(String device, boolean after, String who) implements Event {}

    /** A person cancels the order. Without effect once it is decided. */
    record CancelRequested(String who) implements Event {}
}
