package rilvan.core.tree;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;

/**
 * Where a node stands, from the root down. Written {@code /ports/port[access-1]/circuit[110]}: keys stand in
 * brackets in the order of the list's key statement; a backslash escapes {@code ,} {@code ]} and itself.
 */
public final class Path implements Comparable<Path> {

    public static final Path ROOT = new Path(List.of());

    private final List<Step> steps;
    private final int hash;

    public Path(List<Step> steps) {
        this.steps = List.copyOf(steps);
        this.hash = this.steps.hashCode();
    }

    private Path(Step[] steps, int hash) {
        this.steps = Collections.unmodifiableList(Arrays.asList(steps));
        this.hash = hash;
    }

    /** The steps, from the root down. */
    public List<Step> steps() {
        return steps;
    }

    public static Path of(Step... steps) {
        return new Path(List.of(steps));
    }

    public Path child(Step step) {
        // Walks over whole trees come by here for every node: the steps are copied once, and the hash goes on from this one's.
        Step[] longer = steps.toArray(new Step[steps.size() + 1]);
        longer[steps.size()] = step;
        return new Path(longer, 31 * hash + step.hashCode());
    }

    /** This path and then another, from here down. */
    public Path append(Path below) {
        List<Step> longer = new ArrayList<>(steps);
        longer.addAll(below.steps);
        return new Path(longer);
    }

    /** The path without its last step; the root has none above it. */
    public Path parent() {
        if (steps.isEmpty()) {
            throw new IllegalStateException("the root has no parent");
        }
        return new Path(steps.subList(0, steps.size() - 1));
    }

    public Step last() {
        return steps.get(steps.size() - 1);
    }

    public boolean isRoot() {
        return steps.isEmpty();
    }

    /** Whether this path is {@code other} or stands above it. */
    public boolean covers(Path other) {
        return steps.size() <= other.steps.size() && other.steps.subList(0, steps.size()).equals(steps);
    }

    /**
     * Reads what {@link #toString()} writes.
     *
     * @throws IllegalArgumentException where the text is no path, naming the position
     */
    public static Path parse(String text) {
        if (text.equals("/")) {
            return ROOT;
        }
        List<Step> steps = new ArrayList<>();
        int at = 0;
        while (at < text.length()) {
            if (text.charAt(at) != '/') {
                throw new IllegalArgumentException("no path: expected / at position " + at + " of " + text);
            }
            int start = ++at;
            while (at < text.length() && text.charAt(at) != '/' && text.charAt(at) != '[') {
                at++;
            }
            String name = text.substring(start, at);
            List<String> keys = new ArrayList<>();
            if (at < text.length() && text.charAt(at) == '[') {
                StringBuilder key = new StringBuilder();
                at++;
                while (at < text.length() && text.charAt(at) != ']') {
                    char character = text.charAt(at++);
                    if (character == ',') {
                        keys.add(key.toString());
                        key.setLength(0);
                    } else if (character == '\\' && at < text.length()) {
                        key.append(text.charAt(at++));
                    } else {
                        key.append(character);
                    }
                }
                if (at == text.length()) {
                    throw new IllegalArgumentException("no path: a key is not closed in " + text);
                }
                keys.add(key.toString());
                at++;
            }
            steps.add(new Step(name, keys));
        }
        return new Path(steps);
    }

    @Override
    public boolean equals(Object other) {
        return this == other || other instanceof Path path && hash == path.hash && steps.equals(path.steps);
    }

    @Override
    public int hashCode() {
        return hash;
    }

    @Override
    public int compareTo(Path other) {
        int shared = Math.min(steps.size(), other.steps.size());
        for (int i = 0; i < shared; i++) {
            int byStep = steps.get(i).compareTo(other.steps.get(i));
            if (byStep != 0) {
                return byStep;
            }
        }
        return Integer.compare(steps.size(), other.steps.size());
    }

    @Override
    public String toString() {
        if (steps.isEmpty()) {
            return "/";
        }
        StringBuilder text = new StringBuilder();
        for (Step step : steps) {
            text.append('/').append(step);
        }
        return text.toString();
    }
}
