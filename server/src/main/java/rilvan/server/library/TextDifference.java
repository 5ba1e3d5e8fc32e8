package rilvan.server.library;

import com.github.difflib.DiffUtils;
import com.github.difflib.UnifiedDiffUtils;
import java.util.List;

/** How two texts differ, for people. */
public final class TextDifference {

    private static final int AROUND = 3;

    private TextDifference() {}

    /** The unified difference of a file (POSIX {@code diff -u}), line by line. */
    static List<String> between(String file, String from, String to) {
        return between(file, from, file, to);
    }

    /**
     * The same of two texts with names of their own.
     *
     * @return nothing where they are equal
     */
    public static List<String> between(String nameFrom, String from, String nameTo, String to) {
        List<String> lines = from.lines().toList();
        return UnifiedDiffUtils.generateUnifiedDiff(nameFrom, nameTo, lines, DiffUtils.diff(lines, to.lines().toList()), AROUND);
    }
}
