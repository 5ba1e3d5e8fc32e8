package rilvan.server.access.openid;

import org.springframework.security.oauth2.client.registration.ClientRegistration;
import org.springframework.security.oauth2.client.registration.ClientRegistrationRepository;
import org.springframework.security.oauth2.client.registration.ClientRegistrations;
import org.springframework.stereotype.Component;
import rilvan.server.Settings;
import rilvan.server.Settings.OpenId;

/** The identity provider, as it describes itself (OpenID Connect Discovery 1.0 §4). It is asked when somebody first signs in there, so that the service starts without it. */
@Component
public class Provider implements ClientRegistrationRepository {

    static final String ID = "provider";
    /** Where it sends people back to. */
    public static final String ANSWER = "/openid/answer";

    private final OpenId settings;
    private volatile ClientRegistration registration;

    Provider(Settings settings) {
        this.settings = settings.openid();
    }

    /** Whether there is one at all. */
    public boolean isSet() {
        return settings.issuer() != null;
    }

    /** The provider does not describe itself. */
    static final class Away extends RuntimeException {
        Away(RuntimeException cause) {
            super(cause.getMessage(), cause);
        }
    }

    /** @throws Away where it does not answer, or as another one */
    @Override
    public ClientRegistration findByRegistrationId(String id) {
        ClientRegistration known = registration;
        if (known == null) {
            try {
                known = ClientRegistrations.fromIssuerLocation(settings.issuer().toString()).registrationId(ID).clientId(settings.clientId()).clientSecret(settings.clientSecret())
                        .userNameAttributeName(settings.nameClaim()).scope("openid", "profile", "email").redirectUri("{baseUrl}" + ANSWER).build();
            } catch (IllegalArgumentException | IllegalStateException e) {
                throw new Away(e);
            }
            registration = known;
        }
        return known;
    }
}
