package rilvan.core.model;

import java.util.AbstractMap;
import java.util.AbstractSet;
import java.util.HashMap;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.IntStream;

/**
 * The values of a group of fields by name; not to be changed. Thousands of groups of one kind share their names, and what is
 * left of each is an array: a tenth of the memory of as many maps, and expressions find their way in it without leaving the cache.
 */
final class Values extends AbstractMap<String, Object> {

    /** What the fields of a kind of group are called, each with its place. */
    record Names(List<String> inOrder, Map<String, Integer> places) {

        Names(List<String> inOrder) {
            this(List.copyOf(inOrder), new HashMap<>());
            IntStream.range(0, inOrder.size()).forEach(place -> places.put(inOrder.get(place), place));
        }
    }

    private final Names names;
    private final Object[] values;

    /** Takes over the array: a value for each name, in their order. */
    Values(Names names, Object[] values) {
        this.names = names;
        this.values = values;
    }

    @Override
    public Object get(Object name) {
        Integer place = names.places().get(name);
        return place == null ? null : values[place];
    }

    @Override
    public boolean containsKey(Object name) {
        return names.places().containsKey(name);
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
                return IntStream.range(0, values.length).<Entry<String, Object>>mapToObj(place ->
                        new SimpleImmutableEntry<>(names.inOrder().get(place), values[place])).iterator();
            }

            @Override
            public int size() {
                return values.length;
            }
        };
    }
}
