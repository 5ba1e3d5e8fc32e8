package rilvan.core.dialect;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import rilvan.core.dialect.NativeLine.Sign;
import rilvan.core.schema.StatementTable;
import rilvan.core.schema.StatementTable.Statement;
import rilvan.core.schema.StatementTable.StatementKind;
import rilvan.core.schema.ValueType;
import rilvan.core.tree.Change;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;
import rilvan.core.tree.Unread;

/**
 * Between indented command lines and configuration trees, by the family's statement table. A statement is a node: its keys
 * are those of its step, what else it says is its value, and the statements of a block stand below it.
 */
public record LineCodec(StatementTable table) implements Codec {

    private static final Pattern UNSEEN = Pattern.compile("[\\p{Cntrl}&&[^\\t\\r]]");
    private static final Pattern BLANKS = Pattern.compile(" +");

    private static final int DEEPEST = 20;

    /**
     * An open block while text is read.
     *
     * @param unread the text of a block that the table does not know; absent where it knows it
     */
    private record Frame(int indent, Path path, Map<String, Statement> level, Optional<StringBuilder> unread) {}

    @Override
    public Node decode(String text) {
        return decode(text, false);
    }

    @Override
    public Node decodeExact(String text) {
        return decode(text, true);
    }

    private Node decode(String text, boolean exact) {
        if (text.length() > LONGEST) {
            throw new MalformedConfiguration("more than " + LONGEST + " characters of configuration");
        }
        Node tree = Node.EMPTY;
        List<Frame> open = new ArrayList<>();
        open.add(new Frame(-1, Path.ROOT, table.roots(), Optional.empty()));
        int number = 0;
        for (String line : text.split("\n")) {
            number++;
            if (UNSEEN.matcher(line).find()) {
                throw new MalformedConfiguration("line " + number + " contains a control character");
            }
            String content = line.strip();
            if (table.silence().has(content)) {
                continue;
            }
            int indent = line.length() - line.stripLeading().length();
            while (open.get(open.size() - 1).indent() >= indent) {
                tree = close(open, tree);
            }
            Frame frame = open.get(open.size() - 1);
            if (frame.unread().isPresent()) {
                frame.unread().get().append('\n').append(" ".repeat(indent - frame.indent())).append(content);
                continue;
            }
            if (open.size() > DEEPEST) {
                throw new MalformedConfiguration("line " + number + ": blocks are nested more than " + DEEPEST + " levels deep");
            }
            Optional<Read> known = read(content, frame, number, exact);
            if (known.isEmpty()) {
                open.add(new Frame(indent, frame.path(), Map.of(), Optional.of(new StringBuilder(content))));
                continue;
            }
            Read read = known.get();
            Path there = frame.path().child(read.said().step());
            // What stands below a line that is no block is of the block that the line is in.
            open.add(read.statement().kind() == StatementKind.BLOCK ? new Frame(indent, there, read.statement().children(), Optional.empty())
                    : new Frame(indent, frame.path(), Map.of(), Optional.empty()));
            if (read.statement().byDefault().filter(read.said().value()::equals).isEmpty()) {
                Node children = tree.at(there).orElse(Node.EMPTY);
                tree = tree.with(there, new Node(true, read.said().value(), children.children()));
            }
        }
        while (open.size() > 1) {
            tree = close(open, tree);
        }
        return tree;
    }

    /** Leaves the innermost block; one that the table does not know becomes a node of its own. */
    private static Node close(List<Frame> open, Node tree) {
        Frame left = open.remove(open.size() - 1);
        return left.unread().map(text -> tree.with(left.path(), Unread.in(tree.at(left.path()).orElse(Node.EMPTY), text.toString()))).orElse(tree);
    }

    /** A line as a statement reads it. */
    private record Read(Statement statement, Statement.Line said) {}

    /** @return nothing where no statement reads it, and that is not asked for */
    private Optional<Read> read(String content, Frame frame, int number, boolean exact) {
        String line = BLANKS.matcher(content).replaceAll(" ");
        // A line may have the form of several statements; where none takes its values, the first is what was meant.
        Optional<ValueType.InvalidValue> wrong = Optional.empty();
        for (Statement statement : frame.level().values()) {
            try {
                Optional<Statement.Line> said = statement.read(line);
                if (said.isPresent()) {
                    if (statement.inert() && exact) {
                        throw new MalformedConfiguration(where(content, frame, number) + ": devices of this family take that line without effect");
                    }
                    return Optional.of(new Read(statement, said.get()));
                }
            } catch (ValueType.InvalidValue e) {
                wrong = wrong.or(() -> Optional.of(e));
            }
        }
        if (exact && wrong.isPresent()) {
            throw MalformedConfiguration.of(where(content, frame, number) + ": " + wrong.get().getMessage(), wrong.get());
        }
        if (exact) {
            throw new MalformedConfiguration(where(content, frame, number) + (line.startsWith(table.removal() + " ")
                    ? ": write only what must be present; Rilvan works out removals" : ": there is no such statement here"));
        }
        return Optional.empty();
    }

    private static String where(String content, Frame frame, int number) {
        return "line " + number + ", '" + content + "'" + (frame.path().isRoot() ? "" : " in " + frame.path());
    }

