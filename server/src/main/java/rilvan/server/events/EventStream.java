package rilvan.server.events;

import jakarta.annotation.PostConstruct;
import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.function.Supplier;
import java.util.function.UnaryOperator;
import java.util.stream.Collectors;
import org.springframework.dao.DataAccessException;
import org.springframework.http.MediaType;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import org.springframework.transaction.support.TransactionTemplate;
import org.springframework.web.servlet.mvc.method.annotation.ResponseBodyEmitter;
import org.springframework.web.servlet.mvc.method.annotation.SseEmitter;
import rilvan.server.Settings;
import rilvan.server.ops.Repeating;
import rilvan.server.ops.Threads;
import rilvan.server.store.Acts;
import rilvan.server.store.Events;
import rilvan.server.store.Events.Happened;
import rilvan.server.store.Events.Wanted;
import rilvan.server.store.Json;

/**
 * Tells whoever follows it what happens, through whatever instance it happens. Each follower has a place in the sequence of numbers and is told everything after it, once: what they miss
 * while they are away is told when they come again with the last number that they have heard.
 */
@Component
public class EventStream {

    /** Followers of one instance. */
    public static final int MOST_FOLLOWERS = 200;

    private static final Duration LOOK = Duration.ofMillis(250);
    private static final Duration HEARTBEAT = Duration.ofSeconds(15);
    private static final Duration RETENTION = Duration.ofMinutes(10);
    private static final int BATCH = 500;
    private static final MediaType TEXT = new MediaType(MediaType.TEXT_PLAIN, StandardCharsets.UTF_8);

    private final Events events;
    private final String installation;
    private final Json json;
    private final TransactionTemplate transactions;
    private final Duration kept;
    private final Set<Follower> followers = ConcurrentHashMap.newKeySet();
    private final Repeating look = new Repeating("events");
    private final Repeating heartbeat = new Repeating("event heartbeat");
    private final Repeating retention = new Repeating("retention of events");
    private final ExecutorService telling = Executors.newCachedThreadPool(Threads.named("event-stream"));

    EventStream(Events events, Acts acts, Json json, TransactionTemplate transactions, Settings settings) {
        this.events = events;
        this.installation = acts.log();
        this.json = json;
        this.transactions = transactions;
        this.kept = settings.eventsKept();
    }

    /** There are as many followers as one instance has places for. */
    public static final class Full extends RuntimeException {
        Full() {
            super(MOST_FOLLOWERS + " programs follow this instance's events already; end one of them, or follow those of another instance");
        }
    }

    /**
     * What somebody may see.
     *
     * @param scopes as the store has it; null for everything
     * @param mask takes out of texts what they are not to know
     */
    public record View(String scopes, UnaryOperator<String> mask) {}

    @PostConstruct
    void begin() {
        look.begin(LOOK, LOOK, this::lookRound);
        heartbeat.begin(HEARTBEAT, HEARTBEAT, () -> followers.forEach(follower -> follower.wake(true)));
        retention.begin(RETENTION, RETENTION, this::drop);
    }

    @PreDestroy
    void close() {
        look.close();
        heartbeat.close();
        retention.close();
        telling.shutdownNow();
    }

    /** Numbers what has happened, and wakes those who have not heard all of it. */
    void lookRound() {
        if (events.hasOpen()) {
            transactions.executeWithoutResult(status -> {
                if (events.lock()) {
                    events.number();
                }
            });
        }
        if (!followers.isEmpty()) {
            long last = events.last();
            followers.stream().filter(follower -> follower.heard < last).forEach(follower -> follower.wake(false));
        }
    }

    private void drop() {
        int dropped = BATCH;
        while (dropped == BATCH) {
            dropped = events.drop(kept.toSeconds(), BATCH);
        }
    }

    /** The number of the last event. */
    public long last() {
        return events.last();
    }

    /** Some events after a number, the earliest first. */
    public List<CloudEvent> after(long number, int limit, Wanted wanted, String scopes) {
        return events.after(number, limit, wanted, scopes).stream().map(this::event).toList();
    }

    /** What has happened as it is told. */
    CloudEvent event(Happened happened) {
        return CloudEvent.of(happened, installation, json);
    }

    /**
     * Follows what happens.
     *
     * @param after everything after this number is told, as far as it is kept
     * @param view asked again each time: what whoever follows may see by then; absent once they may no longer look
     */
    public SseEmitter follow(long after, Wanted wanted, Supplier<Optional<View>> view) {
        if (followers.size() >= MOST_FOLLOWERS) {
            throw new Full();
        }
        Follower follower = new Follower(after, wanted, view);
        followers.add(follower);
        Runnable gone = () -> followers.remove(follower);
        follower.emitter.onCompletion(gone);
        follower.emitter.onTimeout(gone);
        follower.wake(true);
        return follower.emitter;
    }

    /** Somebody who follows. Each is told by one thread at a time, so that one who does not listen keeps no other one waiting. */
    private final class Follower {

        private final SseEmitter emitter = new SseEmitter(0L);
        private final Wanted wanted;
        private final Supplier<Optional<View>> view;
        private final AtomicBoolean told = new AtomicBoolean();
        private final AtomicBoolean beat = new AtomicBoolean();
        private volatile long heard;

        private Follower(long after, Wanted wanted, Supplier<Optional<View>> view) {
            this.heard = after;
            this.wanted = wanted;
            this.view = view;
        }

        /** @param alive whether to show that the service is there, even where nothing has happened */
        private void wake(boolean alive) {
            beat.compareAndSet(false, alive);
            if (told.compareAndSet(false, true)) {
                telling.execute(this::tell);
            }
        }

        private void tell() {
            try {
                Optional<View> seen = view.get();
                if (seen.isEmpty()) {
                    followers.remove(this);
                    emitter.complete();
                    return;
                }
                // An id alone: whoever is lost now goes on behind it, though none of what happened was for them.
                StringBuilder text = new StringBuilder(beat.getAndSet(false) ? "id:" + heard + "\n\n" : "");
                long first = events.first();
                if (heard + 1 < first) {
                    text.append("event:gap\ndata:{\"after\":").append(heard).append(",\"first\":").append(first).append("}\n\n");
                    heard = first - 1;
                }
                long last = events.last();
                while (heard < last) {
                    List<CloudEvent> found = after(heard, BATCH, wanted, seen.get().scopes());
                    text.append(found.stream().map(each -> each.asText(json)).collect(Collectors.joining()));
                    // What has come meanwhile was found as well.
                    long told = found.isEmpty() ? heard : Long.parseLong(found.get(found.size() - 1).id());
                    heard = found.size() == BATCH ? told : Math.max(told, last);
                    send(text, seen.get());
                }
                send(text, seen.get());
            } catch (IOException | IllegalStateException | DataAccessException | TransactionException e) {
                // Whoever is still there comes again with the last number that they have heard.
                followers.remove(this);
                emitter.completeWithError(e);
            } finally {
                told.set(false);
            }
        }

        private void send(StringBuilder text, View seen) throws IOException {
            if (text.length() > 0) {
                emitter.send(Set.of(new ResponseBodyEmitter.DataWithMediaType(seen.mask().apply(text.toString()), TEXT)));
                text.setLength(0);
            }
        }
    }
}
