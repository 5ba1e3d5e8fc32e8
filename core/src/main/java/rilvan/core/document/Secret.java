package rilvan.core.document;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.UnaryOperator;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A secret parameter, such as the key that two routers share. It is kept sealed ({@link SecretSeal}) in parameters, ledgers and native text, opened
 * only on the way to a device, and shown as {@code (secret)}. Hashes of secrets that devices show (RFC 7317, crypt-hash) are masked as well.
 */
public final class Secret {

    private static final int SHORTEST = 6;
    private static final int LONGEST = 80;
    private static final Pattern SEALED = Pattern.compile(Pattern.quote(SecretSeal.MARK) + "[A-Za-z0-9_-]+");
    private static final Pattern HASH = Pattern.compile("\\$[156]\\$[A-Za-z0-9./$=]{8,}");

    /** What is shown in place of a secret. */
    public static final String MASK = "(secret)";

    private Secret() {}

    /** Whether a text is a sealed secret. */
    public static boolean isSealed(String text) {
        return SEALED.matcher(text).matches();
    }

    /** What is wrong with a secret that somebody writes, and what would do; absent where nothing is. */
    public static Optional<String> fault(String secret) {
        return secret.equals(MASK) ? Optional.of("'(secret)' replaces a secret that is not stored here; write the secret itself")
                : secret.length() < SHORTEST ? Optional.of("must have at least " + SHORTEST + " characters")
                : secret.length() > LONGEST ? Optional.of("must have at most " + LONGEST + " characters")
                : secret.startsWith("$") ? Optional.of("must not begin with $, which marks hashes")
                : PlainText.faultOfLine(secret);
    }

    /** The text with every sealed secret, and every hash of one, out of sight. */
    public static String masked(String text) {
        return text.indexOf('$') < 0 ? text : HASH.matcher(SEALED.matcher(text).replaceAll(MASK)).replaceAll(MASK);
    }

    /** The text with every sealed secret in it replaced. */
    public static String replaced(String text, UnaryOperator<String> bySealed) {
        return text.contains(SecretSeal.MARK) ? SEALED.matcher(text).replaceAll(each -> Matcher.quoteReplacement(bySealed.apply(each.group()))) : text;
    }

    /** Values with every sealed secret in them out of sight. */
    @SuppressWarnings("unchecked")
    public static Map<String, Object> masked(Map<String, Object> values) {
        return (Map<String, Object>) mapped(values, Secret::masked);
    }

    /** The value of a document in which each text that is one of some secrets is replaced by its sealed form. */
    public static Object sealed(Object value, Map<String, String> sealedBySecret) {
        return mapped(value, text -> sealedBySecret.getOrDefault(text, text));
    }

    private static Object mapped(Object value, UnaryOperator<String> text) {
        if (value instanceof Map<?, ?> fields) {
            Map<Object, Object> mapped = new LinkedHashMap<>();
            fields.forEach((name, field) -> mapped.put(name, mapped(field, text)));
            return mapped;
        }
        return value instanceof List<?> items ? items.stream().map(item -> mapped(item, text)).toList()
                : value instanceof String string ? text.apply(string) : value;
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
        return MASK.equals(value) && kept instanceof String sealed && isSealed(sealed) ? sealed : value;
    }
}
