package rilvan.server.keys;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermission;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;
import java.util.Optional;
import java.util.Set;

/** The key of a key file: 32 random bytes that only the service may read. It seals the keys of the store, and nothing else. */
final class FileKey {

    private static final int BYTES = 32;
    private static final int NAME_BYTES = 6;
    /** What is told apart by it in {@code rilvan admin} too, which has no more than a shell. */
    private static final byte[] BEFORE_THE_KEY = "name of the key ".getBytes(StandardCharsets.UTF_8);

    private final byte[] key;

    private FileKey(byte[] key) {
        this.key = key;
    }

    /** @throws Unusable where there is none, or not one that is as it should be */
    static FileKey of(Path file) {
        try {
            if (!Files.exists(file)) {
                throw new Unusable("there is no key at " + file + ". Make one: 32 random bytes, mode 0600");
            }
            Set<PosixFilePermission> others = Files.getPosixFilePermissions(file);
            others.removeAll(Set.of(PosixFilePermission.OWNER_READ, PosixFilePermission.OWNER_WRITE));
            byte[] bytes = Files.readAllBytes(file);
            if (bytes.length != BYTES || !others.isEmpty()) {
                throw new Unusable("the key at " + file + " must be 32 bytes that only its owner may read (mode 0600)");
            }
            return new FileKey(bytes);
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    /** No key can be had from a file: what is wrong, and what to do. */
    static final class Unusable extends RuntimeException {
        Unusable(String message) {
            super(message);
        }
    }

    /** The key as it is, which sealed everything itself in stores of before V34. */
    byte[] bytes() {
        return key.clone();
    }

    /** What people call it by: the first twelve hexadecimal digits of a digest, from which the key cannot be told. */
    String name() {
        try {
            MessageDigest digest = MessageDigest.getInstance("SHA-256");
            digest.update(BEFORE_THE_KEY);
            return HexFormat.of().formatHex(digest.digest(key), 0, NAME_BYTES);
        } catch (NoSuchAlgorithmException e) {
            throw new IllegalStateException(e);
        }
    }

    byte[] seal(String use, int number, byte[] root) {
        return AuthenticatedBox.seal(sealing(), use + " " + number, root);
    }

    /** @return nothing where it was sealed with another key */
    Optional<byte[]> open(String use, int number, byte[] box) {
        return AuthenticatedBox.open(sealing(), use + " " + number, box);
    }

    private byte[] sealing() {
        return Derivation.of(key, "keys of the store");
    }
}
