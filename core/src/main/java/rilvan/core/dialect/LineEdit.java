package rilvan.core.dialect;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.PriorityQueue;
import java.util.Set;
import java.util.TreeMap;
import rilvan.core.schema.StatementTable;
import rilvan.core.schema.StatementTable.Statement;
import rilvan.core.schema.StatementTable.StatementKind;
import rilvan.core.tree.Node;
import rilvan.core.tree.Step;

/**
 * The lines that lead from one configuration to another, in a sequence in which a device takes each of them: it refuses to name what is
 * not there, and to remove what is still named. Used once.
 */
final class LineEdit {

    private final StatementTable table;
    private final List<Operation> removals = new ArrayList<>();
    private final List<Operation> additions = new ArrayList<>();

    LineEdit(StatementTable table) {
        this.table = table;
    }

    /** The line that enters a block, and the word that leaves it. */
    private record Header(String line, String ends) {}

    /**
     * Lines that are sent together.
     *
     * @param headers the blocks that they stand in
     */
    private record Operation(List<Header> headers, List<String> lines, Set<String> makes, Set<String> names, Set<String> removes, Set<String> releases,
            Set<String> outlives, List<Operation> after) {

        Operation(List<Header> headers, List<String> lines) {
            this(headers, lines, new LinkedHashSet<>(), new LinkedHashSet<>(), new LinkedHashSet<>(), new LinkedHashSet<>(), new LinkedHashSet<>(), new ArrayList<>());
        }
    }

    String write(Node before, Node after) {
        remove(before, after, table.roots(), List.of());
        add(before, after, table.roots(), List.of());
        List<Operation> all = new ArrayList<>(removals);
        all.addAll(additions);
        return String.join("\n", lines(sequence(all)));
    }

    private void remove(Node before, Node after, Map<String, Statement> level, List<Header> headers) {
        List<Statement> lastFirst = new ArrayList<>(level.values());
        java.util.Collections.reverse(lastFirst);
        for (Statement statement : lastFirst) {
            for (Step step : LineCodec.steps(statement, before, after)) {
                Node was = before.child(step).orElse(Node.EMPTY);
                Node is = after.child(step).orElse(Node.EMPTY);
                if (was.isEmpty() || was.equals(is)) {
                    continue;
                }
                boolean replaced = statement.kind() == StatementKind.MULTI && !is.isEmpty() && !is.value().equals(was.value());
                if (is.isEmpty() || replaced) {
                    Operation operation = new Operation(headers, List.of(statement.remove(step, was.value())));
                    named(statement, step, was, operation.releases());
                    statement.outlives().flatMap(block -> entry(block, statement.gaps(step, was.value()))).ifPresent(outlived -> {
                        operation.releases().remove(outlived);
                        operation.outlives().add(outlived);
                    });
                    if (headers.isEmpty() && statement.kind() == StatementKind.BLOCK) {
                        operation.removes().add(statement.name() + step.keys());
                    }
                    removals.add(operation);
                } else if (statement.kind() == StatementKind.BLOCK) {
                    remove(was, is, statement.children(), inside(headers, statement, step));
                }
            }
        }
    }

    private void add(Node before, Node after, Map<String, Statement> level, List<Header> headers) {
        Map<String, Operation> dropped = new TreeMap<>();
        for (Statement statement : level.values()) {
            for (Step step : LineCodec.steps(statement, before, after)) {
                Node was = before.child(step).orElse(Node.EMPTY);
                Node is = after.child(step).orElse(Node.EMPTY);
                if (was.equals(is) && !dropped.containsKey(statement.name())) {
                    continue;
                }
                if (!is.isEmpty() && statement.kind() == StatementKind.BLOCK && !was.isEmpty()) {
                    add(was, is, statement.children(), inside(headers, statement, step));
                    continue;
                }
                Operation operation = null;
                if (!is.isEmpty()) {
                    List<String> lines = new ArrayList<>();
                    whole(statement, step, is, "", lines);
                    operation = new Operation(headers, lines);
                    named(statement, step, is, operation.names());
                    named(statement, step, was, operation.releases());
                    operation.releases().removeAll(operation.names());
                    if (headers.isEmpty() && statement.kind() == StatementKind.BLOCK) {
                        operation.makes().add(statement.name() + step.keys());
                    }
                    if (dropped.containsKey(statement.name())) {
                        operation.after().add(dropped.get(statement.name()));
                    }
                    additions.add(operation);
                }
                if (!was.equals(is)) {
                    // Where the statement goes, it went with the removals, which come first.
                    Operation dropper = operation == null ? new Operation(headers, List.of()) : operation;
                    statement.drops().forEach(name -> dropped.put(name, dropper));
                }
            }
        }
    }

    private static List<Header> inside(List<Header> headers, Statement statement, Step step) {
        List<Header> inside = new ArrayList<>(headers);
        inside.add(new Header(statement.write(step, ""), statement.ends()));
        return inside;
    }

