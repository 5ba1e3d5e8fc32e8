package rilvan.server.api;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.events.Webhooks;
import rilvan.server.events.Webhooks.Webhook;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.preconditions.Precondition;

/** Addresses that are sent events. */
@RestController
@RequestMapping("/api/v1/webhooks")
public class WebhookController {

    private final Webhooks webhooks;

    WebhookController(Webhooks webhooks) {
        this.webhooks = webhooks;
    }

    /**
     * What a webhook is to be.
     *
     * @param address where each event is posted to, with https://
     * @param kinds the kinds that it wants, such as order.ended, or the first word of several; none for all
     */
    public record WebhookDocument(String address, @Nullable List<String> kinds) {}

    /**
     * A webhook after a change.
     *
     * @param secret what its requests are signed with, shown this once; null where there was one already
     */
    public record ChangedView(Webhook webhook, @Nullable String secret) {}

    /**
     * What came of a trial.
     *
     * @param failure why the event was not taken; empty where it was
     */
    public record TrialView(boolean taken, String failure) {}

    /**
     * From where sending begins again.
     *
     * @param after the number of an event, everything after which is sent; null for what was not taken yet
     */
    public record Resumption(@Nullable Long after) {}

    /** All webhooks, by name. */
    @GetMapping
    @Requires(Role.ADMINISTER)
    List<Webhook> all() {
        return webhooks.all();
    }

    /** A webhook, with its entity tag. */
    @GetMapping("/{name}")
    @Requires(Role.ADMINISTER)
    ResponseEntity<Webhook> webhook(@PathVariable String name) {
        Webhook webhook = webhooks.webhook(name);
        return ResponseEntity.ok().eTag(EntityTag.of(webhook.tag())).body(webhook);
    }

    /** Adds a webhook, which is sent what happens from then on, or changes one. {@code If-Match} with its entity tag makes sure that it is still the one that was seen, {@code If-None-Match: *} that there is none. */
    @PutMapping("/{name}")
    @ApiResponse(responseCode = "201", description = "It is added; its secret is shown this once.")
    @ApiResponse(responseCode = "200", description = "It is changed.")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "put webhook", about = "webhook")
    ResponseEntity<ChangedView> put(@PathVariable String name, @RequestBody WebhookDocument document, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match,
            @RequestHeader(HttpHeaders.IF_NONE_MATCH) Optional<String> noneMatch, Caller caller, Act act) {
        act.about("webhook", name).after(document);
        Optional<String> secret = webhooks.put(name, Precondition.of(match, noneMatch), document.address(), Objects.requireNonNullElse(document.kinds(), List.of()), caller.name());
        Webhook webhook = webhooks.webhook(name);
        return ResponseEntity.status(secret.isPresent() ? HttpStatus.CREATED : HttpStatus.OK).eTag(EntityTag.of(webhook.tag())).body(new ChangedView(webhook, secret.orElse(null)));
    }

    /** Removes a webhook. */
    @DeleteMapping("/{name}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "remove webhook", about = "webhook")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void remove(@PathVariable String name, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Act act) {
        act.about("webhook", name).before(webhooks.webhook(name));
        webhooks.remove(name, Precondition.of(match, Optional.empty()));
    }

    /** Sends an event at once that says nothing, and tells whether it was taken. */
    @PostMapping("/{name}/trials")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "try webhook", about = "webhook")
    TrialView attempt(@PathVariable String name, Act act) {
        act.about("webhook", name);
        Optional<String> failure = webhooks.attempt(name);
        return new TrialView(failure.isEmpty(), failure.orElse(""));
    }

    /** Begins to send again at once, also to one that was given up, and also what it has taken already. */
    @PostMapping("/{name}/resumption")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "resume webhook", about = "webhook")
    Webhook resume(@PathVariable String name, @RequestBody Resumption resumption, Act act) {
        act.about("webhook", name).after(resumption);
        webhooks.resume(name, Optional.ofNullable(resumption.after()));
        return webhooks.webhook(name);
    }
}
