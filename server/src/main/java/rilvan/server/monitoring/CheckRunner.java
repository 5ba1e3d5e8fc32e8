package rilvan.server.monitoring;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executor;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import java.util.function.Function;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.catalog.Catalog;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.check.PositiveControl;
import rilvan.core.check.Viewpoint;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.Template;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Request;
import rilvan.core.network.Network;
import rilvan.server.Settings;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.ops.Threads;

/**
 * Runs checks: asks the device that can observe each of them, in its family's own words, and repeats a check that fails until it passes or
 * its timeout ends. Checks run side by side, over pooled sessions; the results say pass or fail, and the observed value.
 */
@Component
public class CheckRunner {

    private static final long FIRST_PAUSE_MILLIS = 40;
    private static final long LONGEST_PAUSE_MILLIS = 1_000;

    private final StoredPlanningSource source;
    private final Devices devices;
    private final Catalog catalog;
    private final Settings settings;
    private final ExecutorService working = Executors.newCachedThreadPool(Threads.named("checks"));
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor(Threads.named("check-timer"));

    public CheckRunner(StoredPlanningSource source, Devices devices, Catalog catalog, Settings settings) {
        this.source = source;
        this.devices = devices;
        this.catalog = catalog;
        this.settings = settings;
    }

    /** The threads on which checks are prepared, for whoever goes on with their results. */
    public Executor threads() {
        return working;
    }

    @PreDestroy
    void close() {
        timer.shutdownNow();
        working.shutdownNow();
    }

    /**
     * Makes all checks: first what must be so, side by side, each repeated until it holds, its patience ends, or a device says of
     * one of the same service that it is not so and stays not so; then, when the network had time to come to rest, what must not be
     * so, once.
     *
     * @param afterAChange whether a service stood before: then the network may still do what it did before the change, and a
     *     check that holds at once proves nothing; it is given time first
     * @param stillAsked whether anybody still waits for what is seen; otherwise each check is looked at once more at most
     */
    public CompletableFuture<List<Observed>> make(List<Check> checks, boolean afterAChange, BooleanSupplier stillAsked) {
        long rest = afterAChange && !checks.isEmpty() ? settings.settleTime().toMillis() : 0;
        // What fails while the checks are worked out fails them; it must not be lost in whoever asked.
        return CompletableFuture.supplyAsync(() -> makeNow(checks, stillAsked), CompletableFuture.delayedExecutor(rest, TimeUnit.MILLISECONDS, working))
                .thenCompose(made -> made);
    }

    /** Looks once, without waiting for anything to become true. */
    public CompletableFuture<List<Observed>> look(List<Check> checks) {
        return CompletableFuture.supplyAsync(() -> all(checks, check -> Patience.NONE), working).thenCompose(made -> made).thenApply(PositiveControl::of);
    }

    /**
     * How long a check is looked at again and again until it holds.
     *
     * @param lost services of which something is not so and stays so: nobody need wait for the rest of them
     */
    private record Patience(long until, BooleanSupplier stillAsked, Set<String> lost) {

        static final Patience NONE = new Patience(0, () -> false, Set.of());

        boolean lasts(long pauseMillis, String service) {
            return stillAsked.getAsBoolean() && !lost.contains(service) && System.nanoTime() + pauseMillis * 1_000_000 - until < 0;
        }
    }

    private CompletableFuture<List<Observed>> makeNow(List<Check> checks, BooleanSupplier stillAsked) {
        long now = System.nanoTime();
        Set<String> lost = ConcurrentHashMap.newKeySet();
        Function<Check, Patience> patience = check -> new Patience(now + patience(check.observation()).toNanos(), stillAsked, lost);
        return all(checks.stream().filter(Check::wanted).toList(), patience).thenCompose(wanted ->
                all(checks.stream().filter(check -> !check.wanted()).toList(), check -> Patience.NONE).thenApply(unwanted ->
                        PositiveControl.of(Stream.concat(wanted.stream(), unwanted.stream()).toList())));
    }

    private Duration patience(String observation) {
        return Optional.ofNullable(catalog.vocabulary().timeouts().get(observation)).map(Duration::ofSeconds).orElse(settings.checkTimeout());
    }

