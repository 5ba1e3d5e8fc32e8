package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.function.Function;
import java.util.regex.Pattern;

/** What people see: colours where there is a terminal (or RILVAN_COLOR=always), tables in columns. */
final class Terminal {

    private static PrintStream out = new PrintStream(new java.io.FileOutputStream(java.io.FileDescriptor.out), true, StandardCharsets.UTF_8);
    private static final PrintStream ERR = new PrintStream(new java.io.FileOutputStream(java.io.FileDescriptor.err), true, StandardCharsets.UTF_8);
    static final boolean THERE = System.console() != null;
    private static final boolean COLOURED = "always".equals(System.getenv("RILVAN_COLOR"))
            || THERE && System.getenv("NO_COLOR") == null;

    private Terminal() {}

    /** Control and format characters but line ends, tabs, and the colours that are made below. */
    private static final Pattern UNSEEN = Pattern.compile("(?!\\u001b\\[(?:32|31|2|1|0)m)[\\p{Cc}\\p{Cf}\\p{Zl}\\p{Zp}&&[^\\n\\r\\t]]");

    /** What a colour says. */
    enum Tone {
        GOOD("32"), BAD("31"), QUIET("2"), STRONG("1");

        private final String code;

        Tone(String code) {
            this.code = code;
        }
    }

    static String in(Tone tone, String text) {
        return COLOURED ? "\u001b[" + tone.code + "m" + text + "\u001b[0m" : text;
    }

    static void say(String line) {
        out.println(harmless(line));
    }

    /** Where what is said goes, for what is copied there byte by byte. */
    static PrintStream out() {
        return out;
    }

    /** Lets what is said go elsewhere from now on; says where it went. */
    static PrintStream into(PrintStream other) {
        PrintStream before = out;
        out = other;
        return before;
    }

    /** Asks a question that is answered by y or by anything else. */
    static boolean confirmed(String question) {
        if (System.console() == null) {
            throw new Failure(Failure.REFUSED, "there is no terminal to ask on; give --yes to go on without asking");
        }
        String answer = System.console().readLine("%s [y/N] ", question);
        return answer != null && answer.strip().equalsIgnoreCase("y");
    }

    static void complain(String message) {
        ERR.println("rilvan: " + harmless(message));
    }

    /** Writes a text as it is; to a terminal, without what is not for one. */
    static void copy(String text) {
        out.print(COLOURED ? harmless(text) : text);
    }

    /** Without what would move the cursor or hide text: what devices say reaches this terminal. Our own colours stay. */
    static String harmless(String text) {
        return UNSEEN.matcher(text).replaceAll("\ufffd");
    }

    /** Prints one row an item, in columns as wide as their widest cell, under a heading that names the columns. */
    static void table(List<String> heading, JsonArray items, Function<JsonObject, List<String>> row) {
        List<List<String>> rows = new ArrayList<>(List.of(heading));
        items.forEach(item -> rows.add(row.apply((JsonObject) item)));
        table(rows);
    }

    private static void table(List<List<String>> rows) {
        List<Integer> widths = new ArrayList<>();
        for (List<String> row : rows) {
            for (int i = 0; i < row.size(); i++) {
                if (widths.size() == i) {
                    widths.add(0);
                }
                widths.set(i, Math.max(widths.get(i), row.get(i).length()));
            }
        }
        boolean first = true;
        for (List<String> row : rows) {
            StringBuilder line = new StringBuilder();
            for (int i = 0; i < row.size(); i++) {
                line.append(row.get(i)).append(" ".repeat(i == row.size() - 1 ? 0 : widths.get(i) - row.get(i).length() + 2));
            }
            say(first ? in(Tone.QUIET, line.toString()) : line.toString());
            first = false;
        }
    }
}
