package rilvan.server.inventory;

import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.SecureRandom;
import javax.crypto.Cipher;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.SecretKeySpec;
import org.springframework.stereotype.Component;

/** Credentials at rest: AES-256 in Galois/counter mode (NIST SP 800-38D), a fresh nonce each, the credential's name bound in. */
@Component
public final class CredentialVault {

    private static final int NONCE_BYTES = 12;
    private static final int TAG_BITS = 128;

    private final SecretKeySpec key;
    private final SecureRandom random = new SecureRandom();

    public CredentialVault(StoreKey key) {
        this.key = key.aes();
    }

    public byte[] seal(String name, String secret) {
        byte[] nonce = new byte[NONCE_BYTES];
        random.nextBytes(nonce);
        byte[] sealed = run(Cipher.ENCRYPT_MODE, name, nonce, secret.getBytes(StandardCharsets.UTF_8));
        return ByteBuffer.allocate(nonce.length + sealed.length).put(nonce).put(sealed).array();
    }

    public String open(String name, byte[] box) {
        byte[] nonce = new byte[NONCE_BYTES];
        byte[] sealed = new byte[box.length - NONCE_BYTES];
        ByteBuffer.wrap(box).get(nonce).get(sealed);
        return new String(run(Cipher.DECRYPT_MODE, name, nonce, sealed), StandardCharsets.UTF_8);
    }

    private byte[] run(int mode, String name, byte[] nonce, byte[] input) {
        try {
            Cipher cipher = Cipher.getInstance("AES/GCM/NoPadding");
            cipher.init(mode, key, new GCMParameterSpec(TAG_BITS, nonce));
            cipher.updateAAD(name.getBytes(StandardCharsets.UTF_8));
            return cipher.doFinal(input);
        } catch (GeneralSecurityException e) {
            throw new IllegalStateException("the credential '" + name + "' cannot be opened with this key; set it again", e);
        }
    }
}
