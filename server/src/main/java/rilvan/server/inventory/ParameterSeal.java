package rilvan.server.inventory;

import java.nio.charset.StandardCharsets;
import java.util.Base64;
import javax.crypto.IllegalBlockSizeException;
import org.cryptomator.siv.SivMode;
import org.cryptomator.siv.UnauthenticCiphertextException;
import org.springframework.stereotype.Component;
import rilvan.core.document.SecretSeal;

/** Seals the secrets of services with the store's key: AES-256 in synthetic initialization vector mode (RFC 5297), which is deterministic. */
@Component
public final class ParameterSeal implements SecretSeal {

    private final SivMode siv = new SivMode();
    private final byte[] encryption;
    private final byte[] authentication;

    public ParameterSeal(StoreKey key) {
        encryption = key.derived("secrets of services: encryption");
        authentication = key.derived("secrets of services: authentication");
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
