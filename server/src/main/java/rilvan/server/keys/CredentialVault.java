package rilvan.server.keys;

import java.nio.charset.StandardCharsets;
import java.util.Optional;
import org.springframework.stereotype.Component;

/** Credentials at rest. */
@Component
public final class CredentialVault {

    private final Roots roots;

    public CredentialVault(Roots roots) {
        this.roots = roots;
    }

    /** The name under which the secret of a webhook is sealed. */
    public static String ofWebhook(String name) {
        return "webhook " + name;
    }

    /** @param name of the credential, which is bound in */
    public byte[] seal(String name, String secret) {
        return AuthenticatedBox.seal(roots.of(Use.CREDENTIALS).get(0), name, secret.getBytes(StandardCharsets.UTF_8));
    }

    /** @throws IllegalStateException where it is sealed with no key of this store, under another name, or was changed since */
    public String open(String name, byte[] box) {
        return opened(name, box).or(() -> {
            roots.renew();
            return opened(name, box);
        }).orElseThrow(() -> new IllegalStateException("the credential '" + name + "' cannot be opened with this key; set it again"));
    }

    private Optional<String> opened(String name, byte[] box) {
        return roots.of(Use.CREDENTIALS).stream().flatMap(key -> AuthenticatedBox.open(key, name, box).stream()).findFirst().map(secret -> new String(secret, StandardCharsets.UTF_8));
    }
}
