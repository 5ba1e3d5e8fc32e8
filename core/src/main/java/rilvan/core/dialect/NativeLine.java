package rilvan.core.dialect;

import rilvan.core.document.Secret;

/**
 * One line of native text as a preview shows it.
 *
 * @param sign what happens to the line
 * @param text the line with its indentation, in the family's own syntax
 * @param at path of the node that the line stands for
 */
public record NativeLine(Sign sign, String text, String at) {

    /** The line with every secret in it out of sight. */
    public NativeLine masked() {
        return new NativeLine(sign, Secret.masked(text), at);
    }

    /** What happens to a line: it is around a change, is added, or is removed. */
    public enum Sign {
        AROUND, COMES, GOES
    }
}
