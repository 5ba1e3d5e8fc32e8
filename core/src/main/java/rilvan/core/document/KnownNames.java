package rilvan.core.document;

import java.util.Collection;
import java.util.Comparator;
import java.util.Optional;
import org.apache.commons.text.similarity.LevenshteinDistance;

/** What might have been meant by a name that is not known. */
public final class KnownNames {

    private KnownNames() {}

    /** The nearest known name, where one is near: a third of the letters may be others. */
    public static Optional<String> nearest(String wrong, Collection<String> known) {
        LevenshteinDistance distance = new LevenshteinDistance(Math.max(2, wrong.length() / 3));
        return known.stream().filter(name -> distance.apply(wrong, name) >= 0).min(Comparator.comparing(name -> distance.apply(wrong, name)));
    }

    /** What there is instead, in words: the nearest known name, where one is near, and all that are known. */
    public static String instead(String wrong, Collection<String> known) {
        return nearest(wrong, known).map(name -> "the nearest is " + name + "; ").orElse("") + "available: " + String.join(", ", known);
    }
}
