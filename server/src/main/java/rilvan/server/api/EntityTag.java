package rilvan.server.api;

import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import rilvan.core.document.ValidationFailure;

/** Entity tags (RFC 9110 §8.8.3) of things that count their changes. */
final class EntityTag {

    private static final Pattern VERSION = Pattern.compile("\"(\\d{1,18})\"");

    private EntityTag() {}

    static String of(long version) {
        return "\"" + version + "\"";
    }

    /**
     * The version that a thing must still have, by the headers {@code If-Match} and {@code If-None-Match}; 0 where there must be none, absent where any will do.
     *
     * @throws ValidationFailure where a header has none that was ever given
     */
    static Optional<Long> version(Optional<String> match, Optional<String> noneMatch) {
        if (noneMatch.isPresent()) {
            if (!noneMatch.get().strip().equals("*")) {
                throw new ValidationFailure("", "the header If-None-Match has " + noneMatch.get() + "; it can only be *, for what must not be there yet");
            }
            return Optional.of(0L);
        }
        return match.map(String::strip).filter(tag -> !tag.equals("*")).map(tag -> {
            Matcher version = VERSION.matcher(tag);
            if (!version.matches()) {
                throw new ValidationFailure("", "the header If-Match has " + tag + "; it must be the entity tag that a GET has answered, such as \"3\"");
            }
            return Long.valueOf(version.group(1));
        });
    }
}
