package rilvan.server.events;

import java.net.URI;
import java.net.URISyntaxException;
import java.security.SecureRandom;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.stereotype.Component;
import org.springframework.transaction.annotation.Transactional;
import rilvan.core.document.Digest;
import rilvan.core.document.KnownNames;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.server.Settings;
import rilvan.server.keys.CredentialVault;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Events;
import rilvan.server.store.Events.Happened;
import rilvan.server.store.Json;
import rilvan.server.store.WebhookRecords;
import rilvan.server.store.WebhookRecords.WebhookRow;
import tools.jackson.core.type.TypeReference;

/** The addresses that are sent events: each with a name, the kinds that it wants, and a secret that its requests are signed with. */
@Component
public class Webhooks {

    /** As many as an installation may have. */
    public static final int MOST = 100;

    private static final int SECRET_BYTES = 32;
    private static final TypeReference<List<String>> KINDS = new TypeReference<>() {};

    private final WebhookRecords records;
    private final WebhookSending sending;
    private final Events events;
    private final EventStream stream;
    private final CredentialVault vault;
    private final Json json;
    private final boolean privateAddresses;
    private final SecureRandom random = new SecureRandom();

    Webhooks(WebhookRecords records, WebhookSending sending, Events events, EventStream stream, CredentialVault vault, Json json, Settings settings) {
        this.records = records;
        this.sending = sending;
        this.events = events;
        this.stream = stream;
        this.vault = vault;
        this.json = json;
        this.privateAddresses = settings.webhooks().privateAddresses();
    }

    /** There is no webhook of a name. */
    public static final class Unknown extends RuntimeException {
        Unknown(String message) {
            super(message);
        }
    }

    /** There are as many as there may be. */
    public static final class TooMany extends RuntimeException {
        TooMany() {
            super("there are " + MOST + " webhooks already; remove one");
        }
    }

    /**
     * A webhook as it is now.
     *
     * @param kinds that it wants; none for all
     * @param taken the number of the last event that it has taken, or that was none for it
     * @param waiting how many events have come since, of any kind
     * @param failingFrom since when sending fails; null where it does not
     * @param failure why; empty where it does not
     * @param nextAt when it is tried again; null where it does not fail, and where it is given up
     * @param givenUpAt since when nothing is sent any more; null where it is
     */
    public record Webhook(String name, String address, List<String> kinds, long taken, long waiting, @Nullable OffsetDateTime failingFrom, String failure, @Nullable OffsetDateTime nextAt, @Nullable OffsetDateTime givenUpAt,
            OffsetDateTime createdAt, String createdBy) {

        /** Another one where it has another address, or wants other events. */
        public String tag() {
            return Digest.of(address + kinds);
        }
    }

    public List<Webhook> all() {
        long last = events.last();
        return records.all().stream().map(row -> webhook(row, last)).toList();
    }

    /** @throws Unknown naming the nearest */
    public Webhook webhook(String name) {
        return webhook(row(name), events.last());
    }

    private Webhook webhook(WebhookRow row, long last) {
        return new Webhook(row.name(), row.address(), json.read(row.kindsJson(), KINDS), row.taken(), Math.max(0, last - row.taken()), row.failingFrom(), row.failure(),
                row.failingFrom() == null || row.givenUpAt() != null ? null : row.nextAt(), row.givenUpAt(), row.createdAt(), row.createdBy());
    }

    private WebhookRow row(String name) {
        return records.webhook(name).orElseThrow(() -> {
            List<String> known = records.all().stream().map(WebhookRow::name).toList();
            return new Unknown("there is no webhook named '" + name + "'" + (known.isEmpty() ? "" : "; " + KnownNames.instead(name, known)));
        });
    }

    /**
     * Adds a webhook, or changes one. A new one is sent what happens from then on.
     *
     * @return the secret of a new one, which is shown this once; absent where there was one
     * @throws ValidationFailure naming every field at fault
     * @throws Precondition.Failed where it is another one than was seen
     */
    @Transactional
    public Optional<String> put(String name, Precondition seen, String address, List<String> kinds, String by) {
        List<Problem> problems = new ArrayList<>();
        if (!PlainText.isName(name)) {
            problems.add(new Problem("/name", "'" + name + "' is no name: small letters, digits and hyphens, 63 at most"));
        }
        uri(address).map(uri -> PublicAddress.fault(uri, privateAddresses)).orElse(Optional.of("'" + address + "' is no address; it looks like https://hooks.example.net/rilvan"))
                .ifPresent(fault -> problems.add(new Problem("/address", fault)));
        for (int i = 0; i < kinds.size(); i++) {
            if (!EventKinds.KNOWN.contains(kinds.get(i))) {
                problems.add(new Problem("/kinds/" + i, "there are no events '" + kinds.get(i) + "'; " + KnownNames.instead(kinds.get(i), EventKinds.KNOWN)));
            }
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        records.lock();
        seen.check(name, records.webhook(name).map(row -> webhook(row, events.last()).tag()));
        if (records.change(name, address, json.write(kinds)) > 0) {
            return Optional.empty();
        }
        if (records.count() >= MOST) {
            throw new TooMany();
        }
        byte[] bytes = new byte[SECRET_BYTES];
        random.nextBytes(bytes);
        String secret = Base64.getUrlEncoder().withoutPadding().encodeToString(bytes);
        return records.add(name, address, json.write(kinds), vault.seal(CredentialVault.ofWebhook(name), secret), events.last(), by) > 0 ? Optional.of(secret) : Optional.empty();
    }

    private static Optional<URI> uri(String address) {
        try {
            return address == null ? Optional.empty() : Optional.of(new URI(address));
        } catch (URISyntaxException e) {
            return Optional.empty();
        }
    }

    /** @throws Precondition.Failed where it is another one than was seen */
    @Transactional
    public void remove(String name, Precondition seen) {
        records.lock();
        seen.check(name, Optional.of(webhook(name).tag()));
        records.remove(name);
    }

    /**
     * Sends an event at once that says nothing, whatever waits; it has no number of its own.
     *
     * @return why it was not taken; absent where it was
     */
    public Optional<String> attempt(String name) {
        WebhookRow row = row(name);
        Happened nothing = new Happened(events.last(), OffsetDateTime.now(ZoneOffset.UTC), "webhook.tried", null, null, null, null, json.write(Map.of("name", name)));
        return sending.post(row, stream.event(nothing));
    }

    /**
     * Begins to send again, also to one that was given up.
     *
     * @param after everything after this event; absent for what it has not taken yet
     */
    public void resume(String name, Optional<Long> after) {
        WebhookRow row = row(name);
        long last = events.last();
        after.filter(number -> number < 0 || number > last).ifPresent(number -> {
            throw new ValidationFailure("/after", "must be from 0 to " + last + ", the number of the last event");
        });
        records.resume(name, after.orElse(row.taken()));
    }
}
