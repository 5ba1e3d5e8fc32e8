package rilvan.server.inventory;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermission;
import java.security.GeneralSecurityException;
import java.util.Set;
import javax.crypto.Mac;
import javax.crypto.spec.SecretKeySpec;
import org.springframework.stereotype.Component;
import rilvan.server.Settings;

/** The key of a store: 32 random bytes in a file that only the service may read. Without it no secret in the store can be read. */
@Component
public final class StoreKey {

    private static final int BYTES = 32;

    private final byte[] key;

    public StoreKey(Settings settings) throws IOException {
        Path file = settings.keyFile();
        if (!Files.exists(file)) {
            throw new IllegalStateException("there is no key at " + file + "; the start command makes one: 32 random bytes, mode 0600");
        }
        Set<PosixFilePermission> others = Files.getPosixFilePermissions(file);
        others.removeAll(Set.of(PosixFilePermission.OWNER_READ, PosixFilePermission.OWNER_WRITE));
        byte[] bytes = Files.readAllBytes(file);
        if (bytes.length != BYTES || !others.isEmpty()) {
            throw new IllegalStateException("the key at " + file + " must be 32 bytes that only its owner may read (mode 0600)");
        }
        key = bytes;
    }

    /** The key itself, for credentials. */
    SecretKeySpec aes() {
        return new SecretKeySpec(key, "AES");
    }

    /**
     * A key of its own for one use (HKDF-Expand, RFC 5869 §2.3; the file is random, so there is nothing to extract).
     *
     * @param use names what it is for
     */
    public byte[] derived(String use) {
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
