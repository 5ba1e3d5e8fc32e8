package rilvan.core.document;

import java.io.StringReader;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.yaml.snakeyaml.DumperOptions;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.constructor.SafeConstructor;
import org.yaml.snakeyaml.error.MarkedYAMLException;
import org.yaml.snakeyaml.error.YAMLException;
import org.yaml.snakeyaml.nodes.MappingNode;
import org.yaml.snakeyaml.nodes.Node;
import org.yaml.snakeyaml.nodes.NodeTuple;
import org.yaml.snakeyaml.nodes.ScalarNode;
import org.yaml.snakeyaml.nodes.SequenceNode;
import org.yaml.snakeyaml.nodes.Tag;
import org.yaml.snakeyaml.reader.ReaderException;
import org.yaml.snakeyaml.representer.Representer;
import org.yaml.snakeyaml.resolver.Resolver;

/**
 * A document as plain values: maps with text keys in the order written, lists, text, whole numbers as {@link Long}, other
 * numbers as {@link Double}, booleans, and {@code null}. JSON is read as the YAML it also is (YAML 1.2 §1.2).
 *
 * @param value the whole of it
 * @param places where each value stands, by its JSON Pointer (RFC 6901)
 */
public record Document(Object value, Map<String, Position> places) {

    /** Characters that a document may have. */
    public static final int LONGEST = 4_000_000;

    /** Characters between two blanks or line ends: the parser's time grows with the square of that. */
    public static final int LONGEST_WORD = 65_536;

    private static final int DEEPEST = 60;

    /** Line and column, counted from 1. */
    public record Position(int line, int column) {
        @Override
        public String toString() {
            return "line " + line + ", column " + column;
        }
    }

    /** A text that is no document; the message says what and where. */
    public static final class Malformed extends RuntimeException {
        private final transient Optional<Position> place;

        Malformed(String message, Optional<Position> place) {
            super(place.map(p -> p + ": ").orElse("") + message);
            this.place = place;
        }

        public Optional<Position> place() {
            return place;
        }
    }

    /** Where the value at a JSON Pointer stands, or the nearest value above it that has a place. */
    public Optional<Position> placeOf(String pointer) {
        String at = pointer;
        while (!places.containsKey(at) && !at.isEmpty()) {
            at = at.substring(0, at.lastIndexOf('/'));
        }
        return Optional.ofNullable(places.get(at));
    }

    /**
     * Reads a document.
     *
     * @throws Malformed where it is too long or too deep, has a key twice, uses aliases, or is no YAML
     */
    public static Document read(String text) {
        if (text.length() > LONGEST) {
            throw new Malformed("the document has " + text.length() + " characters; at most " + LONGEST + " are read",
                    Optional.empty());
        }
        refuseLongWords(text);
        LoaderOptions options = new LoaderOptions();
        options.setAllowDuplicateKeys(false);
        // Aliases are refused below, where their place is known; composing them costs nothing.
        options.setMaxAliasesForCollections(Integer.MAX_VALUE);
        options.setNestingDepthLimit(DEEPEST);
        options.setCodePointLimit(LONGEST);
        SafeConstructor scalars = new SafeConstructor(options);
        Yaml yaml = new Yaml(scalars, new Representer(new DumperOptions()), new DumperOptions(), options, new CoreSchema());
        try {
            Node root = yaml.compose(new StringReader(withoutSolidusEscapes(text)));
            if (root == null) {
                throw new Malformed("the document is empty", Optional.empty());
            }
            Reader reader = new Reader();
            Object value = reader.value(root, "", 0);
            return new Document(value, Map.copyOf(reader.places));
        } catch (MarkedYAMLException e) {
            throw new Malformed(e.getProblem(), Optional.ofNullable(e.getProblemMark())
                    .map(mark -> new Position(mark.getLine() + 1, mark.getColumn() + 1)));
        } catch (ReaderException e) {
            String before = text.substring(0, Math.min(e.getPosition(), text.length()));
            throw new Malformed(String.format("the character U+%04X is not allowed in a document (YAML 1.2, 5.1)", e.getCodePoint()),
                    Optional.of(new Position((int) before.chars().filter(each -> each == '\n').count() + 1, before.length() - before.lastIndexOf('\n'))));
        } catch (YAMLException e) {
            throw new Malformed(e.getMessage(), Optional.empty());
        }
    }

    /**
     * JSON allows a solidus to be escaped (RFC 8259, 7), and so does YAML 1.2 for its sake; the reader knows YAML 1.1, which does not. Only
     * strings in double quotes have escapes, and only a document that begins with a brace or bracket is taken for JSON.
     */
    private static String withoutSolidusEscapes(String text) {
        String begin = text.stripLeading();
        if (!text.contains("\\/") || !begin.startsWith("{") && !begin.startsWith("[")) {
            return text;
        }
        StringBuilder without = new StringBuilder(text.length());
        boolean quoted = false;
        char before = ' ';
        for (int i = 0; i < text.length(); i++) {
            char each = text.charAt(i);
            if (quoted && each == '\\' && i + 1 < text.length()) {
                i++;
                without.append(text.charAt(i) == '/' ? "" : "\\").append(text.charAt(i));
                continue;
            }
            if (each == '"' && (quoted || "{[,:".indexOf(before) >= 0)) {
                quoted = !quoted;
            }
            before = Character.isWhitespace(each) ? before : each;
            without.append(each);
        }
        return without.toString();
    }

