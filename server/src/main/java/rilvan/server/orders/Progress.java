package rilvan.server.orders;

import java.io.IOException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import org.springframework.stereotype.Component;
import org.springframework.web.servlet.mvc.method.annotation.SseEmitter;
import rilvan.core.order.State;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.EventRow;

/**
 * Tells whoever follows an order what happens in it, from its first event on, however late they come. Telling has a thread of
 * its own: a follower who does not listen keeps no order waiting.
 */
@Component
public class Progress {

    private final Orders orders;
    private final Map<Long, Live> live = new HashMap<>();
    private final ExecutorService telling = Executors.newSingleThreadExecutor(task -> {
        Thread thread = new Thread(task, "progress");
        thread.setDaemon(true);
        return thread;
    });

    private static final class Live {
        private final List<EventRow> told = new ArrayList<>();
        private final List<SseEmitter> followers = new ArrayList<>();
        private State state = State.OPEN;
    }

    public Progress(Orders orders) {
        this.orders = orders;
    }

    synchronized void begins(long order, State state) {
        Live run = new Live();
        run.state = state;
        run.told.addAll(orders.events(order));
        live.put(order, run);
    }

    synchronized void tell(EventRow event) {
        Live run = live.get(event.orderId());
        run.told.add(event);
        run.followers.forEach(follower -> send(follower, "step", event));
    }

    synchronized void state(long order, State state) {
        Live run = live.get(order);
        run.state = state;
        run.followers.forEach(follower -> send(follower, "state", state));
    }

    synchronized void ended(long order) {
        Live run = live.remove(order);
        run.followers.forEach(this::complete);
    }

    /** Follows an order: what happened so far, what happens, until it ends. */
    public synchronized SseEmitter follow(long order, State stored) {
        SseEmitter follower = new SseEmitter(0L);
        Live run = live.get(order);
        List<EventRow> soFar = run == null ? orders.events(order) : run.told;
        soFar.forEach(event -> send(follower, "step", event));
        send(follower, "state", run == null ? stored : run.state);
        if (run == null) {
            complete(follower);
        } else {
            run.followers.add(follower);
            follower.onCompletion(() -> forget(run, follower));
            follower.onTimeout(() -> forget(run, follower));
        }
        return follower;
    }

    /** Events told so far of an order that is under way or over. */
    public synchronized List<EventRow> events(long order) {
        Live run = live.get(order);
        return run == null ? orders.events(order) : List.copyOf(run.told);
    }

    /** Whether an order is being driven by this process. */
    public synchronized boolean isLive(long order) {
        return live.containsKey(order);
    }

    private synchronized void forget(Live run, SseEmitter follower) {
        run.followers.remove(follower);
    }

    private void complete(SseEmitter follower) {
        telling.execute(follower::complete);
    }

    private void send(SseEmitter follower, String name, Object data) {
        telling.execute(() -> {
            try {
                follower.send(SseEmitter.event().name(name).data(data));
            } catch (IOException | IllegalStateException e) {
                // Whoever has gone does not need to know; the emitter's own callbacks forget them.
                follower.completeWithError(e);
            }
        });
    }
}
