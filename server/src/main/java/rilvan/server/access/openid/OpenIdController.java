package rilvan.server.access.openid;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.net.URI;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.security.oauth2.client.web.DefaultOAuth2AuthorizationRequestResolver;
import org.springframework.security.oauth2.client.web.OAuth2AuthorizationRequestCustomizers;
import org.springframework.security.oauth2.core.endpoint.OAuth2AuthorizationRequest;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RestController;
import rilvan.server.Settings;
import rilvan.server.access.Requires;

/** Leads people to the identity provider. */
@RestController
public class OpenIdController {

    private static final Logger LOG = LoggerFactory.getLogger(OpenIdController.class);

    private final Provider provider;
    private final PendingSignIns pending;
    private final Settings settings;
    private final DefaultOAuth2AuthorizationRequestResolver requests;

    OpenIdController(Provider provider, PendingSignIns pending, Settings settings) {
        this.provider = provider;
        this.pending = pending;
        this.settings = settings;
        this.requests = new DefaultOAuth2AuthorizationRequestResolver(provider, "/openid");
        requests.setAuthorizationRequestCustomizer(OAuth2AuthorizationRequestCustomizers.withPkce());
    }

    /**
     * How people may sign in.
     *
     * @param openid what the button to the identity provider says; null where there is none
     */
    public record Ways(@Nullable String openid) {}

    /** How people may sign in, beside by a password. */
    @GetMapping("/api/v1/sign-in-ways")
    @Requires.Nothing
    Ways ways() {
        return new Ways(provider.isSet() ? settings.openid().label() : null);
    }

    /** To the provider's page, for browsers; from there back to {@code /openid/answer}. */
    @GetMapping("/openid/start")
    @ApiResponse(responseCode = "302", description = "To the provider's page, or back to the sign-in where the provider does not answer.")
    @ApiResponse(responseCode = "404", description = "No provider is set.")
    @Requires.Nothing
    ResponseEntity<Void> start(HttpServletRequest request, HttpServletResponse response) {
        if (!provider.isSet()) {
            return ResponseEntity.notFound().build();
        }
        try {
            OAuth2AuthorizationRequest begun = requests.resolve(request, Provider.ID);
            pending.saveAuthorizationRequest(begun, request, response);
            return ResponseEntity.status(HttpStatus.FOUND).location(URI.create(begun.getAuthorizationRequestUri())).build();
        } catch (Provider.Away e) {
            LOG.warn("the identity provider does not answer: {}", e.getMessage());
            return ResponseEntity.status(HttpStatus.FOUND).location(URI.create("/sign-in?refused=away")).build();
        }
    }
}
