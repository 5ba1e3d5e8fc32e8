package rilvan.server;

import jakarta.validation.Valid;
import jakarta.validation.constraints.AssertTrue;
import jakarta.validation.constraints.Max;
import jakarta.validation.constraints.Min;
import jakarta.validation.constraints.NotNull;
import java.net.URI;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import org.hibernate.validator.constraints.time.DurationMax;
import org.hibernate.validator.constraints.time.DurationMin;
import org.springframework.boot.context.properties.ConfigurationProperties;
import org.springframework.boot.context.properties.bind.DefaultValue;
import org.springframework.validation.annotation.Validated;

/**
 * All that an installation may set, each with a default; docs/settings.md says what each means. A value out of its range keeps the
 * service from starting.
 *
 * @param models folder of service models, dialects and the vocabulary
 * @param keyFile the key that opens the store: 32 bytes that only its owner may read
 * @param storeTimelineFile where the highest timeline of the store is kept, so that a former primary is told after a restart as well; nowhere where it is null
 * @param stateFolder where the wanted state is written as files, a git repository; nowhere where it is null
 * @param checkTimeout within which a check must pass, where its observation has no timeout of its own
 * @param settleTime how long the network may take to follow a change, before checks of a service that existed already begin
 * @param healthInterval how long after its last checks a service is checked again
 * @param changeNotices whether devices that can are asked to say when they are changed, each in a session of its own
 * @param readingInterval how long after its last reading a device is read again
 * @param lease how long an instance may be silent before another one takes over the orders that it drives
 * @param takeoverInterval how often an instance looks for orders that no instance drives
 * @param planningTime how long an order may take to be worked out
 * @param deviceTimeout how long a device may take to answer
 * @param sessionIdle how long a session that nobody uses is kept open
 * @param sessionsPerDevice sessions with one device that may be in use at a time
 * @param idleSessionsPerDevice sessions with one device that are kept open for the next order
 * @param idleSessions sessions that are kept open in total
 * @param slowAnswer an answer that takes longer is logged
 * @param requestsPerSecond how many requests an account may send to an instance each second, on average
 * @param ordersKept how long orders that have ended keep their lines, steps and checks
 * @param actsKept how long acts stay in the log of acts; what is older is closed and leaves a signed digest
 * @param eventsKept how long events are kept for those who follow them
 * @param logHeads where signed heads of the log of acts are sent
 * @param webhooks addresses that are sent events
 * @param openid the identity provider at which people may sign in
 * @param testStore whether the database may forget what it was told; only for tests
 */
