package rilvan.core.dialect;

import java.util.List;
import rilvan.core.tree.Difference;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/** Between a family's native text and configuration trees. From here on all families are the same to the core. */
public sealed interface Codec permits XmlCodec, LineCodec {

    /** Characters of native text that are read at most. */
    int LONGEST = 64_000_000;

    /**
     * Reads what a device holds: what the family's schema does not know, or a value it does not allow, is kept as the text it is (see {@link rilvan.core.tree.Unread}).
     *
     * @throws MalformedConfiguration where the text as a whole cannot be read
     */
    Node decode(String text);

    /**
     * Reads what is to be configured, strictly: what the family's schema does not know, or a value it does not allow, is refused.
     *
     * @throws MalformedConfiguration naming what is at fault
     */
    Node decodeExact(String text);

    /**
     * Reads several texts strictly, each by itself, at the price of few.
     *
     * @throws MalformedConfiguration where one of them cannot be read, without telling which
     */
    default List<Node> decodeAllExact(List<String> texts) {
        return texts.stream().map(this::decodeExact).toList();
    }

    /** The configuration as the device itself would show it; {@code decode(encode(tree))} is the tree. */
    String encode(Node tree);

    /**
     * A difference as people read it: the changed lines and those they stand in.
     */
    List<NativeLine> lines(Node before, Node after);

    /** What to send to the device so that the difference comes about, in the family's own syntax. */
    String edit(Difference difference);

    /** What selects just the given nodes when the device is read; empty where a device is always read whole. */
    String filter(Iterable<Path> paths);

    /** What selects all that the family's schema knows, and nothing of what a device may hold besides. */
    String everything();

    /**
     * The difference as the device must be told it. Where a change takes other things away by itself, those belong to it.
     *
     * @param before the whole configuration the difference starts from
     */
    Difference widen(Difference difference, Node before);

    /** What the schema forbids in the nodes that a difference makes, as sentences; empty where nothing is wrong. */
    List<String> faults(Difference difference, Node before, Node after);
}
