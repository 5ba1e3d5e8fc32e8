package rilvan.server.keys;

import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import javax.crypto.Mac;
import javax.crypto.spec.SecretKeySpec;

/** Keys made from a key. */
public final class Derivation {

    private Derivation() {}

    /**
     * A key of its own for one use (HKDF-Expand, RFC 5869 §2.3; what it is made from is random, so there is nothing to extract).
     *
     * @param key 32 random bytes
     * @param use names what it is for
     * @return 32 bytes
     */
    public static byte[] of(byte[] key, String use) {
        try {
            Mac mac = Mac.getInstance("HmacSHA256");
            mac.init(new SecretKeySpec(key, "HmacSHA256"));
            mac.update(use.getBytes(StandardCharsets.UTF_8));
            return mac.doFinal(new byte[] {1});
        } catch (GeneralSecurityException e) {
            throw new IllegalStateException(e);
        }
    }
}
