package rilvan.lab.lines;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Optional;
import rilvan.lab.device.SharedSecret;

/** The lines a family of devices takes, read from its {@code lab.grammar}. */
public record Grammar(List<Form> forms) {

    /** A gap for a secret, which the device shows as a salted hash (RFC 7317 §4); a hash is taken in its place, too. */
    static final String SECRET = "<secret>";

    /** How often a line stands in its block. */
    enum RuleKind {
        ONE, MANY, BLOCK
    }

    /**
     * One form of line.
     *
     * @param words literals, and gaps in angle brackets
     * @param by how many of its first gaps tell one line from another; all of them where it is 0
     * @param byDefault the line's value that is not shown; empty where there is none
     * @param clears the first word of lines of the same block that go when this one's value changes
     * @param needs the first word of a block that must be there under the value of the first gap
     * @param below what may stand in a block
     */
    record Form(RuleKind kind, List<String> words, int by, String byDefault, String clears, String needs, boolean ignored, List<Form> below) {

        /** The values of the gaps of a line of this form; absent where the line has another one. */
        Optional<List<String>> match(String line) {
            List<String> values = new ArrayList<>();
            String left = line;
            for (String word : words) {
                if (left.isEmpty()) {
                    return Optional.empty();
                }
                int blank = word.equals("<rest>") || word.equals(SECRET) ? -1 : left.indexOf(' ');
                String token = blank < 0 ? left : left.substring(0, blank);
                left = blank < 0 ? "" : left.substring(blank + 1);
                if (!word.startsWith("<")) {
                    if (!word.equals(token)) {
                        return Optional.empty();
                    }
                } else {
                    values.add(token);
                }
            }
            return left.isEmpty() ? Optional.of(values) : Optional.empty();
        }

        /** What is wrong with the values of the gaps; absent where nothing is. */
        Optional<String> fault(List<String> values) {
            int gap = 0;
            for (String word : words) {
                if (word.startsWith("<") && !Values.fits(word, values.get(gap++))) {
                    return Optional.of("'" + values.get(gap - 1) + "' is no " + word);
                }
            }
            return Optional.empty();
        }

        /** What tells this line from others of its block. */
        String key(List<String> values) {
            return kind == RuleKind.ONE ? words.get(0) : words.get(0) + " " + String.join(" ", by == 0 ? values : values.subList(0, by));
        }

        /** The line as a device shows it: a secret at its end as a hash. */
        String shown(String line, String device) {
            if (!words.contains(SECRET)) {
                return line;
            }
            List<String> values = match(line).orElseThrow();
            String secret = values.get(values.size() - 1);
            return line.substring(0, line.length() - secret.length()) + SharedSecret.shown(device, secret);
        }

        String usage() {
            return String.join(" ", words);
        }
    }

    /** Reads a grammar; two blanks of indentation a level. */
    public static Grammar parse(String text) {
        List<Form> roots = new ArrayList<>();
        Deque<Form> above = new ArrayDeque<>();
        for (String line : text.split("\n")) {
            if (line.isBlank() || line.startsWith("#")) {
                continue;
            }
            int depth = (line.length() - line.stripLeading().length()) / 2;
            while (above.size() > depth) {
                above.pop();
            }
            Form form = form(line.strip().split(" +"));
            (above.isEmpty() ? roots : above.peek().below()).add(form);
            above.push(form);
        }
        return new Grammar(roots);
    }

    private static Form form(String[] tokens) {
        List<String> words = new ArrayList<>();
        int by = 0;
        String byDefault = "";
        String clears = "";
        String needs = "";
        boolean ignored = false;
        for (int i = 1; i < tokens.length; i++) {
            switch (tokens[i]) {
                case "by" -> by = Integer.parseInt(tokens[++i]);
                case "default" -> byDefault = tokens[++i];
                case "clears" -> clears = tokens[++i];
                case "needs" -> needs = tokens[++i];
                case "ignored" -> ignored = true;
                default -> words.add(tokens[i]);
            }
        }
        return new Form(RuleKind.valueOf(tokens[0].toUpperCase(java.util.Locale.ROOT)), words, by, byDefault, clears, needs, ignored, new ArrayList<>());
    }
}
