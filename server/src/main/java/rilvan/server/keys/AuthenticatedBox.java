package rilvan.server.keys;

import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.SecureRandom;
import java.util.Optional;
import javax.crypto.Cipher;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.SecretKeySpec;

/** AES-256 in Galois/counter mode (NIST SP 800-38D), a fresh nonce each, the name of what is in it bound in. */
final class AuthenticatedBox {

    private static final int NONCE_BYTES = 12;
    private static final int TAG_BITS = 128;
    private static final SecureRandom RANDOM = new SecureRandom();

    private AuthenticatedBox() {}

    static byte[] seal(byte[] key, String name, byte[] content) {
        byte[] nonce = random(NONCE_BYTES);
        try {
            byte[] sealed = cipher(Cipher.ENCRYPT_MODE, key, name, nonce).doFinal(content);
            return ByteBuffer.allocate(nonce.length + sealed.length).put(nonce).put(sealed).array();
        } catch (GeneralSecurityException e) {
            throw new IllegalStateException(e);
        }
    }

    /** @return nothing where it was sealed with another key, or under another name, or has been changed since */
    static Optional<byte[]> open(byte[] key, String name, byte[] box) {
        if (box.length < NONCE_BYTES) {
            return Optional.empty();
        }
        byte[] nonce = new byte[NONCE_BYTES];
        byte[] sealed = new byte[box.length - NONCE_BYTES];
        ByteBuffer.wrap(box).get(nonce).get(sealed);
        try {
            return Optional.of(cipher(Cipher.DECRYPT_MODE, key, name, nonce).doFinal(sealed));
        } catch (GeneralSecurityException e) {
            return Optional.empty();
        }
    }

    static byte[] random(int bytes) {
        byte[] random = new byte[bytes];
        RANDOM.nextBytes(random);
        return random;
    }

    private static Cipher cipher(int mode, byte[] key, String name, byte[] nonce) throws GeneralSecurityException {
        Cipher cipher = Cipher.getInstance("AES/GCM/NoPadding");
        cipher.init(mode, new SecretKeySpec(key, "AES"), new GCMParameterSpec(TAG_BITS, nonce));
        cipher.updateAAD(name.getBytes(StandardCharsets.UTF_8));
        return cipher;
    }
}
