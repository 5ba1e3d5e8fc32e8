package rilvan.core.order;

import java.util.List;
import java.util.Map;
import rilvan.core.outside.Request;

/** What a transaction wants done next. Whoever drives it does so and reports back with an {@link Event}. */
public sealed interface Action {

    /** Open a session. Answered by {@link Event.Opened} or {@link Event.NotOpened}. */
    record Open(String device) implements Action {}

    /** Send a flight. Answered by {@link Event.Answered}. */
    record Send(String device, List<Request> flight) implements Action {}

    /**
     * Force a record to the journal, only if the last one is as expected. Answered by {@link Event.Written}, or by
     * {@link Event.Overtaken} where the right to drive this order has passed on. Unknown is not no: where it is uncertain
     * whether the record was stored, look before answering.
     *
     * @param sessions identities of the sessions that may be open on each device, for whoever has to end them
     */
    record Write(State expected, State state, String reason, Map<String, List<String>> sessions) implements Action {}

    /** Make the checks. Answered by {@link Event.Proved}. */
    record Prove() implements Action {}

    /** Come back later. Answered by {@link Event.Resumed}. */
    record Pause(String device, long millis) implements Action {}

    /** Tell whoever follows the order. Not answered. */
    record Tell(String device, Phase phase, Word word, String text) implements Action {}

    /** All is over: give the sessions back. Not answered. */
    record End(State state) implements Action {}

    /** How a phase stands. */
    enum Word {
        BEGINS, SUCCEEDS, FAILS, IN_DOUBT
    }
}
