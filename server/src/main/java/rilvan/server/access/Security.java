package rilvan.server.access;

import jakarta.servlet.DispatcherType;
import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.Cookie;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import org.springframework.beans.factory.annotation.Qualifier;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.core.annotation.Order;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpMethod;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseCookie;
import org.springframework.security.authentication.AuthenticationProvider;
import org.springframework.security.authentication.BadCredentialsException;
import org.springframework.security.authentication.UsernamePasswordAuthenticationToken;
import org.springframework.security.config.annotation.web.builders.HttpSecurity;
import org.springframework.security.config.annotation.web.configurers.HeadersConfigurer;
import org.springframework.security.config.http.SessionCreationPolicy;
import org.springframework.security.core.Authentication;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.security.crypto.factory.PasswordEncoderFactories;
import org.springframework.security.crypto.password.PasswordEncoder;
import org.springframework.security.web.SecurityFilterChain;
import org.springframework.security.web.authentication.UsernamePasswordAuthenticationFilter;
import org.springframework.security.web.authentication.WebAuthenticationDetails;
import org.springframework.security.web.authentication.logout.HttpStatusReturningLogoutSuccessHandler;
import org.springframework.security.web.header.writers.CrossOriginOpenerPolicyHeaderWriter.CrossOriginOpenerPolicy;
import org.springframework.security.web.header.writers.CrossOriginResourcePolicyHeaderWriter.CrossOriginResourcePolicy;
import org.springframework.security.web.header.writers.ReferrerPolicyHeaderWriter.ReferrerPolicy;
import org.springframework.web.filter.OncePerRequestFilter;
import org.springframework.web.servlet.HandlerExceptionResolver;
import org.springframework.web.util.WebUtils;
import rilvan.server.access.openid.OpenIdSignIn;

/**
 * Two ways in: programs and the command line bring a token with every request; the console signs in once, and its browser brings a token in a cookie. Neither is
 * remembered by an instance, so that any of them answers.
 */
@Configuration
public class Security {

    private static final String BEARER = "Bearer ";
    private static final String COOKIE = "rilvan-session";
    private static final String[] FOR_ANYBODY = {"/api/v1/health", "/api/v1/sign-in-ways", "/api/v1/openapi", "/openid/start"};
    /** How one signs in (RFC 6750 §3), which 401 says (RFC 9110 §15.5.2). Browsers ask for nothing by themselves at this scheme. */
    public static final String CHALLENGE = "Bearer realm=\"rilvan\"";

    @Bean
    PasswordEncoder passwords() {
        return PasswordEncoderFactories.createDelegatingPasswordEncoder();
    }

    @Bean
    @Order(1)
    SecurityFilterChain byToken(HttpSecurity http, SignIns signIns, @Qualifier("handlerExceptionResolver") HandlerExceptionResolver problems) throws Exception {
        return http
                .securityMatcher(request -> Optional.ofNullable(request.getHeader(HttpHeaders.AUTHORIZATION)).orElse("").startsWith(BEARER)
                        || request.getRequestURI().equals("/api/v1/tokens"))
                .csrf(csrf -> csrf.disable())
                .sessionManagement(sessions -> sessions.sessionCreationPolicy(SessionCreationPolicy.STATELESS))
                .addFilterBefore(new TokenFilter(signIns), UsernamePasswordAuthenticationFilter.class)
                .exceptionHandling(errors -> errors.authenticationEntryPoint((request, response, why) -> problems.resolveException(request, response, null, why)))
                .headers(Security::headers)
                .authorizeHttpRequests(requests -> requests
                        .dispatcherTypeMatchers(DispatcherType.ASYNC, DispatcherType.ERROR).permitAll()
                        .requestMatchers(HttpMethod.POST, "/api/v1/tokens").permitAll()
                        .requestMatchers(FOR_ANYBODY).permitAll()
                        .anyRequest().authenticated())
                .build();
    }

