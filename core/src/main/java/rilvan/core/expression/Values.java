package rilvan.core.expression;

import java.util.AbstractMap;
import java.util.AbstractSet;
import java.util.HashMap;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.NoSuchElementException;
import java.util.Set;
import java.util.stream.IntStream;

/**
 * The values of a group of fields by name; not to be changed. Thousands of groups of one kind share their layout, and what is
 * left of each is an array: a tenth of the memory of as many maps, and expressions find their way in it without leaving the cache.
 */
public final class Values extends AbstractMap<String, Object> {

    /** What the fields of a kind of group are called, in order. */
    public static final class Layout {

        private final List<String> inOrder;
        private final Map<String, Integer> places = new HashMap<>();

        public Layout(List<String> inOrder) {
            this.inOrder = List.copyOf(inOrder);
            IntStream.range(0, inOrder.size()).forEach(place -> places.put(inOrder.get(place), place));
        }

        public List<String> inOrder() {
            return inOrder;
        }

        /** The place of a field among its group's; -1 where there is no such field. */
        public int place(String name) {
            return places.getOrDefault(name, -1);
        }
    }

    /**
     * Reads one field of one group after another. Those that one expression meets are nearly always of one kind: the place
     * is looked up when the kind is another than that of the group before.
     */
    static final class Reader {

        private record Found(Layout layout, int place) {}

        private final String field;
        private Found last;

        Reader(String field) {
            this.field = field;
        }

        /** The field's value; null where there is none. */
        Object read(Values group) {
            // Read once: another thread may put another there, and either is right for its own kind.
            Found found = last;
            if (found == null || found.layout != group.layout) {
                found = new Found(group.layout, group.layout.place(field));
                last = found;
            }
            return found.place < 0 ? null : group.values[found.place];
        }
    }

    private final Layout layout;
    private final Object[] values;

    /** Takes over the array: a value for each field of the layout. */
    public Values(Layout layout, Object[] values) {
        this.layout = layout;
        this.values = values;
    }

    /** The value in a place of the group's layout. */
    public Object at(int place) {
        return values[place];
    }

    @Override
    public Object get(Object name) {
        int place = name instanceof String text ? layout.place(text) : -1;
        return place < 0 ? null : values[place];
    }

    @Override
    public boolean containsKey(Object name) {
        return name instanceof String text && layout.place(text) >= 0;
    }

    @Override
    public int size() {
        return values.length;
    }

    @Override
    public Set<Entry<String, Object>> entrySet() {
        return new AbstractSet<>() {
            @Override
            public Iterator<Entry<String, Object>> iterator() {
                return new InOrder();
            }

            @Override
            public int size() {
                return values.length;
            }
        };
    }

    /** Field by field. */
    private final class InOrder implements Iterator<Entry<String, Object>> {

        private int next;

        @Override
        public boolean hasNext() {
            return next < values.length;
        }

        @Override
        public Entry<String, Object> next() {
            if (!hasNext()) {
                throw new NoSuchElementException();
            }
            return new SimpleImmutableEntry<>(layout.inOrder.get(next), values[next++]);
        }
    }
}
