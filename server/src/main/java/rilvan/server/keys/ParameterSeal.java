package rilvan.server.keys;

import java.nio.charset.StandardCharsets;
import java.util.Base64;
import javax.crypto.IllegalBlockSizeException;
import org.cryptomator.siv.SivMode;
import org.cryptomator.siv.UnauthenticCiphertextException;
import org.springframework.context.annotation.Primary;
import org.springframework.stereotype.Component;
import rilvan.core.document.SecretSeal;

/** Seals the secrets of services with the store's key for that: AES-256 in synthetic initialization vector mode (RFC 5297), which is deterministic. */
@Primary
@Component
public final class ParameterSeal implements SecretSeal {

    private final SivMode siv = new SivMode();
    private final byte[] encryption;
    private final byte[] authentication;

    public ParameterSeal(Roots roots) {
        byte[] root = roots.of(Use.SERVICES).get(0);
        encryption = Derivation.of(root, "secrets of services: encryption");
        authentication = Derivation.of(root, "secrets of services: authentication");
    }

    @Override
    public String seal(String secret) {
        return MARK + Base64.getUrlEncoder().withoutPadding().encodeToString(siv.encrypt(encryption, authentication, secret.getBytes(StandardCharsets.UTF_8)));
    }

    @Override
    public String open(String sealed) {
        try {
            byte[] box = Base64.getUrlDecoder().decode(sealed.substring(MARK.length()));
            return new String(siv.decrypt(encryption, authentication, box), StandardCharsets.UTF_8);
        } catch (UnauthenticCiphertextException | IllegalBlockSizeException | IllegalArgumentException e) {
            throw new IllegalArgumentException("a secret cannot be opened with the key of this store", e);
        }
    }
}
