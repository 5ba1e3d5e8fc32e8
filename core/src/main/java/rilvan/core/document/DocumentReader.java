package rilvan.core.document;

import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import rilvan.core.document.ValidationFailure.Problem;

/**
 * Reads a document of known shape and gathers everything that is wrong with it, so that a person corrects it in one go: fields
 * that are missing, of another kind, or not known. After the reading, {@link #finish()} refuses the document if need be.
 */
public final class DocumentReader {

    private final Document document;
    private final List<Problem> problems = new ArrayList<>();
    private final Map<String, String> renamed = new HashMap<>();

    public DocumentReader(Document document) {
        this.document = document;
    }

    /** Says what to write in place of a field that had another name earlier. */
    public void renamed(String before, String now) {
        renamed.put(before, now);
    }

    /** The fields of the document itself, which may be just these. */
    public Fields root(String... known) {
        return fields(document.value(), "", known);
    }

    public void refuse(String pointer, String message) {
        problems.add(new Problem(pointer, document.placeOf(pointer).map(place -> place + ": ").orElse("") + message));
    }

    /**
     * @throws ValidationFailure where anything was wrong
     */
    public void finish() {
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
    }

    @SuppressWarnings("unchecked")
    private Fields fields(Object value, String pointer, String... known) {
        if (!(value instanceof Map)) {
            refuse(pointer, "expected fields: " + String.join(", ", known));
            return new Fields(Map.of(), pointer);
        }
        Map<String, Object> map = (Map<String, Object>) value;
        for (String key : map.keySet()) {
            if (!Set.of(known).contains(key)) {
                refuse(pointer + "/" + Document.escape(key), renamed.containsKey(key) ? "was renamed; write " + renamed.get(key)
                        : "is not known here; " + KnownNames.nearest(key, List.of(known)).map(near -> "the nearest is " + near + "; ").orElse("") + "known are " + String.join(", ", known));
            }
        }
        return new Fields(map, pointer);
    }

    /** The fields of one map of the document. A reader that finds a field wrong notes it and returns a stand-in. */
    public final class Fields {

        private final Map<String, Object> map;
        private final String pointer;

        private Fields(Map<String, Object> map, String pointer) {
            this.map = map;
            this.pointer = pointer;
        }

        public String pointer() {
            return pointer;
        }

        /** All that is there, in the order it is written in. */
        public Map<String, Object> all() {
            return Collections.unmodifiableMap(map);
        }

        public Optional<Object> value(String name) {
            return Optional.ofNullable(map.get(name));
        }

        public String text(String name) {
            return text(name, null);
        }

        public String text(String name, String otherwise) {
            Object value = map.get(name);
            if (value == null && otherwise != null) {
                return otherwise;
            }
            if (!(value instanceof String text) || text.isBlank()) {
                refuse(pointer + "/" + name, value == null ? "is missing" : "expected a text");
                return "";
            }
            return text;
        }

        /** One of a few words. */
        public String oneOf(String name, String... words) {
            String word = text(name);
            if (!word.isEmpty() && !List.of(words).contains(word)) {
                refuse(pointer + "/" + name, "expected " + String.join(" or ", words) + ", not " + word);
            }
            return word;
        }

        public int whole(String name, int low, int high) {
            if (map.get(name) instanceof Long number && number >= low && number <= high) {
                return number.intValue();
            }
            refuse(pointer + "/" + name, "expected a whole number from " + low + " to " + high);
            return low;
        }

        public int whole(String name, int low, int high, int otherwise) {
            return map.containsKey(name) ? whole(name, low, high) : otherwise;
        }

        public boolean truth(String name, boolean otherwise) {
            Object value = map.getOrDefault(name, otherwise);
            if (!(value instanceof Boolean truth)) {
                refuse(pointer + "/" + name, "expected true or false");
                return otherwise;
            }
            return truth;
        }

        public Fields fields(String name, String... known) {
            return DocumentReader.this.fields(map.getOrDefault(name, Map.of()), pointer + "/" + name, known);
        }

        /** The values of a map whose keys the reader does not know beforehand. */
        @SuppressWarnings("unchecked")
        public Map<String, Object> open(String name) {
            Object value = map.getOrDefault(name, Map.of());
            if (!(value instanceof Map)) {
                refuse(pointer + "/" + name, "expected fields");
                return Map.of();
            }
            return (Map<String, Object>) value;
        }

        /** Each item of a list of maps; an absent list is empty. */
        public List<Fields> each(String name, String... known) {
            List<Fields> items = new ArrayList<>();
            List<?> list = list(name);
            for (int i = 0; i < list.size(); i++) {
                items.add(DocumentReader.this.fields(list.get(i), pointer + "/" + name + "/" + i, known));
            }
            return items;
        }

        /** The items of a list; an absent list is empty. */
        public List<?> list(String name) {
            Object value = map.getOrDefault(name, List.of());
            if (value instanceof List<?> list) {
                return list;
            }
            refuse(pointer + "/" + name, "expected a list");
            return List.of();
        }

        /** The items of a list of texts; an absent list is empty. */
        public List<String> texts(String name) {
            List<String> texts = new ArrayList<>();
            List<?> list = list(name);
            for (int i = 0; i < list.size(); i++) {
                if (list.get(i) instanceof String text) {
                    texts.add(text);
                } else {
                    refuse(pointer + "/" + name + "/" + i, "expected a text");
                }
            }
            return texts;
        }
    }
}
