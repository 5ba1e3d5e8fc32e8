package rilvan.core.schema;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import java.util.function.Predicate;
import java.util.stream.IntStream;
import rilvan.core.tree.EntryOrder;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;

/**
 * Which entries of a family's configuration belong to one service whole, with all that is in them.
 *
 * @param lists their paths, without keys
 * @param belonging paths, without keys, of entries that stand beside a whole one and belong to it by their first keys, each with the path of that one
 */
public record WholeEntries(List<Path> lists, Map<Path, Path> belonging) {

    public static final WholeEntries NONE = new WholeEntries(List.of(), Map.of());

    public WholeEntries {
        lists = List.copyOf(lists);
        belonging = Map.copyOf(belonging);
    }

    /** Whether an entry is a whole one. */
    public boolean has(Path path) {
        return lists.stream().anyMatch(list -> isOf(list, path));
    }

    /** Whether an entry is a whole one, or belongs to one. */
    public boolean covers(Path path) {
        return has(path) || belonging.keySet().stream().anyMatch(list -> isOf(list, path));
    }

    private static boolean isOf(Path list, Path path) {
        return list.steps().size() == path.steps().size() && IntStream.range(0, list.steps().size()).allMatch(i -> list.steps().get(i).name().equals(path.steps().get(i).name()));
    }

    /**
     * What is in whole entries and is not known: of what is nested the outermost, each with the whole entry.
     *
     * @param looked which whole entries are looked at
     */
    public SortedMap<Path, Path> additions(Node holds, Predicate<Path> looked, Predicate<Path> known) {
        SortedMap<Path, Path> additions = new TreeMap<>();
        for (Path list : lists) {
            eachEntry(list, 0, Path.ROOT, holds, (path, entry) -> {
                if (looked.test(path)) {
                    gather(path, entry, known, path, additions);
                }
            });
        }
        belonging.forEach((list, whole) -> eachEntry(list, 0, Path.ROOT, holds, (path, entry) ->
                wholeOf(path, whole.last().name(), looked).ifPresent(of -> gather(path, entry, known, of, additions))));
        return additions;
    }

    private static Optional<Path> wholeOf(Path path, String list, Predicate<Path> looked) {
        List<String> keys = path.last().keys();
        return IntStream.rangeClosed(1, keys.size()).mapToObj(length -> path.parent().child(new Step(list, keys.subList(0, length)))).filter(looked).findFirst();
    }

    private static void gather(Path path, Node node, Predicate<Path> known, Path whole, SortedMap<Path, Path> additions) {
        if (node.present() && !known.test(path)) {
            additions.put(path, whole);
            return;
        }
        node.children().forEach((step, child) -> {
            if (EntryOrder.listOf(step).isEmpty()) {
                gather(path.child(step), child, known, whole, additions);
            }
        });
    }

    private static void eachEntry(Path list, int depth, Path here, Node node, BiConsumer<Path, Node> visit) {
        if (depth == list.steps().size()) {
            visit.accept(here, node);
            return;
        }
        String name = list.steps().get(depth).name();
        node.children().forEach((step, child) -> {
            if (step.name().equals(name)) {
                eachEntry(list, depth + 1, here.child(step), child, visit);
            }
        });
    }
}
