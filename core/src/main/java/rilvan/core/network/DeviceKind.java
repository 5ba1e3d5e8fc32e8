package rilvan.core.network;

import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/** How the change of a device can be rolled back, the strongest first. */
public enum DeviceKind {

    /** Confirmed commit: rolls back by itself where nobody confirms (RFC 6241 §8.4). */
    CONFIRMED_COMMIT("candidate:1.0", "confirmed-commit:1.1"),

    /** Prepares in a candidate and commits it as a whole, for good (RFC 6241 §8.3). */
    CANDIDATE("candidate:1.0"),

    /** Changes what is running, a request as a whole or not at all (RFC 6241 §8.2, §8.5), and saves when told to. */
    RUNNING_ONLY("writable-running:1.0", "rollback-on-error:1.0", "startup:1.0"),

    /** Takes one line after the other and knows neither locks nor transactions. */
    COMMAND_LINE;

    /** Devices of one kind without confirmed commit that change at the same time, once the first one has. */
    public static final int CHANGED_AT_ONCE = 8;

    private final List<String> needs;

    DeviceKind(String... capabilities) {
        needs = Arrays.stream(capabilities).map("urn:ietf:params:netconf:capability:"::concat).toList();
    }

    /** Whether changes are prepared in a candidate, apart from what is running. */
    public boolean hasCandidate() {
        return this == CONFIRMED_COMMIT || this == CANDIDATE;
    }

    /** What a device must say it can do to be handled so (RFC 6241 §8), as far as it does not. */
    public List<String> missingIn(Set<String> capabilities) {
        return needs.stream().filter(need -> !capabilities.contains(need)).toList();
    }

    /**
     * How a device is handled that says it can do this: as its family is, or more weakly where it cannot do what that needs.
     *
     * @return nothing where it can do too little to be handled at all
     */
    public Optional<DeviceKind> asFarAs(Set<String> capabilities) {
        return this == COMMAND_LINE ? Optional.of(this) : Arrays.stream(values()).filter(kind -> kind != COMMAND_LINE && compareTo(kind) <= 0)
                .filter(kind -> kind.missingIn(capabilities).isEmpty()).findFirst();
    }
}
