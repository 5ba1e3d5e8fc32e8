package rilvan.server.checks;

import jakarta.annotation.PreDestroy;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.check.Viewpoint;
import rilvan.core.dialect.Dialect;
import rilvan.core.network.Network;
import rilvan.core.outside.Answer;
import rilvan.core.outside.DeviceSession;
import rilvan.core.outside.Request;
import rilvan.server.Application.Settings;
import rilvan.server.devices.DeviceDesk;
import rilvan.server.estate.StoredEstate;

/** Makes checks, each from its viewpoint, over sessions like any others. */
@Component
public class Prober {

    private static final long FIRST_PAUSE_MILLIS = 40;
    private static final long LONGEST_PAUSE_MILLIS = 1_000;

    private final StoredEstate estate;
    private final DeviceDesk devices;
    private final Settings settings;
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor(task -> {
        Thread thread = new Thread(task, "prober");
        thread.setDaemon(true);
        return thread;
    });

    public Prober(StoredEstate estate, DeviceDesk devices, Settings settings) {
        this.estate = estate;
        this.devices = devices;
        this.settings = settings;
    }

    @PreDestroy
    void close() {
        timer.shutdownNow();
    }

    /**
     * Makes all checks: first what must be so, side by side, each repeated until it holds or patience ends; then, when the network
     * had time to come to rest, what must not be so, once.
     *
     * @param afterAChange whether a service stood before: then the network may still do what it did before the change, and a
     *     check that holds at once proves nothing; it is given time first
     */
    public CompletableFuture<List<Observed>> make(List<Check> checks, boolean afterAChange) {
        long rest = afterAChange && !checks.isEmpty() ? settings.proofRest().toMillis() : 0;
        // What fails while the checks are worked out fails them; it must not be lost in whoever asked.
        return CompletableFuture.supplyAsync(() -> makeNow(checks), CompletableFuture.delayedExecutor(rest, TimeUnit.MILLISECONDS))
                .thenCompose(made -> made);
    }

    /** Looks once, without waiting for anything to become true. */
    public CompletableFuture<List<Observed>> look(List<Check> checks) {
        return CompletableFuture.supplyAsync(() -> all(checks, System.nanoTime())).thenCompose(made -> made);
    }

    private CompletableFuture<List<Observed>> makeNow(List<Check> checks) {
        long deadline = System.nanoTime() + settings.proofPatience().toNanos();
        return all(checks.stream().filter(Check::wanted).toList(), deadline).thenCompose(wanted ->
                all(checks.stream().filter(check -> !check.wanted()).toList(), System.nanoTime()).thenApply(unwanted ->
                        Stream.concat(wanted.stream(), unwanted.stream()).toList()));
    }

    private CompletableFuture<List<Observed>> all(List<Check> checks, long deadline) {
        List<CompletableFuture<Observed>> running = new ArrayList<>();
        Network network = estate.network();
        for (Check check : checks) {
            CompletableFuture<Observed> seen = new CompletableFuture<>();
            look(Viewpoint.of(check, network), deadline, FIRST_PAUSE_MILLIS, seen);
            running.add(seen);
        }
        return CompletableFuture.allOf(running.toArray(CompletableFuture[]::new))
                .thenApply(done -> running.stream().map(CompletableFuture::join).toList());
    }

    /** Looks once, and again until it holds or patience ends. What could not be looked at is as it must be in no case. */
    private void look(Viewpoint view, long deadline, long pause, CompletableFuture<Observed> result) {
        CompletableFuture.completedFuture(view).thenCompose(this::ask).whenComplete((looked, broken) -> {
            Look look = broken == null ? looked : Look.impossible(String.valueOf(broken.getMessage()));
            boolean holds = look.holds().orElse(false);
            if (!holds && System.nanoTime() + pause * 1_000_000 - deadline < 0) {
                timer.schedule(() -> look(view, deadline, Math.min(2 * pause, LONGEST_PAUSE_MILLIS), result), pause, TimeUnit.MILLISECONDS);
                return;
            }
            boolean wanted = view.check().wanted();
            String verdict = wanted || look.holds().isEmpty() ? "" : holds ? ", and must not" : ", as it must be";
            result.complete(view.seen(look.holds().isPresent() && holds == wanted, look.seen() + verdict, look.tells()));
        });
    }

    private CompletionStage<Look> ask(Viewpoint view) {
        Dialect.Observation observation = devices.dialect(view.observer()).observations().get(view.check().observation());
        if (observation == null) {
            return CompletableFuture.completedFuture(Look.impossible("devices of the family " + devices.device(view.observer()).family()
                    + " cannot look for '" + view.check().observation() + "'"));
        }
        return devices.sessions().open(view.observer()).handle((session, failure) -> {
            if (failure != null) {
                return CompletableFuture.completedFuture(Look.impossible(view.observer() + " cannot be reached: " + failure.getMessage()));
            }
            return ask(session, observation, view).whenComplete((reading, broken) -> session.close());
        }).thenCompose(looked -> looked);
    }

    /**
     * What one look came to.
     *
     * @param holds whether what was looked for is so; absent where it could not be looked at
     */
    private record Look(Optional<Boolean> holds, String seen, Map<String, String> tells) {

        static Look impossible(String why) {
            return new Look(Optional.empty(), why, Map.of());
        }
    }

    private static CompletableFuture<Look> ask(DeviceSession session, Dialect.Observation observation, Viewpoint view) {
        String request = observation.request().fill(view.request());
        return session.send(List.of(new Request.Call(request))).thenApply(answers -> {
            Answer answer = answers.get(0);
            if (answer instanceof Answer.Data data) {
                Dialect.Observation.Reading reading = observation.read(data.text());
                return new Look(Optional.of(reading.holds()), reading.seen(), reading.tells());
            }
            return Look.impossible(answer instanceof Answer.Refused refused ? refused.message()
                    : answer instanceof Answer.Lost lost ? lost.reason() : "no result");
        }).toCompletableFuture();
    }
}
