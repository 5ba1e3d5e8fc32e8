package rilvan.core.schema;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import java.util.function.Function;
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

    /** Whether an entry is one of these. */
    public boolean has(Path path) {
        return lists.stream().anyMatch(list -> list.steps().size() == path.steps().size()
                && IntStream.range(0, list.steps().size()).allMatch(i -> list.steps().get(i).name().equals(path.steps().get(i).name())));
    }

    /**
     * What is in somebody's entries and is not theirs: of what is nested the outermost.
     *
     * @param holders who has an entry whole; nothing where nobody does
     * @param known whether a node is somebody's
     */
    public <T> SortedMap<Path, T> additions(Node holds, Function<Path, Optional<T>> holders, Predicate<Path> known) {
        SortedMap<Path, T> additions = new TreeMap<>();
        for (Path list : lists) {
            eachEntry(list, 0, Path.ROOT, holds, (path, entry) -> holders.apply(path).ifPresent(who -> gather(path, entry, known, who, additions)));
        }
        belonging.forEach((list, whole) -> eachEntry(list, 0, Path.ROOT, holds, (path, entry) ->
                owner(path, whole.last().name(), holders).ifPresent(who -> gather(path, entry, known, who, additions))));
        return additions;
    }

    private static <T> Optional<T> owner(Path path, String list, Function<Path, Optional<T>> holders) {
        List<String> keys = path.last().keys();
        return IntStream.rangeClosed(1, keys.size()).mapToObj(length -> holders.apply(path.parent().child(new Step(list, keys.subList(0, length))))).flatMap(Optional::stream).findFirst();
    }

    private static <T> void gather(Path path, Node node, Predicate<Path> known, T who, SortedMap<Path, T> additions) {
        if (node.present() && !known.test(path)) {
            additions.put(path, who);
            return;
        }
        node.children().forEach((step, child) -> {
            if (EntryOrder.listOf(step).isEmpty()) {
                gather(path.child(step), child, known, who, additions);
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