    /** A statement with all that stands in it. */
    private static void whole(Statement statement, Step step, Node node, String indent, List<String> lines) {
        lines.add(indent + statement.write(step, node.value()));
        if (statement.kind() == StatementKind.BLOCK) {
            for (Statement child : statement.children().values()) {
                for (Step below : LineCodec.steps(child, Node.EMPTY, node)) {
                    whole(child, below, node.child(below).orElseThrow(), indent + " ", lines);
                }
            }
            lines.add(indent + " " + statement.ends());
        }
    }

    /** The entries that a statement and all that stands in it name. */
    private void named(Statement statement, Step step, Node node, Set<String> names) {
        if (node.isEmpty()) {
            return;
        }
        List<String> gaps = statement.gaps(step, node.value());
        statement.named().forEach(block -> entry(block, gaps).ifPresent(names::add));
        for (Statement child : statement.children().values()) {
            LineCodec.steps(child, Node.EMPTY, node).forEach(below -> named(child, below, node.child(below).orElseThrow(), names));
        }
    }

    /** The entry of an outermost block that the first of some gaps name. */
    private Optional<String> entry(String block, List<String> gaps) {
        int keys = (int) table.roots().get(block).words().stream().filter(StatementTable.Word::key).count();
        return gaps.size() < keys ? Optional.empty() : Optional.of(block + gaps.subList(0, keys));
    }

    /** The earliest operation first that waits for none; where they wait for each other in a ring, the earliest of all. */
    private static List<Operation> sequence(List<Operation> all) {
        Map<String, List<Integer>> naming = new HashMap<>();
        Map<String, Integer> removing = new HashMap<>();
        Map<Operation, Integer> places = new java.util.IdentityHashMap<>();
        for (int i = 0; i < all.size(); i++) {
            int place = i;
            places.put(all.get(i), i);
            all.get(i).names().forEach(name -> naming.computeIfAbsent(name, each -> new ArrayList<>()).add(place));
            all.get(i).removes().forEach(name -> removing.put(name, place));
        }
        List<Set<Integer>> next = new ArrayList<>();
        int[] waiting = new int[all.size()];
        all.forEach(each -> next.add(new LinkedHashSet<>()));
        for (int i = 0; i < all.size(); i++) {
            for (String name : all.get(i).makes()) {
                for (int user : naming.getOrDefault(name, List.of())) {
                    follow(next, waiting, i, user);
                }
            }
            for (String name : all.get(i).releases()) {
                if (removing.containsKey(name)) {
                    follow(next, waiting, i, removing.get(name));
                }
            }
            for (String name : all.get(i).outlives()) {
                if (removing.containsKey(name)) {
                    follow(next, waiting, removing.get(name), i);
                }
            }
            for (Operation before : all.get(i).after()) {
                if (places.containsKey(before)) {
                    follow(next, waiting, places.get(before), i);
                }
            }
        }
        PriorityQueue<Integer> free = new PriorityQueue<>();
        Set<Integer> left = new LinkedHashSet<>();
        for (int i = 0; i < all.size(); i++) {
            left.add(i);
            if (waiting[i] == 0) {
                free.add(i);
            }
        }
        List<Operation> sequence = new ArrayList<>();
        while (!left.isEmpty()) {
            int first = free.isEmpty() ? left.iterator().next() : free.poll();
            if (!left.remove(first)) {
                continue;
            }
            sequence.add(all.get(first));
            for (int each : next.get(first)) {
                if (--waiting[each] == 0) {
                    free.add(each);
                }
            }
        }
        return sequence;
    }

    private static void follow(List<Set<Integer>> next, int[] waiting, int first, int second) {
        if (first != second && next.get(first).add(second)) {
            waiting[second]++;
        }
    }

    /** The lines of operations; those in the same block that follow each other are sent in one go. */
    private static List<String> lines(List<Operation> operations) {
        List<String> lines = new ArrayList<>();
        List<Header> open = new ArrayList<>();
        for (Operation operation : operations) {
            int same = 0;
            while (same < Math.min(open.size(), operation.headers().size()) && open.get(same).equals(operation.headers().get(same))) {
                same++;
            }
            leave(open, same, lines);
            for (Header header : operation.headers().subList(same, operation.headers().size())) {
                lines.add(" ".repeat(open.size()) + header.line());
                open.add(header);
            }
            operation.lines().forEach(line -> lines.add(" ".repeat(open.size()) + line));
        }
        leave(open, 0, lines);
        return lines;
    }

    private static void leave(List<Header> open, int to, List<String> lines) {
        while (open.size() > to) {
            String ends = open.get(open.size() - 1).ends();
            lines.add(" ".repeat(open.size()) + ends);
            open.remove(open.size() - 1);
        }
    }
}
