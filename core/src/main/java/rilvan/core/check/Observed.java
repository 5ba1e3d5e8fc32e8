package rilvan.core.check;

import java.util.Map;

/**
 * What was seen when a check was made.
 *
 * @param check what was looked for
 * @param observer the device it was looked from
 * @param target what was looked for, in words
 * @param proves how far it proves: to the handoff, or end to end
 * @param holds whether it was so
 * @param seen what was seen, in words
 * @param tells what else the observer told, by name
 */
public record Observed(Check check, String observer, String target, Proof proves, boolean holds, String seen, Map<String, String> tells) {

    /** How far an observation proves that a service works. */
    public enum Proof {
        TO_THE_HANDOFF, END_TO_END
    }
}
