package rilvan.core.document;

import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;

/**
 * A secret parameter as it is kept: a digest, which devices take in place of the secret itself. The secret as somebody
 * wrote it is nowhere kept, and what a device reads back is the same digest, so that it is no drift.
 */
public final class Secret {

    private static final Pattern DIGEST = Pattern.compile("\\$5\\$[0-9a-f]{64}");

    /** What is shown in place of a secret. */
    private static final String MASK = "(secret)";

    private Secret() {}

    /** The digest of a secret; a digest stays what it is. */
    public static String digest(String secret) {
        return DIGEST.matcher(secret).matches() ? secret : "$5$" + Digest.of(secret);
    }

    /** Whether this is what became of a mask that somebody wrote where a secret was expected. */
    public static boolean isOfMask(String digest) {
        return digest.equals(digest(MASK));
    }

    /** The text with every digest in it out of sight. */
    public static String masked(String text) {
        return text.contains("$5$") ? DIGEST.matcher(text).replaceAll(MASK) : text;
    }

    /** Values with every digest in them out of sight. */
    @SuppressWarnings("unchecked")
    public static Map<String, Object> masked(Map<String, Object> values) {
        return (Map<String, Object>) maskedValue(values);
    }

    private static Object maskedValue(Object value) {
        if (value instanceof Map<?, ?> fields) {
            Map<Object, Object> masked = new LinkedHashMap<>();
            fields.forEach((name, field) -> masked.put(name, maskedValue(field)));
            return masked;
        }
        return value instanceof List<?> items ? items.stream().map(Secret::maskedValue).toList()
                : value instanceof String text ? masked(text) : value;
    }

    /** The value of a document in which each of some secrets, wherever it is written, is replaced by its digest. */
    public static Object redacted(Object value, Collection<String> secrets) {
        if (value instanceof Map<?, ?> fields) {
            Map<Object, Object> redacted = new LinkedHashMap<>();
            fields.forEach((name, field) -> redacted.put(redacted(name, secrets), redacted(field, secrets)));
            return redacted;
        }
        if (value instanceof List<?> items) {
            return items.stream().map(item -> redacted(item, secrets)).toList();
        }
        String text = String.valueOf(value);
        if (secrets.stream().noneMatch(text::contains)) {
            return value;
        }
        for (String secret : secrets) {
            text = text.replace(secret, digest(secret));
        }
        return text;
    }

    /** Values in which a secret that was shown as a mask is again what is kept of it, found at the same place of the others. */
    @SuppressWarnings("unchecked")
    public static Map<String, Object> unmasked(Map<String, Object> values, Map<String, Object> kept) {
        return hasMask(values) ? (Map<String, Object>) unmaskedValue(values, kept) : values;
    }

    private static boolean hasMask(Object value) {
        return value instanceof Map<?, ?> fields ? fields.values().stream().anyMatch(Secret::hasMask)
                : value instanceof List<?> items ? items.stream().anyMatch(Secret::hasMask) : MASK.equals(value);
    }

    private static Object unmaskedValue(Object value, Object kept) {
        if (value instanceof Map<?, ?> fields) {
            Map<Object, Object> whole = new LinkedHashMap<>();
            fields.forEach((name, field) -> whole.put(name, unmaskedValue(field, kept instanceof Map<?, ?> known ? known.get(name) : null)));
            return whole;
        }
        if (value instanceof List<?> items) {
            List<Object> whole = new ArrayList<>();
            for (int i = 0; i < items.size(); i++) {
                whole.add(unmaskedValue(items.get(i), kept instanceof List<?> known && i < known.size() ? known.get(i) : null));
            }
            return whole;
        }
        return MASK.equals(value) && kept instanceof String digest && DIGEST.matcher(digest).matches() ? digest : value;
    }
}
