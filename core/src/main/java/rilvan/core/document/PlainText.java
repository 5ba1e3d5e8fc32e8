package rilvan.core.document;

import java.util.Locale;
import java.util.Optional;
import java.util.regex.Pattern;

/**
 * Text for people, as it may stand in documents, on devices and on terminals. A device that makes another value of a text than was sent
 * never holds what an order asks for; a character that nobody sees lets one text pass for another, and some move a terminal's cursor. So
 * such characters are refused where people write, and replaced in what devices say.
 */
public final class PlainText {

    private static final int LONGEST_REASON = 1_000;
    private static final int LONGEST_LINE = 240;
    private static final Pattern NAME = Pattern.compile("[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?");
    private static final char REPLACEMENT = '\ufffd';

    private PlainText() {}

    /** What is wrong with a text of one line, and what would do; absent where nothing is. */
    public static Optional<String> faultOfLine(String text) {
        if (text.length() > LONGEST_LINE) {
            return Optional.of("has " + text.length() + " characters; a line has at most " + LONGEST_LINE);
        }
        Optional<String> character = text.codePoints().filter(each -> !isVisible(each)).mapToObj(PlainText::named).findFirst();
        if (character.isPresent()) {
            return Optional.of("contains the character " + character.get() + ", which is not for text; leave it out");
        }
        return !text.equals(text.strip()) ? Optional.of("begins or ends with a blank; leave it out")
                : text.contains("  ") ? Optional.of("has two blanks side by side; write one")
                : Optional.empty();
    }

    /** What is wrong with a text of several lines; absent where nothing is. */
    public static Optional<String> faultOfText(String text) {
        return text.codePoints().filter(each -> !isVisible(each) && each != '\n' && each != '\t').mapToObj(PlainText::named).findFirst()
                .map(character -> "contains the character " + character + ", which is not for text; leave it out");
    }

    /** What is wrong with a reason that somebody gives; absent where nothing is. */
    public static Optional<String> faultOfReason(String reason) {
        return faultOfText(reason).or(() -> reason.length() > LONGEST_REASON ? Optional.of("has " + reason.length() + " characters; a reason has at most " + LONGEST_REASON) : Optional.empty());
    }

    /** Whether a text is a name: small letters, digits and hyphens between them, 63 at most. */
    public static boolean isName(String text) {
        return NAME.matcher(text).matches();
    }

    /**
     * What somebody else said, fit to be stored and shown: line ends become blanks, characters that are not for text are replaced, and
     * of a long text only the beginning is kept.
     *
     * @param longest characters at most
     */
    public static String cleaned(String text, int longest) {
        StringBuilder cleaned = new StringBuilder();
        text.codePoints().limit(longest).forEach(each -> cleaned.appendCodePoint(each == '\n' || each == '\r' || each == '\t' ? ' '
                : isVisible(each) ? each : REPLACEMENT));
        return cleaned + (text.codePointCount(0, text.length()) > longest ? "… (" + text.length() + " characters)" : "");
    }

    private static boolean isVisible(int character) {
        return switch (Character.getType(character)) {
            case Character.CONTROL, Character.FORMAT, Character.LINE_SEPARATOR, Character.PARAGRAPH_SEPARATOR, Character.SURROGATE,
                    Character.PRIVATE_USE, Character.UNASSIGNED -> false;
            case Character.SPACE_SEPARATOR -> character == ' ';
            default -> true;
        };
    }

    private static String named(int character) {
        return String.format("U+%04X", character) + Optional.ofNullable(Character.getName(character)).map(name -> " (" + name.toLowerCase(Locale.ROOT) + ")").orElse("");
    }
}
