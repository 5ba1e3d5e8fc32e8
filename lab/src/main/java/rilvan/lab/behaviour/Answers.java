package rilvan.lab.behaviour;

import java.util.List;
import java.util.Optional;
import java.util.Set;
import rilvan.lab.device.Question;

/** What devices answer when they are asked about the network as it is now. */
final class Answers {

    private final Forwarding forwarding;
    private final FrameForwarding frames;
    private final ForwardingState standing;

    Answers(Forwarding forwarding, FrameForwarding frames, ForwardingState standing) {
        this.forwarding = forwarding;
        this.frames = frames;
        this.standing = standing;
    }

    /**
     * Why it is not so; absent where it is.
     *
     * @param says what is asked for, as {@link Question} has it
     * @throws IllegalArgumentException where something of it has no form that it should have
     */
    Optional<String> not(Question question, String device, List<String> says) {
        return switch (question) {
            case PING -> unanswered(forwarding.ping(device, says.get(2), source(says.get(1)), says.get(0), bytes(says.get(3))));
            case CONNECT -> unanswered(forwarding.connect(device, says.get(3), source(says.get(2)), says.get(0), Integer.parseInt(says.get(1))));
            case ROUTE -> forwarding.missing(device, says.get(1), says.get(0));
            case SESSION -> forwarding.silent(device, says.get(1), says.get(0));
            case EXCHANGE -> forwarding.untold(device, says.get(1), says.get(0));
            case ORIGINS -> forwarding.foreign(device, says.get(0), listed(says.get(1)), listed(says.get(2)));
            case PREFIXES -> forwarding.miscounted(device, says.get(1), says.get(0), Long.parseLong(says.get(2)));
            case HOSTS -> frames.unknown(device, says.get(0), says.get(1), says.get(2), says.get(3));
            case WIRE -> frames.down(device, says.get(0), says.get(1)).or(() -> standing.notFlushing(device, says.get(0), says.get(1), said(says.get(2))));
            case PEERS -> frames.strangers(device, says.get(0), listed(says.get(1)));
            case FRAMES -> frames.unanswered(here(device, says), there(says, 3), bytes(says.get(7)));
            case DELIVERY -> frames.lost(here(device, says), there(says, 3), bytes(says.get(7)));
            case ROUTED -> frames.unrouted(here(device, says), says.get(3), there(says, 4), says.get(8), bytes(says.get(9)));
            case STANDBY -> standing.notStandingIn(device, says.get(0), says.get(1), says.get(2), said(says.get(3)));
            case STATIONS -> standing.notLearning(device, says.get(0), Long.parseLong(says.get(1)));
            case TREATMENT -> standing.notTreating(device, says.get(0), says.get(1), Long.parseLong(says.get(2)), says.get(3));
            case GATEWAY -> standing.noGateway(device, says.get(0), says.get(3), says.get(2), says.get(1));
            case RELAY -> standing.notRelaying(device, says.get(0), says.get(1));
            case BUNDLE -> standing.apart(device, says.get(0), Integer.parseInt(says.get(1)), says.get(2));
        };
    }

    private static Optional<String> unanswered(Forwarding.Ping ping) {
        return ping.answered() ? Optional.empty() : Optional.of(ping.reason());
    }

    private static Optional<String> source(String address) {
        return Optional.of(address).filter(each -> !each.isEmpty());
    }

    private static FrameForwarding.AttachmentPoint here(String device, List<String> says) {
        return new FrameForwarding.AttachmentPoint(device, says.get(0), says.get(1), says.get(2));
    }

    private static FrameForwarding.AttachmentPoint there(List<String> says, int from) {
        return new FrameForwarding.AttachmentPoint(says.get(from), says.get(from + 1), says.get(from + 2), says.get(from + 3));
    }

    private static Set<String> listed(String text) {
        return text.isEmpty() ? Set.of() : Set.of(text.split(","));
    }

    private static boolean said(String text) {
        return !text.matches("|false|off");
    }

    private static int bytes(String text) {
        return text.isEmpty() ? Forwarding.SMALLEST : Integer.parseInt(text);
    }
}