    private CompletableFuture<List<Observed>> all(List<Check> checks, Function<Check, Patience> patience) {
        List<CompletableFuture<Observed>> running = new ArrayList<>();
        Network network = source.recentNetwork();
        for (Check check : checks) {
            CompletableFuture<Observed> seen = new CompletableFuture<>();
            look(Viewpoint.of(check, network), patience.apply(check), FIRST_PAUSE_MILLIS, seen);
            running.add(seen);
        }
        return CompletableFuture.allOf(running.toArray(CompletableFuture[]::new))
                .thenApply(done -> running.stream().map(CompletableFuture::join).toList());
    }

    /** Looks once, and again until it holds or patience ends. What could not be looked at is as it must be in no case. */
    private void look(Viewpoint view, Patience patience, long pause, CompletableFuture<Observed> result) {
        CompletableFuture.completedFuture(view).thenCompose(this::ask).whenComplete((looked, broken) -> {
            Look look = broken == null ? looked : Look.impossible(String.valueOf(broken.getMessage()));
            boolean holds = look.holds().orElse(false);
            if (view.coverage() == Observed.Coverage.NOT_TESTABLE_YET) {
                result.complete(view.seen(true, holds ? look.seen() : "no customer router is known there yet: " + look.seen(), look.tells()));
                return;
            }
            if (!holds && look.stays() && patience != Patience.NONE) {
                patience.lost().add(view.check().service());
            }
            if (!holds && patience.lasts(pause, view.check().service())) {
                timer.schedule(() -> look(view, patience, Math.min(2 * pause, LONGEST_PAUSE_MILLIS), result), pause, TimeUnit.MILLISECONDS);
                return;
            }
            boolean wanted = view.check().wanted();
            String verdict = wanted || look.holds().isEmpty() ? "" : " (must not)";
            Observed seen = view.seen(look.holds().isPresent() && holds == wanted, look.seen() + verdict, look.tells());
            if (seen.passed() || look.holds().isEmpty()) {
                result.complete(seen);
            } else {
                CompletableFuture.completedFuture(view).thenCompose(this::way).whenComplete((way, unknown) -> result.complete(unknown == null ? seen.along(way) : seen));
            }
        });
    }

    /** The way that a packet takes now, in words; empty where the observer cannot tell. */
    private CompletionStage<String> way(Viewpoint view) {
        Optional<Dialect.Observation.Way> way = observation(view).flatMap(Dialect.Observation::way);
        return way.isEmpty() ? CompletableFuture.completedFuture("")
                : call(view, way.get().request()).thenApply(answer -> answer instanceof Answer.Data data ? way.get().read(data.text()) : "");
    }

    private Optional<Dialect.Observation> observation(Viewpoint view) {
        return Optional.ofNullable(devices.dialect(view.observer()).observations().get(view.check().observation()));
    }

    private CompletionStage<Look> ask(Viewpoint view) {
        Optional<Dialect.Observation> observation = observation(view);
        return observation.isEmpty() ? CompletableFuture.completedFuture(Look.impossible("devices of the family " + devices.device(view.observer()).family()
                + " cannot look for '" + view.check().observation() + "'"))
                : call(view, observation.get().request()).thenApply(answer -> Look.of(observation.get(), view.request(), answer));
    }

    /** What the observer answers to a request in its own words; it is lost where there is no session with it. */
    private CompletionStage<Answer> call(Viewpoint view, Template request) {
        Request call = new Request.Call(request.fill(view.request()));
        return devices.sessions().open(view.observer()).handle((session, failure) -> failure != null
                ? CompletableFuture.<Answer>completedFuture(new Answer.Lost(view.observer() + " cannot be reached: " + failure.getMessage()))
                : session.send(List.of(call)).thenApply(answers -> answers.get(0)).whenComplete((answer, broken) -> session.close()))
                .thenCompose(answered -> answered);
    }

    /**
     * What one look came to.
     *
     * @param holds whether what was looked for is so; absent where it could not be looked at
     * @param stays whether that stays so until somebody changes something
     */
    private record Look(Optional<Boolean> holds, boolean stays, String seen, Map<String, String> tells) {

        static Look of(Dialect.Observation observation, Map<String, Object> request, Answer answer) {
            if (answer instanceof Answer.Data data) {
                Dialect.Observation.Interpretation reading = observation.read(data.text(), request);
                return new Look(Optional.of(reading.passed()), reading.stays(), reading.value(), reading.reported());
            }
            return impossible(answer instanceof Answer.Refused refused ? refused.message()
                    : answer instanceof Answer.Lost lost ? lost.reason() : "no result");
        }

        static Look impossible(String why) {
            return new Look(Optional.empty(), false, why, Map.of());
        }
    }
}
