package rilvan.core.transaction;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import rilvan.core.dialect.Codec;
import rilvan.core.document.Secret;
import rilvan.core.network.DeviceKind;
import rilvan.core.tree.Change;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * One device's part in a transaction.
 *
 * @param kind how the change of the device can be undone
 * @param codec between the device's text and trees
 * @param difference what the transaction changes on it
 * @param confirmSeconds how long the device waits for the confirmation of its commit
 * @param testsEdits whether the device checks a candidate within the edit; otherwise it is asked to by a request of its own
 * @param notPending what the device's message says where no confirmed commit waits; absent where it answers with invalid-value (RFC 6241 §8.4)
 */
public record DeviceChange(String device, DeviceKind kind, Codec codec, Difference difference, int confirmSeconds, boolean testsEdits, Optional<Pattern> notPending) {

    /** What a reading of the touched nodes says. */
    public sealed interface Comparison {
        /** Every touched node says what it said before. */
        record Before() implements Comparison {}

        /** Every touched node says what it should afterwards. */
        record After() implements Comparison {}

        /** Some touched nodes say before, the others after: our own change, part-way. */
        record PartWay() implements Comparison {}

        /** A touched node says neither: somebody else's. */
        record Foreign(Path at) implements Comparison {}
    }

    /** The filter that selects the touched nodes. */
    public String filter() {
        return codec.filter(difference.paths());
    }

    /** The edit that brings the change about. */
    public String edit() {
        return codec.edit(difference);
    }

    /** Judges what was read. */
    public Comparison judge(Node now) {
        boolean allBefore = true;
        boolean allAfter = true;
        for (Change change : difference.changes()) {
            Node found = now.at(change.at()).orElse(Node.EMPTY);
            boolean before = found.equals(change.before());
            boolean after = found.equals(change.after());
            allBefore &= before;
            allAfter &= after;
            Optional<Path> foreign = before || after ? Optional.empty() : foreign(found, change);
            if (foreign.isPresent()) {
                return new Comparison.Foreign(foreign.get());
            }
        }
        return allBefore ? new Comparison.Before() : allAfter ? new Comparison.After() : new Comparison.PartWay();
    }

    /** The first node found that is neither one of those before nor one of those after: our own change cannot have made it so. */
    private static Optional<Path> foreign(Node found, Change change) {
        return found.presentNodes().entrySet().stream()
                .filter(entry -> !has(change.before(), entry.getKey(), entry.getValue()) && !has(change.after(), entry.getKey(), entry.getValue()))
                .map(entry -> change.at().append(entry.getKey())).findFirst();
    }

    /** Whether every node of another difference is one that this change sets or takes away. */
    boolean sets(Difference other) {
        return other.changes().stream().allMatch(each -> Stream.of(each.before(), each.after()).flatMap(side -> side.presentNodes().keySet().stream())
                .map(path -> each.at().append(path)).allMatch(this::sets));
    }

    private boolean sets(Path path) {
        return difference.changes().stream().filter(own -> own.at().covers(path)).anyMatch(own -> Stream.of(own.before(), own.after()).anyMatch(side ->
                side.at(new Path(path.steps().subList(own.at().steps().size(), path.steps().size()))).filter(Node::present).isPresent()));
    }

    private static boolean has(Node side, Path path, Node node) {
        return side.at(path).filter(same -> same.bare().equals(node.bare())).isPresent();
    }

    /** The first node that a device does not hold as it should after the change, in words; empty where it holds all. */
    public String unlike(Node now) {
        return towards(true, now).changes().stream().findFirst().map(change -> unlike(change.at(), change.before().presentNodes(), change.after().presentNodes())).orElse("");
    }

    private static String unlike(Path at, Map<Path, Node> found, Map<Path, Node> wanted) {
        Optional<Map.Entry<Path, Node>> other = wanted.entrySet().stream().filter(each -> !found.containsKey(each.getKey()) || !found.get(each.getKey()).value().equals(each.getValue().value())).findFirst();
        if (other.isEmpty()) {
            return found.keySet().stream().filter(path -> !wanted.containsKey(path)).findFirst().map(path -> at.append(path) + " is still there").orElse("entries at " + at + " are in another sequence");
        }
        Path path = at.append(other.get().getKey());
        String value = other.get().getValue().value();
        return Secret.masked(Optional.ofNullable(found.get(other.get().getKey())).map(node -> path + " is '" + node.value() + "' instead of '" + value + "'")
                .orElse(path + " is missing" + (value.isEmpty() ? "" : ", with the value '" + value + "'")));
    }

    /** What has to change from what was read to the given side: before, to undo; after, to apply again. */
    public Difference towards(boolean after, Node now) {
        List<Change> changes = new ArrayList<>();
        for (Change change : difference.changes()) {
            Node found = now.at(change.at()).orElse(Node.EMPTY);
            Node wanted = after ? change.after() : change.before();
            if (!found.equals(wanted)) {
                changes.add(new Change(change.at(), found, wanted));
            }
        }
        return new Difference(changes);
    }
}
