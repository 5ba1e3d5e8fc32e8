package rilvan.core.transaction;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import rilvan.core.document.PlainText;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Request;

/** What a transaction wants done next. Whoever drives it does so and reports back with an {@link Event}. */
public sealed interface Action {

    /** Characters that a reason has at most: it stands in lists and in a line of the log. */
    int LONGEST_REASON = 2_000;

    /** Open a session. Answered by {@link Event.Opened} or {@link Event.NotOpened}. */
    record Open(String device) implements Action {}

    /** Send a flight. Answered by {@link Event.Answered}. */
    record Send(String device, List<Request> flight) implements Action {}

    /**
     * Force a record to the journal, only if the last one is as expected. Answered by {@link Event.Written}, by
     * {@link Event.Overtaken} where the right to drive this order has passed on, or by {@link Event.RecordUnknown}.
     *
     * @param reason why an order rolls back; of a long text only the first {@value #LONGEST_REASON} characters are kept
     * @param sessions identities of the sessions that may be open on each device, for whoever has to end them
     */
    record Write(State expected, State state, String reason, Map<String, List<String>> sessions) implements Action {
        public Write {
            reason = PlainText.cleaned(reason, LONGEST_REASON);
        }
    }

    /**
     * Look which record is stored. Answered by {@link Event.RecordRead}, {@link Event.Overtaken}, or {@link Event.RecordUnknown}
     * where the store is silent still.
     */
    record ReadRecord() implements Action {}

    /**
     * An attempt has been rolled back whole: see which services are at fault, and write down what is left without them. Answered by
     * {@link Event.RetryPlanned}, by {@link Event.NothingLeft}, or by {@link Event.Overtaken}.
     */
    record RetryWithout(Blame blame) implements Action {}

    /**
     * What made an attempt fail, as far as it tells who is at fault.
     *
     * @param device where it failed; absent where checks failed
     * @param faults what the device answered; each may name a node
     */
    record Blame(Optional<String> device, List<Answer.Fault> faults) {

        /** The nodes at fault, as the device names them. */
        public List<String> paths() {
            return faults.stream().map(Answer.Fault::path).filter(path -> !path.isEmpty()).toList();
        }
    }

    /** Make the checks. Answered by {@link Event.Checked}. */
    record MakeChecks() implements Action {}

    /** The order rolls back whatever the result of the checks: end them. {@link Event.Checked} comes all the same, and soon. */
    record EndChecks() implements Action {}

    /** Come back later, to a device or, where none is named, to the order. Answered by {@link Event.Resumed}. */
    record Pause(String device, long millis) implements Action {}

    /** Tell whoever follows the order. Not answered. */
    record Report(String device, Phase phase, Outcome outcome, String text) implements Action {}

    /** Give back the session with a device that is no part of the order any more. Not answered. */
    record CloseSession(String device) implements Action {}

    /** All is over: give the sessions back. Not answered. */
    record End(State state) implements Action {}

    /** How a phase stands. */
    enum Outcome {
        STARTED, WARNING, OK, FAILED, IN_DOUBT
    }
}
