package rilvan.core.order;

import java.util.List;
import rilvan.core.outside.Answer;

/** What happened outside a transaction. */
public sealed interface Event {

    /** A session is open; its id is what another session needs to end it. */
    record Opened(String device, String sessionId) implements Event {}

    record NotOpened(String device, String reason) implements Event {}

    /** One answer for each request of the flight. */
    record Answered(String device, List<Answer> answers) implements Event {}

    record Written() implements Event {}

    record Overtaken() implements Event {}

    /** The checks were made; the summary says which failed. */
    record Proved(boolean holds, String summary) implements Event {}

    record Resumed(String device) implements Event {}

    /** A person wants the order taken back. Without effect once it is decided. */
    record CancelAsked(String who) implements Event {}
}
