package rilvan.server.acts;

import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.SecureRandom;
import java.security.Signature;
import java.security.spec.NamedParameterSpec;
import java.util.Base64;
import org.springframework.stereotype.Component;
import rilvan.server.keys.Derivation;
import rilvan.server.keys.Roots;
import rilvan.server.keys.Use;

/** What the log of acts is signed with (Ed25519, RFC 8032): a key made from that of the store, which the database does not have. */
@Component
public class LogKey {

    private final KeyPair keys;

    LogKey(Roots roots) throws GeneralSecurityException {
        byte[] seed = Derivation.of(roots.of(Use.LOG).get(0), "log of acts");
        KeyPairGenerator generator = KeyPairGenerator.getInstance("Ed25519");
        generator.initialize(NamedParameterSpec.ED25519, new SecureRandom() {
            @Override
            public void nextBytes(byte[] bytes) {
                // A private key of Ed25519 is any 32 bytes (RFC 8032 §5.1.5).
                System.arraycopy(seed, 0, bytes, 0, bytes.length);
            }
        });
        keys = generator.generateKeyPair();
    }

    String sign(String text) {
        try {
            Signature signature = Signature.getInstance("Ed25519");
            signature.initSign(keys.getPrivate());
            signature.update(text.getBytes(StandardCharsets.UTF_8));
            return Base64.getEncoder().encodeToString(signature.sign());
        } catch (GeneralSecurityException e) {
            throw new IllegalStateException(e);
        }
    }

    boolean isSigned(String text, String by) {
        try {
            Signature signature = Signature.getInstance("Ed25519");
            signature.initVerify(keys.getPublic());
            signature.update(text.getBytes(StandardCharsets.UTF_8));
            return signature.verify(Base64.getDecoder().decode(by));
        } catch (GeneralSecurityException | IllegalArgumentException e) {
            return false;
        }
    }

    /** The public key, as PEM (RFC 7468). */
    public String asPem() {
        return "-----BEGIN PUBLIC KEY-----\n" + Base64.getMimeEncoder(64, new byte[] {'\n'}).encodeToString(keys.getPublic().getEncoded()) + "\n-----END PUBLIC KEY-----\n";
    }
}
