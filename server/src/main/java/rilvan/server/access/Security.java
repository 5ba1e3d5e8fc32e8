package rilvan.server.access;

import jakarta.servlet.DispatcherType;
import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.util.List;
import java.util.Optional;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.core.annotation.Order;
import org.springframework.http.HttpMethod;
import org.springframework.http.HttpStatus;
import org.springframework.security.authentication.UsernamePasswordAuthenticationToken;
import org.springframework.security.config.annotation.web.builders.HttpSecurity;
import org.springframework.security.config.http.SessionCreationPolicy;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.security.core.userdetails.User;
import org.springframework.security.core.userdetails.UserDetailsService;
import org.springframework.security.core.userdetails.UsernameNotFoundException;
import org.springframework.security.crypto.factory.PasswordEncoderFactories;
import org.springframework.security.crypto.password.PasswordEncoder;
import org.springframework.security.web.SecurityFilterChain;
import org.springframework.security.web.authentication.HttpStatusEntryPoint;
import org.springframework.security.web.authentication.UsernamePasswordAuthenticationFilter;
import org.springframework.security.web.authentication.logout.HttpStatusReturningLogoutSuccessHandler;
import org.springframework.web.filter.OncePerRequestFilter;
import rilvan.server.store.Accounts;

/** Two ways in: programs bring a token with every request; the console signs in once and keeps a session. */
@Configuration
public class Security {

    private static final Logger LOG = LoggerFactory.getLogger(Security.class);
    private static final int LONGEST_NAME = 64;

    @Bean
    PasswordEncoder passwords() {
        return PasswordEncoderFactories.createDelegatingPasswordEncoder();
    }

    @Bean
    UserDetailsService users(Accounts accounts) {
        return name -> accounts.passwordHash(name)
                .map(hash -> User.withUsername(name).password(hash).build())
                .orElseThrow(() -> new UsernameNotFoundException(name));
    }

    @Bean
    @Order(1)
    SecurityFilterChain programs(HttpSecurity http, Tokens tokens) throws Exception {
        return http
                .securityMatcher(request -> Optional.ofNullable(request.getHeader("Authorization")).orElse("").startsWith("Bearer ")
                        || request.getRequestURI().equals("/api/v1/tokens"))
                .csrf(csrf -> csrf.disable())
                .sessionManagement(sessions -> sessions.sessionCreationPolicy(SessionCreationPolicy.STATELESS))
                .addFilterBefore(new TokenFilter(tokens), UsernamePasswordAuthenticationFilter.class)
                .exceptionHandling(errors -> errors.authenticationEntryPoint(new HttpStatusEntryPoint(HttpStatus.UNAUTHORIZED)))
                .authorizeHttpRequests(requests -> requests
                        .dispatcherTypeMatchers(DispatcherType.ASYNC, DispatcherType.ERROR).permitAll()
                        .requestMatchers(HttpMethod.POST, "/api/v1/tokens").permitAll()
                        .anyRequest().authenticated())
                .build();
    }

    @Bean
    @Order(2)
    SecurityFilterChain people(HttpSecurity http) throws Exception {
        return http
                .csrf(csrf -> csrf.spa())
                // Nobody is led back to what they asked before: a session made for that, whose cookie comes late, would replace theirs.
                .requestCache(cache -> cache.disable())
                .formLogin(form -> form.loginProcessingUrl("/api/v1/session")
                        .successHandler((request, response, who) -> response.setStatus(204))
                        .failureHandler((request, response, why) -> {
                            refused(request.getParameter("username"), request);
                            response.setStatus(401);
                        }))
                .logout(logout -> logout.logoutUrl("/api/v1/session/end")
                        .logoutSuccessHandler(new HttpStatusReturningLogoutSuccessHandler(HttpStatus.NO_CONTENT)))
                .exceptionHandling(errors -> errors.authenticationEntryPoint(new HttpStatusEntryPoint(HttpStatus.UNAUTHORIZED)))
                .headers(headers -> headers.contentSecurityPolicy(policy -> policy.policyDirectives(
                        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'")))
                .authorizeHttpRequests(requests -> requests
                        .dispatcherTypeMatchers(DispatcherType.ASYNC, DispatcherType.ERROR, DispatcherType.FORWARD).permitAll()
                        .requestMatchers("/api/v1/session", "/api/v1/health").permitAll()
                        .requestMatchers("/api/**").authenticated()
                        .anyRequest().permitAll())
                .build();
    }

    /** Logs a sign-in that was refused. What was given as a name may be anything: it is cut, and has no line breaks. */
    static void refused(String account, HttpServletRequest request) {
        String name = String.valueOf(account).replaceAll("\\p{Cntrl}", "?");
        LOG.warn("sign-in refused: account '{}', from {}", name.substring(0, Math.min(name.length(), LONGEST_NAME)), request.getRemoteAddr());
    }

    /** Not a bean, so that only the programs' chain has it. */
    private static final class TokenFilter extends OncePerRequestFilter {

        private final Tokens tokens;

        private TokenFilter(Tokens tokens) {
            this.tokens = tokens;
        }

        @Override
        protected void doFilterInternal(HttpServletRequest request, HttpServletResponse response, FilterChain chain)
                throws ServletException, IOException {
            String header = request.getHeader("Authorization");
            if (header != null && header.startsWith("Bearer ")) {
                tokens.whose(header.substring("Bearer ".length())).ifPresent(who -> SecurityContextHolder.getContext()
                        .setAuthentication(UsernamePasswordAuthenticationToken.authenticated(who, null, List.of())));
            }
            chain.doFilter(request, response);
        }
    }
}
