package rilvan.core.schema;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashSet;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.document.KnownNames;
import rilvan.core.schema.SchemaTable.MalformedTable;
import rilvan.core.tree.Step;

/**
 * The statements of a family that is configured by command lines, read from its table.
 *
 * <p>A table is text, one statement a line; indentation (two spaces a level) says in which block. A line is a name, a kind
 * and a form in quotes, then attributes; the first line may say what removes a line:
 * <pre>
 * removal drop
 * interface block "interface {name}"
 *   vrf single "vrf {name}" drops=address
 *   address multi "address {address:interface}"
 *   mtu single "mtu {bytes:576..9216}" default=1500
 * route multi "route {prefix*:prefix} via {next-hop:address}"
 * </pre>
 * A {@code single} statement stands at most once; a {@code multi} one once for each key; a {@code block} holds statements of
 * its own. Gaps of a block are its keys, those of a multi statement the ones marked {@code *} or, where none is, all. A gap
 * is a word; {@code :rest} takes all that is left of the line, {@code :1..4094} a whole number, {@code :a|b} one of these,
 * {@code :address}, {@code :prefix} and {@code :interface} (an address with its network's length) what they say. A form
 * without gaps stands or does not.
 *
 * <p>{@code default=} is a value that the device does not show; {@code drops=a,b} names statements of the same block that
 * the device drops when this one changes; {@code refers=a,b} names outermost blocks of which the first gaps name an entry, so that an
 * entry is made before it is named and removed after; {@code outlives=a} of an outermost block such a one that is made before, and removed before as well; {@code removed-by="…"} is what removes the line where that is not the line behind
 * the removal word, which is {@code no} where the table says nothing else; {@code inert} marks a line that the device takes
 * without effect; {@code ends="…"} is the word that leaves a block where that is not {@code exit}.
 *
 * <p>Before the statements, {@code comment MARK} names how lines begin that say nothing, and {@code skip LINE} a line that says nothing, such as a heading of what the
 * device shows.
 *
 * @param removal the word before a line that removes it
 * @param silence what of a device's lines says nothing
 */
public record StatementTable(String removal, Silence silence, Map<String, Statement> roots) {

    /** The word that leaves a block where its statement says nothing else. */
    public static final String EXIT = "exit";

    /**
     * Lines that say nothing.
     *
     * @param marks how comments begin
     * @param lines whole lines, those that leave blocks among them
     */
    public record Silence(List<String> marks, Set<String> lines) {
        public boolean has(String line) {
            return line.isEmpty() || lines.contains(line) || marks.stream().anyMatch(line::startsWith);
        }
    }

    private static final Pattern LINE = Pattern.compile("(\\S+) (single|multi|block) \"([^\"]*)\"(.*)");
    private static final Pattern ATTRIBUTE = Pattern.compile("\\s+([a-z-]+)(?:=(?:\"([^\"]*)\"|(\\S+)))?");
    private static final Pattern GAP = Pattern.compile("\\{([a-z-]+)(\\*?)(?::([^}]+))?}");

    /** How often a statement stands. */
    public enum StatementKind {
        SINGLE, MULTI, BLOCK
    }

    /**
     * A part of a form: a literal word, or a gap.
     *
     * @param literal the word itself; absent for a gap
     * @param type what a gap takes
     * @param key whether the gap tells one statement from another
     * @param rest whether it takes all that is left of the line
     */
    public record Word(Optional<String> literal, ValueType type, boolean key, boolean rest) {
        static Word literal(String word) {
            return new Word(Optional.of(word), new ValueType.Nothing(), false, false);
        }
    }

