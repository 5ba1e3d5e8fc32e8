package rilvan.server.inventory;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermission;
import java.security.GeneralSecurityException;
import java.security.SecureRandom;
import java.util.Set;
import javax.crypto.Cipher;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.SecretKeySpec;
import org.springframework.stereotype.Component;
import rilvan.server.Settings;

/** Secrets at rest: AES-256 in Galois/counter mode (NIST SP 800-38D), a fresh nonce each, the credential's name bound in. */
@Component
public final class CredentialVault {

    private static final int NONCE_BYTES = 12;
    private static final int TAG_BITS = 128;

    private final SecretKeySpec key;
    private final SecureRandom random = new SecureRandom();

    public CredentialVault(Settings settings) throws IOException {
        Path file = settings.keyFile();
        if (!Files.exists(file)) {
            throw new IllegalStateException("there is no key at " + file + "; the start command makes one: 32 random bytes, mode 0600");
        }
        Set<PosixFilePermission> others = Files.getPosixFilePermissions(file);
        others.removeAll(Set.of(PosixFilePermission.OWNER_READ, PosixFilePermission.OWNER_WRITE));
        byte[] bytes = Files.readAllBytes(file);
        if (bytes.length != 32 || !others.isEmpty()) {
            throw new IllegalStateException("the key at " + file + " must be 32 bytes that only its owner may read (mode 0600)");
        }
        key = new SecretKeySpec(bytes, "AES");
    }

    byte[] seal(String name, String secret) {
        byte[] nonce = new byte[NONCE_BYTES];
        random.nextBytes(nonce);
        byte[] sealed = run(Cipher.ENCRYPT_MODE, name, nonce, secret.getBytes(StandardCharsets.UTF_8));
        return ByteBuffer.allocate(nonce.length + sealed.length).put(nonce).put(sealed).array();
    }

    String open(String name, byte[] box) {
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
