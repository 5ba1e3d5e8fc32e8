package rilvan.server.access.openid;

import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.time.Duration;
import java.util.Base64;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import org.springframework.http.HttpHeaders;
import org.springframework.http.ResponseCookie;
import org.springframework.security.oauth2.client.web.AuthorizationRequestRepository;
import org.springframework.security.oauth2.core.endpoint.OAuth2AuthorizationRequest;
import org.springframework.stereotype.Component;
import org.springframework.web.util.WebUtils;
import rilvan.server.keys.CredentialVault;
import rilvan.server.store.Json;
import tools.jackson.core.type.TypeReference;

/**
 * Sign-ins that wait for the provider's answer: state, nonce and code verifier, sealed in a cookie of the browser that began. So any instance takes the answer, and only from that
 * browser.
 */
@Component
public class PendingSignIns implements AuthorizationRequestRepository<OAuth2AuthorizationRequest> {

    private static final String COOKIE = "rilvan-openid";
    private static final Duration VALID = Duration.ofMinutes(10);
    private static final TypeReference<Pending> PENDING = new TypeReference<>() {};

    private final CredentialVault vault;
    private final Json json;

    PendingSignIns(CredentialVault vault, Json json) {
        this.vault = vault;
        this.json = json;
    }

    /** What the answer is held against. */
    private record Pending(String authorizationUri, String clientId, String redirectUri, Set<String> scopes, String state, Map<String, String> attributes, long until) {}

    @Override
    public OAuth2AuthorizationRequest loadAuthorizationRequest(HttpServletRequest request) {
        return Optional.ofNullable(WebUtils.getCookie(request, COOKIE)).flatMap(cookie -> opened(cookie.getValue()))
                .filter(pending -> pending.until() > System.currentTimeMillis() && pending.state().equals(request.getParameter("state")))
                .map(pending -> OAuth2AuthorizationRequest.authorizationCode().authorizationUri(pending.authorizationUri()).clientId(pending.clientId()).redirectUri(pending.redirectUri())
                        .scopes(pending.scopes()).state(pending.state()).attributes(attributes -> attributes.putAll(pending.attributes())).build())
                .orElse(null);
    }

    private Optional<Pending> opened(String cookie) {
        try {
            return Optional.of(json.read(vault.open(COOKIE, Base64.getUrlDecoder().decode(cookie)), PENDING));
        } catch (IllegalStateException | IllegalArgumentException | NegativeArraySizeException e) {
            // Not sealed by this service.
            return Optional.empty();
        }
    }

    @Override
    public void saveAuthorizationRequest(OAuth2AuthorizationRequest pending, HttpServletRequest request, HttpServletResponse response) {
        Map<String, String> attributes = new TreeMap<>();
        pending.getAttributes().forEach((name, value) -> attributes.put(name, value.toString()));
        String kept = json.write(new Pending(pending.getAuthorizationUri(), pending.getClientId(), pending.getRedirectUri(), pending.getScopes(), pending.getState(), attributes, System.currentTimeMillis() + VALID.toMillis()));
        put(Base64.getUrlEncoder().withoutPadding().encodeToString(vault.seal(COOKIE, kept)), VALID, request, response);
    }

    @Override
    public OAuth2AuthorizationRequest removeAuthorizationRequest(HttpServletRequest request, HttpServletResponse response) {
        OAuth2AuthorizationRequest pending = loadAuthorizationRequest(request);
        put("", Duration.ZERO, request, response);
        return pending;
    }

    /** Lax, since it is the provider's page that leads back here. */
    private static void put(String value, Duration valid, HttpServletRequest request, HttpServletResponse response) {
        response.addHeader(HttpHeaders.SET_COOKIE, ResponseCookie.from(COOKIE, value).path("/openid").httpOnly(true)
                .secure(request.isSecure()).sameSite("Lax").maxAge(valid).build().toString());
    }
}