    /**
     * One statement of the table.
     *
     * @param removedBy the form of the line that removes it
     * @param ends the word that leaves it, of a block
     */
    public record Statement(String name, StatementKind kind, List<Word> words, Optional<String> byDefault, List<String> drops, List<String> refers, Optional<String> outlives,
            List<Word> removedBy, boolean inert, String ends, Map<String, Statement> children) {

        /** The outermost blocks that a line names entries of, by its first gaps. */
        public List<String> named() {
            return Stream.concat(refers.stream(), outlives.stream()).toList();
        }

        /** What a line says: its keys and the values of its other gaps, joined by blanks. */
        public record Line(Step step, String value) {}

        /**
         * What a line says by this statement's form; absent where it has another form.
         *
         * @throws ValueType.InvalidValue where the form fits but a value does not
         */
        public Optional<Line> read(String line) {
            List<String> keys = new ArrayList<>();
            List<String> values = new ArrayList<>();
            String left = line;
            for (Word word : words) {
                if (left.isEmpty()) {
                    return Optional.empty();
                }
                int blank = word.rest() ? -1 : left.indexOf(' ');
                String token = blank < 0 ? left : left.substring(0, blank);
                left = blank < 0 ? "" : left.substring(blank + 1);
                if (word.literal().isPresent()) {
                    if (!word.literal().get().equals(token)) {
                        return Optional.empty();
                    }
                } else {
                    (word.key() ? keys : values).add(word.type().canonical(token));
                }
            }
            return left.isEmpty() ? Optional.of(new Line(new Step(name, keys), String.join(" ", values))) : Optional.empty();
        }

        /** What stands in the gaps of a line, in their order. */
        public List<String> gaps(Step step, String value) {
            return gaps(words, step, value);
        }

        private static List<String> gaps(List<Word> form, Step step, String value) {
            List<String> gaps = new ArrayList<>();
            int key = 0;
            String left = value;
            for (Word word : form) {
                if (word.literal().isEmpty()) {
                    int blank = word.key() || word.rest() ? -1 : left.indexOf(' ');
                    gaps.add(word.key() ? step.keys().get(key++) : blank < 0 ? left : left.substring(0, blank));
                    left = word.key() ? left : blank < 0 ? "" : left.substring(blank + 1);
                }
            }
            return gaps;
        }

        /** The line for these keys and this value. */
        public String write(Step step, String value) {
            return fill(words, step, value);
        }

        /** The line that removes it. */
        public String remove(Step step, String value) {
            return fill(removedBy, step, value);
        }

        private static String fill(List<Word> form, Step step, String value) {
            Iterator<String> gaps = gaps(form, step, value).iterator();
            return form.stream().map(word -> word.literal().orElseGet(gaps::next)).collect(Collectors.joining(" "));
        }
    }

    /**
     * Reads a table.
     *
     * @throws MalformedTable naming the line
     */
    public static StatementTable parse(String text) {
        Map<String, Statement> roots = new LinkedHashMap<>();
        Deque<Statement> above = new ArrayDeque<>();
        String removal = "no";
        List<String> marks = new ArrayList<>();
        Set<String> silent = new HashSet<>(Set.of(EXIT));
        for (TableLine line : TableLine.of(text)) {
            int number = line.number();
            String content = line.content();
            if (content.startsWith("removal ")) {
                if (!roots.isEmpty()) {
                    throw new MalformedTable(number, "the removal word comes before all statements");
                }
                removal = content.substring("removal ".length()).strip();
                continue;
            }
            if (roots.isEmpty() && content.startsWith("comment ")) {
                marks.add(content.substring("comment ".length()).strip());
                continue;
            }
            if (roots.isEmpty() && content.startsWith("skip ")) {
                silent.add(content.substring("skip ".length()).strip());
                continue;
            }
            Optional<Statement> parent = line.parent(above);
            parent.filter(each -> each.kind() != StatementKind.BLOCK).ifPresent(each -> {
                throw new MalformedTable(number, each.name() + " is not a block; it cannot contain statements");
            });
            Statement statement = statement(content, removal, number);
            if (parent.map(Statement::children).orElse(roots).put(statement.name(), statement) != null) {
                throw new MalformedTable(number, "a second statement named " + statement.name() + " in the same place");
            }
            above.push(statement);
            silent.add(statement.ends());
        }
        drops(roots);
        refers(roots, roots);
        return new StatementTable(removal, new Silence(List.copyOf(marks), Set.copyOf(silent)), roots);
    }

    private static void refers(Map<String, Statement> level, Map<String, Statement> roots) {
        for (Statement statement : level.values()) {
            for (String referred : statement.named()) {
                if (!roots.containsKey(referred) || roots.get(referred).kind() != StatementKind.BLOCK) {
                    throw new MalformedTable(0, statement.name() + " refers to " + referred + ", which is no outermost block");
                }
            }
            refers(statement.children(), roots);
        }
    }

    private static void drops(Map<String, Statement> level) {
        for (Statement statement : level.values()) {
            for (String dropped : statement.drops()) {
                if (!level.containsKey(dropped)) {
                    throw new MalformedTable(0, statement.name() + " drops " + dropped + ", which is not in the same block");
                }
            }
            drops(statement.children());
        }
    }

