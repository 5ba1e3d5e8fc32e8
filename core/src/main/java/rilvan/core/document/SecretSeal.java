package rilvan.core.document;

import java.nio.charset.StandardCharsets;
import java.util.Base64;

/**
 * Seals the secrets of services, so that what is stored and shown does not give them away. The same secret always has the same seal: so two ends
 * that share one say the same, and what a device shows is compared without opening anything.
 */
public interface SecretSeal {

    /** What a sealed secret begins with; what follows are characters of base64url (RFC 4648 §5). */
    String MARK = "$sealed$";

    /** For trials on files, where the secret is in the file at hand: a form that is masked like any other, and hides nothing. */
    SecretSeal WITHOUT_KEY = new SecretSeal() {
        @Override
        public String seal(String secret) {
            return MARK + Base64.getUrlEncoder().withoutPadding().encodeToString(secret.getBytes(StandardCharsets.UTF_8));
        }

        @Override
        public String open(String sealed) {
            return new String(Base64.getUrlDecoder().decode(sealed.substring(MARK.length())), StandardCharsets.UTF_8);
        }
    };

    /** The sealed form of a secret. */
    String seal(String secret);

    /**
     * The secret itself, for the device that needs it.
     *
     * @throws IllegalArgumentException where it was not sealed by this
     */
    String open(String sealed);
}
