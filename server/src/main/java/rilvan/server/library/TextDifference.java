package rilvan.server.library;

import com.github.difflib.DiffUtils;
import com.github.difflib.UnifiedDiffUtils;
import java.util.List;

/** How two texts differ, for people. */
final class TextDifference {

    private static final int AROUND = 3;

    private TextDifference() {}

    /** The unified difference of a file (POSIX {@code diff -u}), line by line. */
    static List<String> between(String file, String from, String to) {
        List<String> lines = from.lines().toList();
        return UnifiedDiffUtils.generateUnifiedDiff(file, file, lines, DiffUtils.diff(lines, to.lines().toList()), AROUND);
    }
}