@Validated
@ConfigurationProperties("rilvan")
public record Settings(
        @NotNull @DefaultValue("models") Path models,
        @NotNull @DefaultValue("rilvan.key") Path keyFile,
        Path storeTimelineFile,
        Path stateFolder,
        @DurationMin(millis = 100) @DurationMax(minutes = 10) @DefaultValue("10s") Duration checkTimeout,
        @DurationMin(millis = 0) @DurationMax(minutes = 10) @DefaultValue("1s") Duration settleTime,
        @DurationMin(seconds = 1) @DurationMax(days = 30) @DefaultValue("15m") Duration healthInterval,
        @DefaultValue("false") boolean changeNotices,
        @DurationMin(seconds = 1) @DurationMax(days = 30) @DefaultValue("1h") Duration readingInterval,
        @DurationMin(seconds = 1) @DurationMax(minutes = 10) @DefaultValue("5s") Duration lease,
        @DurationMin(millis = 50) @DurationMax(minutes = 1) @DefaultValue("500ms") Duration takeoverInterval,
        @DurationMin(seconds = 1) @DurationMax(hours = 1) @DefaultValue("2m") Duration planningTime,
        @DurationMin(millis = 100) @DurationMax(minutes = 10) @DefaultValue("10s") Duration deviceTimeout,
        @DurationMin(seconds = 1) @DurationMax(hours = 24) @DefaultValue("2m") Duration sessionIdle,
        @Min(1) @Max(64) @DefaultValue("6") int sessionsPerDevice,
        @Min(0) @Max(64) @DefaultValue("2") int idleSessionsPerDevice,
        @Min(0) @Max(100_000) @DefaultValue("2000") int idleSessions,
        @DurationMin(millis = 1) @DurationMax(minutes = 10) @DefaultValue("2s") Duration slowAnswer,
        @Min(1) @Max(1_000_000) @DefaultValue("500") int requestsPerSecond,
        @DurationMin(days = 1) @DurationMax(days = 36_500) @DefaultValue("1095d") Duration ordersKept,
        @DurationMin(days = 30) @DurationMax(days = 36_500) @DefaultValue("1095d") Duration actsKept,
        @DurationMin(minutes = 1) @DurationMax(days = 3_650) @DefaultValue("30d") Duration eventsKept,
        @Valid @NotNull @DefaultValue LogHeads logHeads,
        @Valid @NotNull @DefaultValue Webhooks webhooks,
        @Valid @NotNull @DefaultValue OpenId openid,
        @DefaultValue("false") boolean testStore) {

    /**
     * The identity provider at which people may sign in (OpenID Connect).
     *
     * @param issuer its address, from which it is found out how it works; null for none
     * @param clientId what it knows this service as
     * @param clientSecret what this service proves that with
     * @param label what the button on the sign-in page says
     * @param nameClaim the claim that has the name of the account
     * @param rolesClaim the claim whose values give roles
     * @param grants what each of these values gives
     */
    public record OpenId(
            URI issuer,
            @NotNull @DefaultValue("") String clientId,
            @NotNull @DefaultValue("") String clientSecret,
            @NotNull @DefaultValue("Sign in with your organisation") String label,
            @NotNull @DefaultValue("preferred_username") String nameClaim,
            @NotNull @DefaultValue("groups") String rolesClaim,
            @NotNull @DefaultValue List<Given> grants) {

        /**
         * What a value of the roles claim gives.
         *
         * @param roles by their words
         * @param tenants for services of these; for all where null
         * @param sites on devices of these; on all where null
         */
        public record Given(@NotNull String value, @NotNull List<String> roles, List<String> tenants, List<String> sites) {}

        @AssertTrue(message = "rilvan.openid.issuer must begin with http:// or https://, and needs rilvan.openid.client-id, rilvan.openid.client-secret and rilvan.openid.grants beside it")
        boolean isWhole() {
            return issuer == null || List.of("http", "https").contains(issuer.getScheme()) && !clientId.isBlank() && !clientSecret.isBlank() && !grants.isEmpty();
        }

        @Override
        public String toString() {
            return "identity provider " + issuer;
        }
    }

    /**
     * Addresses that are sent events.
     *
     * @param privateAddresses whether they may be in networks of one's own, and be sent to without encryption
     * @param givenUpAfter how long sending to one may fail
     */
    public record Webhooks(
            @DefaultValue("false") boolean privateAddresses,
            @DurationMin(seconds = 1) @DurationMax(days = 30) @DefaultValue("24h") Duration givenUpAfter) {}

    /**
     * Where signed heads of the log of acts are sent, beside the database.
     *
     * @param interval how often, where acts have come
     * @param file to which each is added as a line of JSON; null for none
     * @param syslog the server that is sent each (RFC 5424): {@code udp://HOST:PORT} or {@code tcp://HOST:PORT}; null for none
     * @param webhook the address to which each is posted; null for none
     */
    public record LogHeads(
            @DurationMin(seconds = 1) @DurationMax(days = 1) @DefaultValue("1m") Duration interval,
            Path file,
            URI syslog,
            URI webhook) {

        @AssertTrue(message = "rilvan.log-heads.syslog must be udp://HOST:PORT or tcp://HOST:PORT, and rilvan.log-heads.webhook begin with http:// or https://")
        boolean isReachable() {
            return (syslog == null || List.of("udp", "tcp").contains(syslog.getScheme()) && syslog.getHost() != null && syslog.getPort() > 0)
                    && (webhook == null || List.of("http", "https").contains(webhook.getScheme()) && webhook.getHost() != null);
        }
    }
}
