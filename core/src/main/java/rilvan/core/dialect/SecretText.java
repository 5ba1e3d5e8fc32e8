package rilvan.core.dialect;

import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.function.UnaryOperator;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import rilvan.core.schema.SchemaNode;
import rilvan.core.schema.StatementTable.Statement;
import rilvan.core.schema.StatementTable.Word;

/**
 * Where a family's native text contains secrets, and what a device shows of them.
 *
 * @param form what a device shows
 * @param places finds a secret in native text, as the group {@code secret}
 * @param anywhere finds a secret also in what goes over the wire around native text, such as a line that removes one
 * @param xml whether the text is XML, in which characters are escaped
 */
public record SecretText(Form form, Pattern places, Pattern anywhere, boolean xml) {

    private static final String SECRET = "secret";

    /** What a device shows of a secret that it was given. */
    public enum Form {
        /** The secret itself. */
        CLEAR,
        /** A salted hash (crypt-hash, RFC 7317 §4), another one on each device; the device takes a hash in place of the secret, too. */
        CRYPT_HASH
    }

    /** A name in the dialect's list of secrets that the family's schema does not have, or has in a form that cannot be found in text. */
    static final class UnknownLeaf extends RuntimeException {
        UnknownLeaf(String message) {
            super(message);
        }
    }

    static SecretText ofLeaves(Form form, List<String> names, Collection<SchemaNode> roots) {
        for (String name : names) {
            if (!hasLeaf(name, roots)) {
                throw new UnknownLeaf("the schema has no leaf " + name);
            }
        }
        Pattern places = Pattern.compile("<((?:[\\w.-]+:)?(?:" + String.join("|", names.stream().map(Pattern::quote).toList()) + "))(?:\\s[^<>]*)?>(?<secret>[^<]+)</\\1\\s*>");
        return new SecretText(form, places, places, true);
    }

    private static boolean hasLeaf(String name, Collection<SchemaNode> nodes) {
        return nodes.stream().anyMatch(node -> node.isLeaf() && node.name().equals(name) || hasLeaf(name, node.children().values()));
    }

    /** A command line has one kind of statement that contains a secret: words and gaps, and the secret as the rest of the line. */
    static SecretText ofStatement(Form form, List<String> names, Map<String, Statement> roots) {
        List<Statement> named = new ArrayList<>();
        names.forEach(name -> collect(name, roots, named));
        if (names.size() != 1 || named.isEmpty()) {
            throw new UnknownLeaf("expected the name of one statement of the table");
        }
        List<Word> words = named.get(0).words();
        Word secret = words.get(words.size() - 1);
        if (!secret.rest()) {
            throw new UnknownLeaf("the statement " + names.get(0) + " needs a last gap for the rest of the line, which is the secret");
        }
        String line = words.stream().map(word -> word.literal().map(Pattern::quote).orElse(word.rest() ? "(?<secret>.+?)" : "\\S+")).collect(Collectors.joining(" ")) + "[ \\t\\r]*$";
        return new SecretText(form, Pattern.compile("(?m)^[ \\t]*" + line), Pattern.compile("(?m)\\b" + line), false);
    }

    private static void collect(String name, Map<String, Statement> level, List<Statement> named) {
        level.values().forEach(each -> {
            if (each.name().equals(name)) {
                named.add(each);
            }
            collect(name, each.children(), named);
        });
    }

    /** Native text in which each secret is another one. */
    public String replaced(String text, UnaryOperator<String> bySecret) {
        return replaced(places, text, bySecret);
    }

    /** What goes over the wire, in which each secret is another text. */
    public String replacedAnywhere(String text, UnaryOperator<String> bySecret) {
        return replaced(anywhere, text, bySecret);
    }

    private String replaced(Pattern where, String text, UnaryOperator<String> bySecret) {
        Matcher found = where.matcher(text);
        StringBuilder replaced = new StringBuilder();
        int at = 0;
        while (found.find()) {
            replaced.append(text, at, found.start(SECRET)).append(written(bySecret.apply(read(found.group(SECRET)))));
            at = found.end(SECRET);
        }
        return at == 0 ? text : replaced.append(text, at, text.length()).toString();
    }

    private String read(String written) {
        return xml ? written.replace("&lt;", "<").replace("&gt;", ">").replace("&quot;", "\"").replace("&apos;", "'").replace("&amp;", "&") : written;
    }

    /** A secret as it is written in native text. */
    public String written(String secret) {
        return xml ? secret.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;") : secret;
    }
}
