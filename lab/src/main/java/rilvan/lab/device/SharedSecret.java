package rilvan.lab.device;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;
import org.apache.commons.codec.digest.Sha2Crypt;

/** A secret that two devices share: held in clear or as a salted hash of it (crypt-hash, RFC 7317 §4), whichever a device was given. */
public final class SharedSecret {

    private static final String HASH = "$5$";

    private SharedSecret() {}

    /** The hash that a device shows in place of a secret; the salt is another one for each device and secret. */
    public static String shown(String device, String secret) {
        if (secret.startsWith(HASH)) {
            return secret;
        }
        try {
            String salt = HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest((device + "\n" + secret).getBytes(StandardCharsets.UTF_8))).substring(0, 16);
            return Sha2Crypt.sha256Crypt(secret.getBytes(StandardCharsets.UTF_8), HASH + "rounds=1000$" + salt);
        } catch (NoSuchAlgorithmException e) {
            throw new IllegalStateException(e);
        }
    }

    /** Whether two devices hold the same secret. */
    public static boolean match(String one, String other) {
        return one.equals(other) || isHashOf(one, other) || isHashOf(other, one);
    }

    private static boolean isHashOf(String hash, String secret) {
        return hash.startsWith(HASH) && !secret.startsWith(HASH) && Sha2Crypt.sha256Crypt(secret.getBytes(StandardCharsets.UTF_8), hash).equals(hash);
    }
}
