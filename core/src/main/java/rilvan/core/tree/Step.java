package rilvan.core.tree;

import java.util.List;

/**
 * One step down a configuration tree.
 *
 * @param name the local name of the schema node; sibling names are unique within a family's schema
 * @param keys for a list entry its key values in the order of the list's {@code key} statement, for a leaf-list entry its
 *     one value, otherwise empty
 */
public record Step(String name, List<String> keys) implements Comparable<Step> {

    public Step {
        if (name.isEmpty()) {
            throw new IllegalArgumentException("a step needs a name");
        }
        keys = List.copyOf(keys);
    }

    public static Step of(String name, String... keys) {
        return new Step(name, List.of(keys));
    }

    /** By name, then key by key: the order in which children of a node are kept. */
    @Override
    public int compareTo(Step other) {
        if (this == other) {
            return 0;
        }
        // Names mostly are the very same object, the schema's.
        int byName = name == other.name ? 0 : name.compareTo(other.name);
        if (byName != 0) {
            return byName;
        }
        int shared = Math.min(keys.size(), other.keys.size());
        for (int i = 0; i < shared; i++) {
            int byKey = keys.get(i).compareTo(other.keys.get(i));
            if (byKey != 0) {
                return byKey;
            }
        }
        return Integer.compare(keys.size(), other.keys.size());
    }

    @Override
    public String toString() {
        if (keys.isEmpty()) {
            return name;
        }
        StringBuilder text = new StringBuilder(name).append('[');
        for (int i = 0; i < keys.size(); i++) {
            if (i > 0) {
                text.append(',');
            }
            String key = keys.get(i);
            for (int c = 0; c < key.length(); c++) {
                char character = key.charAt(c);
                if (character == '\\' || character == ',' || character == ']') {
                    text.append('\\');
                }
                text.append(character);
            }
        }
        return text.append(']').toString();
    }
}
