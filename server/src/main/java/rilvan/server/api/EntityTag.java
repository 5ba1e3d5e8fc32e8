package rilvan.server.api;

import java.util.HashSet;
import java.util.Optional;
import java.util.Set;
import java.util.function.LongPredicate;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import rilvan.core.document.ValidationFailure;

/** Entity tags (RFC 9110 §8.8.3), and what requests say with them of what must still be so (§13.1). */
final class EntityTag {

    private static final Pattern TAG = Pattern.compile("\\s*(W/)?\"([\\x21\\x23-\\x7e\\x80-\\xff]*)\"\\s*(?:,|$)");
    private static final String ANY = "*";

    private EntityTag() {}

    static String of(long version) {
        return of(Long.toString(version));
    }

    static String of(String tag) {
        return "\"" + tag + "\"";
    }

    /**
     * The tags of a header, of which a strong one must be that of the thing; absent where there is no header, and where it says that any will do.
     *
     * @throws ValidationFailure where the header has another form
     */
    static Optional<Set<String>> listed(String header, Optional<String> value) {
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

    /**
     * Which version a thing may have for a request to be carried out, by the headers {@code If-Match} and {@code If-None-Match}; 0 is the version of what is not there.
     *
     * @throws ValidationFailure where a header has another form
     */
    static LongPredicate condition(Optional<String> match, Optional<String> noneMatch) {
        Optional<Set<String>> any = listed("If-Match", match);
        Optional<Set<String>> none = listed("If-None-Match", noneMatch);
        LongPredicate wanted = version -> match.isEmpty() || version > 0 && any.map(tags -> tags.contains(Long.toString(version))).orElse(true);
        return wanted.and(version -> noneMatch.isEmpty() || version == 0 || none.map(tags -> !tags.contains(Long.toString(version))).orElse(false));
    }
}
