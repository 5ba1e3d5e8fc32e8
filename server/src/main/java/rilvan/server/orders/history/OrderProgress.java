package rilvan.server.orders.history;

import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.function.Supplier;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import org.springframework.dao.DataAccessException;
import org.springframework.http.MediaType;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import org.springframework.web.servlet.mvc.method.annotation.ResponseBodyEmitter;
import org.springframework.web.servlet.mvc.method.annotation.SseEmitter;
import rilvan.core.transaction.Action.Outcome;
import rilvan.core.transaction.State;
import rilvan.server.ops.Repeating;
import rilvan.server.ops.Threads;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.EventRow;

/**
 * Tells whoever follows an order what happens in it, from its first event on, however late they come. Telling has a thread of
 * its own: a follower who does not listen keeps no order waiting.
 */
@Component
public class OrderProgress {

    /** The phase of lines that are records of the journal; their word is the state. */
    public static final String RECORD = "RECORD";

    /** The phase of the line that tells how what stands beside an order did before it. */
    public static final String BASELINE = "BASELINE";

    private static final Duration HEARTBEAT = Duration.ofSeconds(15);
    private static final Duration VIEW_HOLDS = Duration.ofSeconds(10);

    /** The text of events (WHATWG HTML §9.2.6), written here: a converter for each field of each event would be most of the work. */
    private static final MediaType TEXT = new MediaType(MediaType.TEXT_PLAIN, StandardCharsets.UTF_8);

    private final Orders orders;
    private final Map<Long, Live> live = new HashMap<>();
    private final Map<Long, Live> elsewhere = new HashMap<>();
    private final Repeating heartbeat = new Repeating("order heartbeat");
    private final ExecutorService telling = Executors.newSingleThreadExecutor(Threads.named("order-progress"));

    private static final class Live {
        private final List<StepView> told = new ArrayList<>();
        private final List<Follower> followers = new ArrayList<>();
        private State state = State.PLANNED;
    }

    /**
     * Somebody who follows an order. What there is to tell while they are still being told something is told in one go
     * afterwards: a hundred devices say a thousand things within a second.
     */
    private final class Follower {

        private final SseEmitter emitter = new SseEmitter(0L);
        private final StringBuilder waiting = new StringBuilder();
        private final Supplier<Optional<UnaryOperator<String>>> view;
        private Optional<UnaryOperator<String>> mask = Optional.empty();
        private long asked;

        private Follower(Supplier<Optional<UnaryOperator<String>>> view) {
            this.view = view;
        }

        /** How they may be told something now; absent once they may no longer look. Asked at intervals: an order tells much within a second. */
        private Optional<UnaryOperator<String>> mask() {
            if (mask.isEmpty() || System.nanoTime() - asked > VIEW_HOLDS.toNanos()) {
                mask = view.get();
                asked = System.nanoTime();
            }
            return mask;
        }

        private void hear(String name, Object data) {
            hear("event:" + name + "\ndata:" + Json.ROWS.write(data) + "\n\n");
        }

        private void beat() {
            hear(":\n\n");
        }

        private synchronized void hear(String event) {
            waiting.append(event);
            if (waiting.length() == event.length()) {
                telling.execute(this::tell);
            }
        }

        private void tell() {
            String all;
            synchronized (this) {
                all = waiting.toString();
                waiting.setLength(0);
            }
            try {
                Optional<UnaryOperator<String>> told = mask();
                if (told.isEmpty()) {
                    emitter.complete();
                    return;
                }
                emitter.send(Set.of(new ResponseBodyEmitter.DataWithMediaType(told.get().apply(all), TEXT)));
            } catch (IOException | IllegalStateException | DataAccessException | TransactionException e) {
                // Whoever has gone does not need to know; the emitter's own callbacks forget them.
                emitter.completeWithError(e);
            }
        }

        private void end() {
            telling.execute(emitter::complete);
        }
    }

    public OrderProgress(Orders orders) {
        this.orders = orders;
        heartbeat.begin(HEARTBEAT, HEARTBEAT, this::beat);
    }

