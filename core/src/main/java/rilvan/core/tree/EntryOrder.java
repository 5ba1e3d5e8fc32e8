package rilvan.core.tree;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * The order of the entries of a list that is ordered by the user (RFC 7950 §7.7.7). A tree keeps it as a leaf beside the
 * entries, named after the list with {@code #order}, so that a changed order is a difference like any other.
 *
 * <p>Written {@code [10][15][20]}. What a clause says about an order is where its entries go: {@code [15]} at the end,
 * {@code first[15]}, {@code before[20][15]}, {@code after[10][15]}.
 */
public record EntryOrder(List<PlacedEntry> entries) {

    private static final String SUFFIX = "#order";

    public EntryOrder {
        entries = List.copyOf(entries);
    }

    /** Where an entry goes when it comes new. */
    public enum Insertion {
        LAST, FIRST, BEFORE, AFTER
    }

    /**
     * An entry and where it goes.
     *
     * @param anchor keys of the entry it goes before or after
     */
    public record PlacedEntry(List<String> keys, Insertion place, Optional<List<String>> anchor) {
        public static PlacedEntry last(List<String> keys) {
            return new PlacedEntry(keys, Insertion.LAST, Optional.empty());
        }
    }

    /** The step of the leaf that keeps the order of a list. */
    public static Step step(String list) {
        return Step.of(list + SUFFIX);
    }

    /** The list whose order a step keeps; absent where it is another step. */
    public static Optional<String> listOf(Step step) {
        return step.name().endsWith(SUFFIX)
                ? Optional.of(step.name().substring(0, step.name().length() - SUFFIX.length())) : Optional.empty();
    }

    /** The order that a node keeps of one of its lists; empty where it keeps none. */
    public static EntryOrder in(Node parent, String list) {
        return parent.child(step(list)).map(leaf -> parse(leaf.value())).orElse(new EntryOrder(List.of()));
    }

    public List<List<String>> keys() {
        return entries.stream().map(PlacedEntry::keys).toList();
    }

    /**
     * This order with an entry put in its place; unchanged where it has the entry already.
     *
     * @return absent where the neighbour it names is not there
     */
    public Optional<EntryOrder> with(PlacedEntry entry) {
        List<List<String>> keys = new ArrayList<>(keys());
        if (keys.contains(entry.keys())) {
            return Optional.of(this);
        }
        int anchor = entry.anchor().map(keys::indexOf).orElse(0);
        if (anchor < 0) {
            return Optional.empty();
        }
        keys.add(switch (entry.place()) {
            case LAST -> keys.size();
            case FIRST -> 0;
            case BEFORE -> anchor;
            case AFTER -> anchor + 1;
        }, entry.keys());
        return Optional.of(of(keys));
    }

    public EntryOrder without(List<String> keys) {
        return new EntryOrder(entries.stream().filter(entry -> !entry.keys().equals(keys)).toList());
    }

    public static EntryOrder of(List<List<String>> keys) {
        return new EntryOrder(keys.stream().map(PlacedEntry::last).toList());
    }

    /**
     * Reads what {@link #toString()} writes.
     *
     * @throws IllegalArgumentException where the text is no order
     */
    public static EntryOrder parse(String text) {
        List<PlacedEntry> entries = new ArrayList<>();
        int at = 0;
        while (at < text.length()) {
            int bracket = text.indexOf('[', at);
            if (bracket < 0) {
                throw new IllegalArgumentException("no order: " + text);
            }
            Insertion place = bracket == at ? Insertion.LAST : Insertion.valueOf(text.substring(at, bracket).toUpperCase(java.util.Locale.ROOT));
            Optional<List<String>> anchor = Optional.empty();
            at = bracket;
            if (place == Insertion.BEFORE || place == Insertion.AFTER) {
                int end = closing(text, at);
                anchor = Optional.of(keys(text, at, end));
                at = end;
            }
            int end = closing(text, at);
            entries.add(new PlacedEntry(keys(text, at, end), place, anchor));
            at = end;
        }
        return new EntryOrder(entries);
    }

    private static int closing(String text, int from) {
        int at = from + 1;
        while (at < text.length() && text.charAt(at) != ']') {
            at += text.charAt(at) == '\\' ? 2 : 1;
        }
        return at + 1;
    }

    private static List<String> keys(String text, int from, int to) {
        return Path.parse("/e" + text.substring(from, to)).last().keys();
    }

    @Override
    public String toString() {
        StringBuilder text = new StringBuilder();
        for (PlacedEntry entry : entries) {
            if (entry.place() != Insertion.LAST) {
                text.append(entry.place().name().toLowerCase(java.util.Locale.ROOT));
            }
            entry.anchor().ifPresent(anchor -> text.append(new Step("e", anchor).toString().substring(1)));
            text.append(new Step("e", entry.keys()).toString().substring(1));
        }
        return text.toString();
    }
}