    private static Statement statement(String content, String removal, int number) {
        Matcher line = LINE.matcher(content);
        if (!line.matches()) {
            throw new MalformedTable(number, "expected: NAME single|multi|block \"FORM\" …, not: " + content);
        }
        StatementKind kind = StatementKind.valueOf(line.group(2).toUpperCase(java.util.Locale.ROOT));
        Map<String, String> attributes = new LinkedHashMap<>();
        Matcher attribute = ATTRIBUTE.matcher(line.group(4));
        int at = 0;
        while (attribute.find() && attribute.start() == at) {
            at = attribute.end();
            String value = attribute.group(2) != null ? attribute.group(2) : attribute.group(3) != null ? attribute.group(3) : "";
            if (!Set.of("default", "drops", "refers", "removed-by", "inert", "ends", "outlives").contains(attribute.group(1))) {
                throw new MalformedTable(number, "an attribute that is not known: " + attribute.group(1));
            }
            attributes.put(attribute.group(1), value);
        }
        if (at != line.group(4).length()) {
            throw new MalformedTable(number, "expected attributes, not " + line.group(4).substring(at).strip());
        }
        List<Word> words = form(line.group(3), kind, number);
        return new Statement(line.group(1), kind, words, Optional.ofNullable(attributes.get("default")),
                attributes.containsKey("drops") ? List.of(attributes.get("drops").split(",")) : List.of(),
                attributes.containsKey("refers") ? List.of(attributes.get("refers").split(",")) : List.of(), Optional.ofNullable(attributes.get("outlives")),
                attributes.containsKey("removed-by") ? removal(attributes.get("removed-by"), line.group(3), kind, number)
                        : Stream.concat(Stream.of(Word.literal(removal)), words.stream()).toList(),
                attributes.containsKey("inert"), attributes.getOrDefault("ends", EXIT), new LinkedHashMap<>());
    }

    /** Gaps of a removing form are those of the line itself, and keys where they are keys there. */
    private static List<Word> removal(String form, String line, StatementKind kind, int number) {
        Set<String> keys = new HashSet<>();
        boolean marked = line.contains("*");
        GAP.matcher(line).results().filter(gap -> kind == StatementKind.BLOCK || kind == StatementKind.MULTI && (!marked || !gap.group(2).isEmpty()))
                .forEach(gap -> keys.add(gap.group(1)));
        List<Word> words = new ArrayList<>();
        for (String token : form.split(" ")) {
            Matcher gap = GAP.matcher(token);
            words.add(gap.matches() ? new Word(Optional.empty(), type(gap.group(3), number), keys.contains(gap.group(1)), false)
                    : Word.literal(token));
        }
        return words;
    }

    private static List<Word> form(String form, StatementKind kind, int number) {
        boolean marked = form.contains("*");
        List<Word> words = new ArrayList<>();
        String[] tokens = form.split(" ");
        for (int i = 0; i < tokens.length; i++) {
            Matcher gap = GAP.matcher(tokens[i]);
            if (!gap.matches()) {
                words.add(Word.literal(tokens[i]));
                continue;
            }
            boolean rest = "rest".equals(gap.group(3));
            if (rest && i != tokens.length - 1) {
                throw new MalformedTable(number, "what takes the rest of the line must be last in it");
            }
            boolean key = kind == StatementKind.BLOCK || kind == StatementKind.MULTI && (!marked || !gap.group(2).isEmpty());
            words.add(new Word(Optional.empty(), type(gap.group(3), number), key, rest));
        }
        if (kind == StatementKind.MULTI && words.stream().noneMatch(Word::key)) {
            throw new MalformedTable(number, "a statement that may occur several times needs a gap that distinguishes them");
        }
        return words;
    }

    private static final List<String> KINDS = List.of("address", "prefix", "interface");

    private static ValueType type(String text, int number) {
        if (text == null || text.equals("rest")) {
            return new ValueType.Text(List.of(), List.of());
        }
        return switch (text) {
            case "address" -> new ValueType.Address(ValueType.Address.Form.ADDRESS);
            case "prefix" -> new ValueType.Address(ValueType.Address.Form.PREFIX);
            case "interface" -> new ValueType.Address(ValueType.Address.Form.INTERFACE);
            default -> {
                if (text.matches("\\d+\\.\\.\\d+")) {
                    yield new ValueType.Whole(SchemaTable.ranges(text));
                }
                if (text.matches("[\\w.-]+(\\|[\\w.-]+)+")) {
                    yield new ValueType.OneOf(List.of(text.split("\\|")));
                }
                throw new MalformedTable(number, "a gap of a kind that is not known: " + text + "; known are rest, " + String.join(", ", KINDS)
                        + ", a range such as 1..4094, and several words such as on|off" + KnownNames.nearest(text, KINDS).map(near -> "; the nearest is " + near).orElse(""));
            }
        };
    }
}
