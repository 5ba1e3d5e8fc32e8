package rilvan.core.address;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;

/**
 * Which frames of a port a circuit takes: one tag ({@code 110}), two ({@code 110/20}, the outer one first), several
 * ({@code 100-103,110}), those without a tag ({@code untagged}), or all that nobody else takes ({@code any}).
 *
 * <p>Each comes to numbers that are unique on a port: outer times 4096 plus inner, 0 for untagged, 4095 times 4096 for any.
 */
public record Tags(TagMatch kind, String text) {

    /** The number of {@code any}; the highest there is. */
    public static final long ANY = 4095L << 12;

    private static final int LOWEST = 1;
    private static final int HIGHEST = 4094;
    private static final Pattern ONE = Pattern.compile("\\d{1,4}");
    private static final Pattern TWO = Pattern.compile("\\d{1,4}/\\d{1,4}");
    private static final Pattern RANGES = Pattern.compile("\\d{1,4}(-\\d{1,4})?(,\\d{1,4}(-\\d{1,4})?)*");
    private static final Pattern NO_DIGIT = Pattern.compile("\\D+");

    /** How a circuit's frames are told. */
    public enum TagMatch {
        SINGLE, DOUBLE, RANGE, UNTAGGED, ANY
    }

    /**
     * @throws IllegalArgumentException where the text has none of these forms, saying what would do
     */
    public static Tags parse(String text) {
        Tags tags = new Tags(text.equals("untagged") ? TagMatch.UNTAGGED : text.equals("any") ? TagMatch.ANY
                : ONE.matcher(text).matches() ? TagMatch.SINGLE : TWO.matcher(text).matches() ? TagMatch.DOUBLE
                : RANGES.matcher(text).matches() ? TagMatch.RANGE : null, text);
        if (tags.kind == null) {
            throw new IllegalArgumentException("'" + text + "' says no tags; write 110, 110/20 for two tags, 100-103,110, untagged or any");
        }
        for (String number : NO_DIGIT.split(text)) {
            if (!number.isEmpty() && (Integer.parseInt(number) < LOWEST || Integer.parseInt(number) > HIGHEST)) {
                throw new IllegalArgumentException(number + " is not a VLAN tag; a tag is from 1 to 4094 (IEEE 802.1Q)");
            }
        }
        return tags;
    }

    /** The tag a port's frames carry, as a text; empty where it is not one. */
    public String outer() {
        return kind == TagMatch.SINGLE || kind == TagMatch.DOUBLE ? text.split("/")[0] : "";
    }

    public String inner() {
        return kind == TagMatch.DOUBLE ? text.split("/")[1] : "";
    }

    /** How many tags each frame carries. */
    public int depth() {
        return switch (kind) {
            case SINGLE, RANGE -> 1;
            case DOUBLE -> 2;
            default -> 0;
        };
    }

    /** What the circuit takes of its port, as numbers. */
    public List<Long> numbers() {
        return switch (kind) {
            case UNTAGGED -> List.of(0L);
            case ANY -> List.of(ANY);
            case SINGLE -> List.of(Long.parseLong(text) << 12);
            case DOUBLE -> List.of((Long.parseLong(outer()) << 12) + Long.parseLong(inner()));
            case RANGE -> {
                List<Long> numbers = new ArrayList<>();
                Ranges.numbers(text).forEach(tag -> numbers.add(tag << 12));
                yield numbers;
            }
        };
    }

    /** How one such number is written. */
    public static String write(long number) {
        long inner = number & 4095;
        return number == 0 ? "untagged" : number == ANY ? "any" : (number >> 12) + (inner == 0 ? "" : "/" + inner);
    }

    /** A number for the part of a port: the (first) tag itself, outer times 10000 plus inner for two, 0 untagged, 4095 any. */
    public long number() {
        return switch (kind) {
            case UNTAGGED -> 0;
            case ANY -> 4095;
            case DOUBLE -> Long.parseLong(outer()) * 10_000 + Long.parseLong(inner());
            default -> numbers().get(0) >> 12;
        };
    }

    /** All of it as texts by name: {@code kind}, {@code outer}, {@code inner}, {@code span} (of a range), {@code number}, and {@code last}, the last frames it takes. */
    public Map<String, Object> fields() {
        Map<String, Object> fields = new LinkedHashMap<>();
        fields.put("kind", kind.name().toLowerCase(java.util.Locale.ROOT));
        fields.put("outer", outer());
        fields.put("inner", inner());
        fields.put("span", kind == TagMatch.RANGE ? text : "");
        fields.put("number", Long.toString(number()));
        fields.put("last", write(numbers().get(numbers().size() - 1)));
        return fields;
    }
}
