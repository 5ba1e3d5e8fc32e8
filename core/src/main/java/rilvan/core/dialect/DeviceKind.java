package rilvan.core.dialect;

import java.util.Arrays;
import java.util.List;
import java.util.Set;

/** How far a device of a family lets a change be taken back, the strongest first. */
public enum DeviceKind {

    /** Commits for a while and goes back by itself where nobody confirms (RFC 6241 §8.4). */
    REVOCABLE("candidate:1.0", "confirmed-commit:1.1"),

    /** Changes what is running, a request as a whole or not at all (RFC 6241 §8.2, §8.5), and saves when told to. */
    RUNNING_ONLY("writable-running:1.0", "rollback-on-error:1.0", "startup:1.0"),

    /** Takes one line after the other and knows neither locks nor transactions. */
    COMMAND_LINE;

    private final List<String> needs;

    DeviceKind(String... capabilities) {
        needs = Arrays.stream(capabilities).map("urn:ietf:params:netconf:capability:"::concat).toList();
    }

    /** What a device must say it can do to be handled so (RFC 6241 §8), as far as it does not. */
    public List<String> missingIn(Set<String> capabilities) {
        return needs.stream().filter(need -> !capabilities.contains(need)).toList();
    }
}