    private static void refuseLongWords(String text) {
        int line = 1;
        int begin = 0;
        int lineBegin = 0;
        for (int i = 0; i < text.length(); i++) {
            char each = text.charAt(i);
            if (each == '\n') {
                line++;
                lineBegin = i + 1;
            }
            if (Character.isWhitespace(each)) {
                begin = i + 1;
            } else if (i - begin >= LONGEST_WORD) {
                throw new Malformed("has more than " + LONGEST_WORD + " characters without a blank or the end of a line; break it into lines",
                        Optional.of(new Position(line, begin - lineBegin + 1)));
            }
        }
    }

    /** Only the scalars of the YAML 1.2 core schema: {@code no} and {@code 12:30} stay text, and so do dates. */
    private static final class CoreSchema extends Resolver {
        @Override
        protected void addImplicitResolvers() {
            addImplicitResolver(Tag.BOOL, java.util.regex.Pattern.compile("true|false"), "tf");
            addImplicitResolver(Tag.INT, java.util.regex.Pattern.compile("[-+]?[0-9]{1,18}"), "-+0123456789");
            addImplicitResolver(Tag.FLOAT,
                    java.util.regex.Pattern.compile("[-+]?[0-9]+(\\.[0-9]+)([eE][-+]?[0-9]+)?"), "-+0123456789");
            addImplicitResolver(Tag.NULL, java.util.regex.Pattern.compile("null|~|"), "n~\0");
        }
    }

    private static final class Reader {
        private final Map<String, Position> places = new HashMap<>();
        private final java.util.Set<Node> seen = java.util.Collections.newSetFromMap(new java.util.IdentityHashMap<>());

        Object value(Node node, String pointer, int depth) {
            Position place = new Position(node.getStartMark().getLine() + 1, node.getStartMark().getColumn() + 1);
            places.put(pointer, place);
            if (depth > DEEPEST) {
                throw new Malformed("nested more than " + DEEPEST + " levels deep", Optional.of(place));
            }
            if (!seen.add(node)) {
                throw new Malformed("aliases are not read; write the value out", Optional.of(place));
            }
            if (node instanceof MappingNode mapping) {
                Map<String, Object> map = new LinkedHashMap<>();
                for (NodeTuple tuple : mapping.getValue()) {
                    Position at = new Position(tuple.getKeyNode().getStartMark().getLine() + 1,
                            tuple.getKeyNode().getStartMark().getColumn() + 1);
                    if (!(tuple.getKeyNode() instanceof ScalarNode key)) {
                        throw new Malformed("a key must be text", Optional.of(at));
                    }
                    if (map.containsKey(key.getValue())) {
                        throw new Malformed("the key '" + key.getValue() + "' is written twice", Optional.of(at));
                    }
                    String there = pointer + "/" + escape(key.getValue());
                    map.put(key.getValue(), value(tuple.getValueNode(), there, depth + 1));
                    places.put(there, at);
                }
                return map;
            }
            if (node instanceof SequenceNode sequence) {
                List<Object> list = new ArrayList<>();
                for (Node item : sequence.getValue()) {
                    list.add(value(item, pointer + "/" + list.size(), depth + 1));
                }
                return list;
            }
            return scalar((ScalarNode) node, place);
        }

        private static Object scalar(ScalarNode node, Position place) {
            String text = node.getValue();
            Tag tag = node.getTag();
            if (tag.equals(Tag.BOOL)) {
                return Boolean.valueOf(text);
            }
            if (tag.equals(Tag.INT)) {
                return Long.valueOf(text.startsWith("+") ? text.substring(1) : text);
            }
            if (tag.equals(Tag.FLOAT)) {
                return Double.valueOf(text);
            }
            if (tag.equals(Tag.NULL)) {
                return null;
            }
            if (tag.equals(Tag.STR)) {
                return text;
            }
            throw new Malformed("the tag " + tag.getValue() + " is not read", Optional.of(place));
        }
    }

    /** A value of maps, lists, texts, numbers and truth values as YAML, in the order that they have. */
    public static String written(Object value) {
        DumperOptions options = new DumperOptions();
        options.setDefaultFlowStyle(DumperOptions.FlowStyle.BLOCK);
        options.setIndicatorIndent(2);
        options.setIndentWithIndicator(true);
        options.setWidth(160);
        // An alias is not read again.
        options.setDereferenceAliases(true);
        return new Yaml(options).dump(value);
    }

    /** A key as a part of a JSON Pointer (RFC 6901 §3). */
    public static String escape(String key) {
        return key.replace("~", "~0").replace("/", "~1");
    }

    /** A value of a document as fields by name; none where it is something else. */
    @SuppressWarnings("unchecked")
    public static Map<String, Object> fields(Object value) {
        return value instanceof Map ? (Map<String, Object>) value : Map.of();
    }
}
