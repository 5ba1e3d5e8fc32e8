package rilvan.core.document;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;
import java.util.regex.Pattern;

/**
 * A secret parameter as it is kept: a digest, which devices take in place of the secret itself. The secret as somebody
 * wrote it is nowhere kept, and what a device reads back is the same digest, so that it is no drift.
 */
public final class Secret {

    private static final Pattern DIGEST = Pattern.compile("\\$5\\$[0-9a-f]{64}");

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
        return text.contains("$5$") ? DIGEST.matcher(text).replaceAll("(secret)") : text;
    }
}
