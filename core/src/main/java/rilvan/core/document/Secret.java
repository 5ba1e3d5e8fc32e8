package rilvan.core.document;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.HexFormat;
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
        if (DIGEST.matcher(secret).matches()) {
            return secret;
        }
        try {
            byte[] hash = MessageDigest.getInstance("SHA-256").digest(secret.getBytes(StandardCharsets.UTF_8));
            return "$5$" + HexFormat.of().formatHex(hash);
        } catch (NoSuchAlgorithmException e) {
            throw new IllegalStateException(e);
        }
    }

    /** The text with every digest in it out of sight. */
    public static String masked(String text) {
        return text.contains("$5$") ? DIGEST.matcher(text).replaceAll(MASK) : text;
    }

    /** Values in which a secret that was shown as a mask is again what is kept of it, found at the same place of the others. */
    public static Object unmasked(Object value, Object kept) {
        if (value instanceof Map<?, ?> fields) {
            Map<Object, Object> whole = new LinkedHashMap<>();
            fields.forEach((name, field) -> whole.put(name, unmasked(field, kept instanceof Map<?, ?> known ? known.get(name) : null)));
            return whole;
        }
        if (value instanceof List<?> items) {
            List<Object> whole = new ArrayList<>();
            for (int i = 0; i < items.size(); i++) {
                whole.add(unmasked(items.get(i), kept instanceof List<?> known && i < known.size() ? known.get(i) : null));
            }
            return whole;
        }
        return MASK.equals(value) && kept instanceof String digest && DIGEST.matcher(digest).matches() ? digest : value;
    }
}
