package rilvan.server.access.openid;

import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.security.config.annotation.web.builders.HttpSecurity;
import org.springframework.security.core.Authentication;
import org.springframework.security.oauth2.client.OAuth2AuthorizedClient;
import org.springframework.security.oauth2.client.web.OAuth2AuthorizationRequestResolver;
import org.springframework.security.oauth2.client.web.OAuth2AuthorizedClientRepository;
import org.springframework.security.oauth2.core.endpoint.OAuth2AuthorizationRequest;
import org.springframework.security.oauth2.core.oidc.user.OidcUser;
import org.springframework.stereotype.Component;
import rilvan.server.access.RequestNumber;
import rilvan.server.acts.Act;
import rilvan.server.acts.ActLog;
import rilvan.server.acts.ActLog.Result;
import rilvan.server.acts.Origin;

/** Takes the identity provider's answer. */
@Component
public class OpenIdSignIn {

    private static final Logger LOG = LoggerFactory.getLogger(OpenIdSignIn.class);

    /** People begin at {@link OpenIdController}, which says it where the provider is away. */
    private static final OAuth2AuthorizationRequestResolver NO_OTHER_START = new OAuth2AuthorizationRequestResolver() {
        @Override
        public OAuth2AuthorizationRequest resolve(HttpServletRequest request) {
            return null;
        }

        @Override
        public OAuth2AuthorizationRequest resolve(HttpServletRequest request, String id) {
            return null;
        }
    };

    private final Provider provider;
    private final PendingSignIns pending;
    private final ProviderAccounts accounts;
    private final ActLog acts;

    OpenIdSignIn(Provider provider, PendingSignIns pending, ProviderAccounts accounts, ActLog acts) {
        this.provider = provider;
        this.pending = pending;
        this.accounts = accounts;
        this.acts = acts;
    }

    /** Nobody calls the provider in a person's name: what it gives for that is not kept. */
    private static final class NothingKept implements OAuth2AuthorizedClientRepository {

        @Override
        public <T extends OAuth2AuthorizedClient> T loadAuthorizedClient(String id, Authentication who, HttpServletRequest request) {
            return null;
        }

        @Override
        public void saveAuthorizedClient(OAuth2AuthorizedClient client, Authentication who, HttpServletRequest request, HttpServletResponse response) {
            // Nobody asks for it.
        }

        @Override
        public void removeAuthorizedClient(String id, Authentication who, HttpServletRequest request, HttpServletResponse response) {
            // There is none.
        }
    }

    /**
     * Lets people sign in there, where there is a provider.
     *
     * @param signIn what is done for who has signed in
     */
    public void into(HttpSecurity http, SignIn signIn) throws Exception {
        if (!provider.isSet()) {
            return;
        }
        http.oauth2Login(login -> login
                .loginPage("/sign-in")
                .clientRegistrationRepository(provider)
                .authorizedClientRepository(new NothingKept())
                .authorizationEndpoint(start -> start.authorizationRequestRepository(pending).authorizationRequestResolver(NO_OTHER_START))
                .redirectionEndpoint(answer -> answer.baseUri(Provider.ANSWER))
                .successHandler((request, response, who) -> signedIn(request, response, (OidcUser) who.getPrincipal(), signIn))
                .failureHandler((request, response, why) -> refused(request, response, "failed", "", why.getMessage())));
    }

    /** What is done for an account that has signed in. */
    public interface SignIn {
        void of(String account, HttpServletRequest request, HttpServletResponse response);
    }

    private void signedIn(HttpServletRequest request, HttpServletResponse response, OidcUser user, SignIn signIn) throws IOException {
        try {
            signIn.of(accounts.of(user), request, response);
            response.sendRedirect("/");
        } catch (ProviderAccounts.Refused e) {
            refused(request, response, e.word(), user.getName(), e.getMessage());
        }
    }

    private void refused(HttpServletRequest request, HttpServletResponse response, String word, String name, String why) throws IOException {
        LOG.warn("sign-in at the identity provider refused, from {}: {}", request.getRemoteAddr(), why);
        acts.add(new Origin(name, request.getRemoteAddr(), 0, RequestNumber.present()), "sign in", new Act(), Result.REFUSED, why);
        response.sendRedirect("/sign-in?refused=" + word);
    }
}
