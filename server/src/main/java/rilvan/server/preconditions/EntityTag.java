package rilvan.server.preconditions;

import java.util.HashSet;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import rilvan.core.document.ValidationFailure;

/** Entity tags, as headers have them. */
public final class EntityTag {

    private static final Pattern TAG = Pattern.compile("\\s*(W/)?\"([\\x21\\x23-\\x7e\\x80-\\xff]*)\"\\s*(?:,|$)");
    private static final String ANY = "*";

    private EntityTag() {}

    public static String of(long version) {
        return of(Long.toString(version));
    }

    public static String of(String tag) {
        return "\"" + tag + "\"";
    }

    /**
     * The tags of a header, of which a strong one must be that of the thing; absent where there is no header, and where it says that any will do.
     *
     * @throws ValidationFailure where the header has another form
     */
    public static Optional<Set<String>> listed(String header, Optional<String> value) {
        return value.map(String::strip).filter(text -> !text.equals(ANY)).map(text -> {
            Set<String> tags = new HashSet<>();
            Matcher tag = TAG.matcher(text);
            int from = 0;
            while (from < text.length() && tag.find(from) && tag.start() == from) {
                // A weak one never matches (§8.8.3.2).
                if (tag.group(1) == null) {
                    tags.add(tag.group(2));
                }
                from = tag.end();
            }
            if (from < text.length() || text.isEmpty()) {
                throw new ValidationFailure("", "the header " + header + " has " + text + "; it must be *, or the entity tags that GETs have answered, such as \"3\"");
            }
            return tags;
        });
    }
}
