package rilvan.server.events;

import jakarta.annotation.PostConstruct;
import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import rilvan.core.document.PlainText;
import rilvan.server.Settings;
import rilvan.server.keys.CredentialVault;
import rilvan.server.ops.Repeating;
import rilvan.server.store.Events;
import rilvan.server.store.Events.Wanted;
import rilvan.server.store.Json;
import rilvan.server.store.WebhookRecords;
import rilvan.server.store.WebhookRecords.WebhookRow;
import tools.jackson.core.type.TypeReference;

/**
 * Sends events to the addresses that want them: each event as a request of its own, in the order of their numbers, signed. What is not taken is sent again after longer and longer pauses, for
 * a day; then it is given up, which is an event. An event may come twice, where its answer was lost; its number tells.
 */
@Component
public class WebhookSending {

    static final String CONTENT_TYPE = "application/cloudevents+json; charset=UTF-8";
    private static final Logger LOG = LoggerFactory.getLogger(WebhookSending.class);
    private static final TypeReference<List<String>> KINDS = new TypeReference<>() {};
    private static final Duration LOOK = Duration.ofMillis(500);
    private static final Duration PATIENCE = Duration.ofSeconds(10);
    /** How long one instance has a webhook to itself after each request: longer than a request can take. */
    private static final long CLAIM_SECONDS = 30;
    private static final int BATCH = 50;
    private static final long LONGEST_PAUSE_SECONDS = 3_600;
    private static final int LONGEST_FAILURE = 300;
    private static final int GONE = 410;

    private final WebhookRecords webhooks;
    private final Events events;
    private final EventStream stream;
    private final CredentialVault vault;
    private final Json json;
    private final Settings.Webhooks settings;
    private final HttpClient http = HttpClient.newBuilder().connectTimeout(PATIENCE).followRedirects(HttpClient.Redirect.NEVER).build();
    private final Repeating sending = new Repeating("webhooks");

    WebhookSending(WebhookRecords webhooks, Events events, EventStream stream, CredentialVault vault, Json json, Settings settings) {
        this.webhooks = webhooks;
        this.events = events;
        this.stream = stream;
        this.vault = vault;
        this.json = json;
        this.settings = settings.webhooks();
    }

    @PostConstruct
    void begin() {
        sending.begin(LOOK, LOOK, this::sendDue);
    }

    @PreDestroy
    void close() {
        sending.close();
    }

    /** Sends what there is to those that are due. */
    void sendDue() {
        long last = events.last();
        String claim = UUID.randomUUID().toString();
        for (Optional<WebhookRow> due = webhooks.claim(claim, last, CLAIM_SECONDS); due.isPresent() && !sending.isOver(); due = webhooks.claim(claim, last, CLAIM_SECONDS)) {
            send(due.get(), claim, last);
        }
    }

    private void send(WebhookRow webhook, String claim, long last) {
        List<String> kinds = json.read(webhook.kindsJson(), KINDS);
        Wanted wanted = new Wanted(kinds.isEmpty() ? null : kinds, null, null, null, null);
        long taken = webhook.taken();
        while (taken < last) {
            List<CloudEvent> found = stream.after(taken, BATCH, wanted, null);
            for (CloudEvent event : found) {
                Optional<String> failure = post(webhook, event);
                if (failure.isPresent()) {
                    failed(webhook, claim, failure.get());
                    return;
                }
                taken = Long.parseLong(event.id());
                if (webhooks.taken(webhook.name(), claim, taken, CLAIM_SECONDS) == 0) {
                    return;
                }
            }
            // What has come meanwhile was found as well.
            taken = found.size() == BATCH ? taken : Math.max(taken, last);
        }
        // Nothing more to send: whoever finds something may go on at once.
        webhooks.taken(webhook.name(), claim, taken, 0);
    }

    private void failed(WebhookRow webhook, String claim, String failure) {
        String why = PlainText.cleaned(failure, LONGEST_FAILURE);
        WebhookRow now = webhooks.webhook(webhook.name()).orElse(webhook);
        boolean longEnough = webhooks.failingSeconds(webhook.name()).filter(seconds -> seconds > settings.givenUpAfter().toSeconds()).isPresent();
        if (longEnough || failure.startsWith("it answers " + GONE)) {
            LOG.warn("the webhook {} is given up: {}", webhook.name(), why);
            webhooks.giveUp(webhook.name(), claim, why);
        } else {
            webhooks.failed(webhook.name(), claim, why, Math.min(LONGEST_PAUSE_SECONDS, 1L << Math.min(now.tries(), 12)));
        }
    }

    /**
     * Sends one event.
     *
     * @return why it was not taken; absent where it was
     */
    Optional<String> post(WebhookRow webhook, CloudEvent event) {
        URI address = URI.create(webhook.address());
        Optional<String> fault = PublicAddress.fault(address, settings.privateAddresses());
        if (fault.isPresent()) {
            return fault;
        }
        String body = json.write(event);
        HttpRequest.Builder request = HttpRequest.newBuilder(address).timeout(PATIENCE).POST(HttpRequest.BodyPublishers.ofString(body));
        Map<String, String> signed = MessageSignature.headers(address, CONTENT_TYPE, body, webhook.name(), vault.open(CredentialVault.ofWebhook(webhook.name()), webhook.secret()), Instant.now().getEpochSecond());
        signed.forEach(request::header);
        try {
            int status = http.send(request.build(), HttpResponse.BodyHandlers.discarding()).statusCode();
            return status >= 200 && status < 300 ? Optional.empty() : Optional.of("it answers " + status);
        } catch (IOException e) {
            return Optional.of("it cannot be reached: " + (e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage()));
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            return Optional.of("the service is ending");
        }
    }
}
