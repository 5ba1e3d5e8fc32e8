package rilvan.core.tree;

import java.util.regex.Pattern;

/**
 * What a device holds that the family's schema does not know, or a value that it does not allow: kept in the tree as the text it is, never written to the device, and in nobody's way.
 * A secret in it cannot be told by the schema either: what follows a word for one is not kept.
 */
public final class Unread {

    /** No name of a schema has brackets. */
    private static final String NAME = "(unread)";
    private static final Pattern SECRET = Pattern.compile("(?i)((?:^|[^a-z])(?:password|passphrase|secret|community|key|token)s?)((?:[ \\t]+\\S+)+)");
    private static final Pattern ELEMENT = Pattern.compile("(?i)(<(?:[\\w.-]+:)?[\\w.-]*(?:password|passphrase|secret|community|key|token)[\\w.-]*(?: [^>]*)?>)[^<]+(</)");
    private static final String MASK = " (secret)";

    private Unread() {}

    /** A node with a text in it; the same text may stand there several times. */
    public static Node in(Node node, String text) {
        String kept = ELEMENT.matcher(SECRET.matcher(text).replaceAll("$1" + MASK)).replaceAll("$1(secret)$2");
        Step step = Step.of(NAME, kept);
        for (int time = 2; node.child(step).isPresent(); time++) {
            step = Step.of(NAME, kept, Integer.toString(time));
        }
        return node.withChild(step, Node.ENTRY);
    }

    public static boolean is(Step step) {
        return step.name().equals(NAME);
    }

    /** The text, some lines where it is several. */
    public static String text(Step step) {
        return step.keys().get(0);
    }
}