    @Override
    public String encode(Node tree) {
        StringBuilder text = new StringBuilder();
        lines(Node.EMPTY, tree).forEach(line -> text.append(line.text()).append('\n'));
        return text.toString();
    }

    @Override
    public List<NativeLine> lines(Node before, Node after) {
        List<NativeLine> lines = new ArrayList<>();
        compare(before, after, table.roots(), Path.ROOT, "", lines);
        return lines;
    }

    private static void compare(Node before, Node after, Map<String, Statement> level, Path here, String indent, List<NativeLine> lines) {
        for (Statement statement : level.values()) {
            for (Step step : steps(statement, before, after)) {
                Node was = before.child(step).orElse(Node.EMPTY);
                Node is = after.child(step).orElse(Node.EMPTY);
                if (was.equals(is)) {
                    continue;
                }
                Path there = here.child(step);
                String at = there.toString();
                if (statement.kind() == StatementKind.BLOCK) {
                    Sign sign = was.isEmpty() ? Sign.COMES : is.isEmpty() ? Sign.GOES : Sign.AROUND;
                    lines.add(new NativeLine(sign, indent + statement.write(step, ""), at));
                    compare(was, is, statement.children(), there, indent + " ", lines);
                    continue;
                }
                if (!was.isEmpty()) {
                    lines.add(new NativeLine(Sign.GOES, indent + statement.write(step, was.value()), at));
                }
                if (!is.isEmpty()) {
                    lines.add(new NativeLine(Sign.COMES, indent + statement.write(step, is.value()), at));
                }
            }
        }
        unread(before, after, Sign.GOES, here, indent, lines);
        unread(after, before, Sign.COMES, here, indent, lines);
    }

    /** The texts that the table does not know and that only one of two blocks has. */
    private static void unread(Node one, Node other, Sign sign, Path here, String indent, List<NativeLine> lines) {
        one.children().keySet().stream().filter(step -> Unread.is(step) && other.child(step).isEmpty()).forEach(step ->
                Unread.text(step).lines().forEach(line -> lines.add(new NativeLine(sign, indent + line, here.child(step).toString()))));
    }

    static Collection<Step> steps(Statement statement, Node before, Node after) {
        TreeSet<Step> steps = new TreeSet<>();
        before.children().keySet().stream().filter(step -> step.name().equals(statement.name())).forEach(steps::add);
        after.children().keySet().stream().filter(step -> step.name().equals(statement.name())).forEach(steps::add);
        return steps;
    }

    /**
     * The lines to send in configuration mode, blocks entered by their line and left by {@code exit}. Removals come first, last line of the
     * table first, then additions in the table's order; except that an entry is made before it is named, and removed after what named
     * it has gone or names another one.
     */
    @Override
    public String edit(Difference difference) {
        Node before = Node.EMPTY;
        Node after = Node.EMPTY;
        for (Change change : difference.changes()) {
            before = before.with(change.at(), change.before());
            after = after.with(change.at(), change.after());
            // What a change stands in is on both sides, so that it is entered and neither made nor removed.
            for (Path above = change.at(); !above.isRoot() && !above.parent().isRoot();) {
                above = above.parent();
                before = present(before, above);
                after = present(after, above);
            }
        }
        return new LineEdit(table).write(before, after);
    }

    private static Node present(Node tree, Path at) {
        Node node = tree.at(at).orElse(Node.EMPTY);
        return node.present() ? tree : tree.with(at, new Node(true, node.value(), node.children()));
    }

    @Override
    public String everything() {
        return "";
    }

    @Override
    public String filter(Iterable<Path> paths) {
        return "";
    }

    /** Where a statement changes that makes the device drop others of its block, the whole block changes. */
    @Override
    public Difference widen(Difference difference, Node before) {
        Node after = difference.applyTo(before);
        Map<Path, Change> changes = new LinkedHashMap<>();
        Set<Path> wide = new HashSet<>();
        for (Change change : difference.changes()) {
            Path block = change.at().parent();
            boolean drops = !block.isRoot() && statement(change.at()).drops().stream().anyMatch(dropped ->
                    after.at(block).orElse(Node.EMPTY).children().keySet().stream().anyMatch(step -> step.name().equals(dropped)));
            if (drops) {
                wide.add(block);
            }
        }
        for (Change change : difference.changes()) {
            Optional<Path> block = wide.stream().filter(each -> each.covers(change.at())).findFirst();
            if (block.isPresent()) {
                changes.put(block.get(), new Change(block.get(), before.at(block.get()).orElse(Node.EMPTY),
                        after.at(block.get()).orElse(Node.EMPTY)));
            } else {
                changes.put(change.at(), change);
            }
        }
        return new Difference(changes.values().stream().sorted(java.util.Comparator.comparing(Change::at)).toList());
    }

    private Statement statement(Path path) {
        Map<String, Statement> level = table.roots();
        Statement statement = null;
        for (Step step : path.steps()) {
            statement = level.get(step.name());
            level = statement.children();
        }
        return statement;
    }

    @Override
    public List<String> faults(Difference difference, Node before, Node after) {
        return List.of();
    }
}
