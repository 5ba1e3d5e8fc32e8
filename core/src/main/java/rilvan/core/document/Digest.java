package rilvan.core.document;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;

/** Digests of texts, by SHA-256 (FIPS 180-4), written in hexadecimal. */
public final class Digest {

    private Digest() {}

    /** The digest of a text in UTF-8: 64 hexadecimal digits. */
    public static String of(String text) {
        try {
            return HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8)));
        } catch (NoSuchAlgorithmException e) {
            throw new IllegalStateException(e);
        }
    }
}