    @Bean
    @Order(2)
    SecurityFilterChain byCookie(HttpSecurity http, SignIns signIns, PasswordCheck check, OpenIdSignIn openId, @Qualifier("handlerExceptionResolver") HandlerExceptionResolver problems)
            throws Exception {
        openId.into(http, (account, request, response) -> response.addHeader(HttpHeaders.SET_COOKIE, cookie(signIns.session(account, request.getRemoteAddr()).token(), request).build().toString()));
        return http
                .csrf(csrf -> csrf.spa())
                .sessionManagement(sessions -> sessions.sessionCreationPolicy(SessionCreationPolicy.STATELESS))
                .addFilterBefore(new TokenFilter(signIns), UsernamePasswordAuthenticationFilter.class)
                .authenticationProvider(byPassword(check))
                .formLogin(form -> form.loginProcessingUrl("/api/v1/session")
                        .successHandler((request, response, who) -> {
                            response.addHeader(HttpHeaders.SET_COOKIE, cookie(signIns.session(who.getName(), request.getRemoteAddr()).token(), request).build().toString());
                            response.setStatus(204);
                        })
                        .failureHandler((request, response, why) -> {
                            if (why.getCause() instanceof PasswordCheck.TooMany tooMany) {
                                response.setHeader(HttpHeaders.RETRY_AFTER, Long.toString(tooMany.seconds()));
                                response.setStatus(HttpStatus.TOO_MANY_REQUESTS.value());
                            } else {
                                response.setHeader(HttpHeaders.WWW_AUTHENTICATE, CHALLENGE);
                                response.setStatus(HttpStatus.UNAUTHORIZED.value());
                            }
                        }))
                .logout(logout -> logout.logoutUrl("/api/v1/session/end")
                        .addLogoutHandler((request, response, who) -> {
                            token(request).ifPresent(token -> signIns.end(token, request.getRemoteAddr()));
                            response.addHeader(HttpHeaders.SET_COOKIE, cookie("", request).maxAge(Duration.ZERO).build().toString());
                        })
                        .logoutSuccessHandler(new HttpStatusReturningLogoutSuccessHandler(HttpStatus.NO_CONTENT)))
                .exceptionHandling(errors -> errors.authenticationEntryPoint((request, response, why) -> problems.resolveException(request, response, null, why)))
                .headers(Security::headers)
                .authorizeHttpRequests(requests -> requests
                        .dispatcherTypeMatchers(DispatcherType.ASYNC, DispatcherType.ERROR, DispatcherType.FORWARD).permitAll()
                        .requestMatchers("/api/v1/session").permitAll()
                        .requestMatchers(FOR_ANYBODY).permitAll()
                        .requestMatchers("/api/**").authenticated()
                        .anyRequest().permitAll())
                .build();
    }

    /** Beside what the framework sends by itself: no sniffing of types, no frames, no caching, HTTPS from then on where the request came by it. */
    private static void headers(HeadersConfigurer<HttpSecurity> headers) {
        headers.contentSecurityPolicy(policy -> policy.policyDirectives("default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
                        + "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"))
                .referrerPolicy(policy -> policy.policy(ReferrerPolicy.NO_REFERRER))
                .crossOriginOpenerPolicy(policy -> policy.policy(CrossOriginOpenerPolicy.SAME_ORIGIN))
                .crossOriginResourcePolicy(policy -> policy.policy(CrossOriginResourcePolicy.SAME_ORIGIN))
                .permissionsPolicyHeader(policy -> policy.policy("camera=(), geolocation=(), microphone=(), payment=(), usb=()"));
    }

    private static AuthenticationProvider byPassword(PasswordCheck check) {
        return new AuthenticationProvider() {
            @Override
            public Authentication authenticate(Authentication given) {
                String address = given.getDetails() instanceof WebAuthenticationDetails details ? details.getRemoteAddress() : "";
                try {
                    if (!check.isRight(given.getName(), String.valueOf(given.getCredentials()), address)) {
                        throw new BadCredentialsException("refused");
                    }
                } catch (PasswordCheck.TooMany e) {
                    throw new BadCredentialsException("too many", e);
                }
                return UsernamePasswordAuthenticationToken.authenticated(given.getName(), null, List.of());
            }

            @Override
            public boolean supports(Class<?> kind) {
                return UsernamePasswordAuthenticationToken.class.isAssignableFrom(kind);
            }
        };
    }

    private static ResponseCookie.ResponseCookieBuilder cookie(String value, HttpServletRequest request) {
        return ResponseCookie.from(COOKIE, value).path("/").httpOnly(true).secure(request.isSecure()).sameSite("Strict");
    }

    /** The token that a request brings, in its header or in the console's cookie. */
    private static Optional<String> token(HttpServletRequest request) {
        String header = request.getHeader(HttpHeaders.AUTHORIZATION);
        if (header != null && header.startsWith(BEARER)) {
            return Optional.of(header.substring(BEARER.length()));
        }
        return Optional.ofNullable(WebUtils.getCookie(request, COOKIE)).map(Cookie::getValue);
    }

    /** Not a bean, so that only the chains that name it have it. */
    private static final class TokenFilter extends OncePerRequestFilter {

        private final SignIns signIns;

        private TokenFilter(SignIns signIns) {
            this.signIns = signIns;
        }

        @Override
        protected void doFilterInternal(HttpServletRequest request, HttpServletResponse response, FilterChain chain)
                throws ServletException, IOException {
            // What needs nobody to be signed in, such as the console's files, asks the store nothing.
            if (request.getRequestURI().startsWith("/api/")) {
                token(request).flatMap(signIns::whose).ifPresent(who -> {
                    UsernamePasswordAuthenticationToken signedIn = UsernamePasswordAuthenticationToken.authenticated(who.name(), null, List.of());
                    signedIn.setDetails(who);
                    SecurityContextHolder.getContext().setAuthentication(signedIn);
                });
            }
            chain.doFilter(request, response);
        }
    }
}