    @PreDestroy
    void close() {
        heartbeat.close();
        telling.shutdownNow();
    }

    /** Whoever follows an order in which nothing happens sees that the service is still there. */
    private synchronized void beat() {
        Stream.of(live, elsewhere).flatMap(all -> all.values().stream()).forEach(run -> run.followers.forEach(Follower::beat));
    }

    public synchronized void begins(long order, State state) {
        Live run = new Live();
        run.told.addAll(storedSteps(order));
        live.put(order, run);
        Live before = elsewhere.remove(order);
        if (before != null) {
            run.told.subList(before.told.size(), run.told.size()).forEach(event -> before.followers.forEach(follower -> follower.hear("step", event)));
            run.followers.addAll(before.followers);
        }
        run.state = state;
        run.followers.forEach(follower -> follower.hear("state", state));
    }

    /** Looks what has become of followed orders that wait in line or are driven by another instance. */
    public synchronized void lookRound() {
        List.copyOf(elsewhere.keySet()).forEach(order -> {
            Live run = elsewhere.get(order);
            // The state first: with the record that ends an order all its lines are stored.
            State state = orders.order(order).orElseThrow().shownState();
            storedSteps(order).stream().skip(run.told.size()).forEach(event -> {
                run.told.add(event);
                run.followers.forEach(follower -> follower.hear("step", event));
            });
            if (state != run.state) {
                run.state = state;
                run.followers.forEach(follower -> follower.hear("state", state));
            }
            if (state.ended()) {
                run.followers.forEach(Follower::end);
            }
            if (state.ended() || run.followers.isEmpty()) {
                elsewhere.remove(order);
            }
        });
    }

    public synchronized void tell(EventRow event) {
        Live run = live.get(event.orderId());
        StepView step = StepView.of(event);
        run.told.add(step);
        run.followers.forEach(follower -> follower.hear("step", step));
    }

    public synchronized void state(long order, State state) {
        Live run = live.get(order);
        run.state = state;
        run.followers.forEach(follower -> follower.hear("state", state));
    }

    public synchronized void ended(long order) {
        Live run = live.remove(order);
        run.followers.forEach(Follower::end);
    }

    /**
     * Follows an order: what happened so far, what happens, until it ends.
     *
     * @param view asked again at intervals: what takes out of texts what whoever follows is not to know; absent once they may no longer look
     */
    public synchronized SseEmitter follow(long order, Supplier<Optional<UnaryOperator<String>>> view) {
        Follower follower = new Follower(view);
        Live run = live.containsKey(order) ? live.get(order) : elsewhere.computeIfAbsent(order, this::stored);
        run.told.forEach(event -> follower.hear("step", event));
        follower.hear("state", run.state);
        run.followers.add(follower);
        follower.emitter.onCompletion(() -> forget(order, follower));
        follower.emitter.onTimeout(() -> forget(order, follower));
        if (run.state.ended()) {
            follower.end();
            elsewhere.remove(order);
        }
        return follower.emitter;
    }

    private List<StepView> storedSteps(long order) {
        return orders.events(order).stream().map(StepView::of).toList();
    }

    private Live stored(long order) {
        Live run = new Live();
        run.state = orders.order(order).orElseThrow().shownState();
        run.told.addAll(storedSteps(order));
        return run;
    }

    /** Events told so far of an order that is under way or over. */
    public synchronized List<StepView> events(long order) {
        Live run = live.get(order);
        return run == null ? storedSteps(order) : List.copyOf(run.told);
    }

    /** The devices of an order that were last heard of in doubt. */
    public Set<String> inDoubt(long order) {
        Map<String, String> last = new HashMap<>();
        events(order).forEach(event -> last.put(event.device(), event.result()));
        last.values().removeIf(result -> !result.equals(Outcome.IN_DOUBT.name()));
        return last.keySet();
    }

    private synchronized void forget(long order, Follower follower) {
        Stream.of(live, elsewhere).map(all -> all.get(order)).filter(Objects::nonNull).forEach(run -> run.followers.remove(follower));
    }
}
