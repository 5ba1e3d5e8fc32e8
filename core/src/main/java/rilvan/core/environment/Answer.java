package rilvan.core.environment;

import java.util.List;
import java.util.stream.Collectors;
import rilvan.core.document.PlainText;

/** What comes back for a request. Only {@link Data} that was read proves a state. */
public sealed interface Answer {

    /** Characters of a text that a device says to people; what is longer is cut. */
    int LONGEST_MESSAGE = 1_000;

    /** Errors of one refusal that are kept. */
    int MOST_FAULTS = 20;

    /**
     * The device said ok.
     *
     * @param warnings what it gives to consider all the same (RFC 6241 §4.3, a severity of warning)
     */
    record Done(List<Fault> warnings) implements Answer {
        public Done() {
            this(List.of());
        }
    }

    /** What was asked for, as the device's own text. */
    record Data(String text) implements Answer {}

    /** The device said no. */
    record Refused(List<Fault> faults) implements Answer {
        public Refused {
            faults = List.copyOf(faults.subList(0, Math.min(faults.size(), MOST_FAULTS)));
        }

        public String message() {
            return faults.stream().map(Fault::toString).collect(Collectors.joining("; "));
        }
    }

    /** Nothing came back, so that it is unknown whether the device acted: the session ended, or it was silent too long. */
    record Lost(String reason) implements Answer {
        public Lost {
            reason = PlainText.cleaned(reason, LONGEST_MESSAGE);
        }
    }

    /**
     * One error of a refusal, or one warning (RFC 6241 §4.3).
     *
     * @param tag the error's tag, such as {@code invalid-value}
     * @param path the node at fault, as the device names it; may be empty
     * @param message what the device says; may be empty
     */
    record Fault(String tag, String path, String message) {
        public Fault {
            tag = PlainText.cleaned(tag, LONGEST_MESSAGE);
            path = PlainText.cleaned(path, LONGEST_MESSAGE);
            message = PlainText.cleaned(message, LONGEST_MESSAGE);
        }

        @Override
        public String toString() {
            return (message.isEmpty() ? "" : message + " ") + "(" + tag + (path.isEmpty() ? "" : " at " + path) + ")";
        }
    }
}
