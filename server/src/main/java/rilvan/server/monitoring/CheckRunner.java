package rilvan.server.monitoring;

import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executor;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.BooleanSupplier;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.check.PositiveControl;
import rilvan.core.check.Viewpoint;
import rilvan.core.dialect.Dialect;
import rilvan.core.environment.Answer;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Request;
import rilvan.core.network.Network;
import rilvan.server.Settings;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.library.Library;
import rilvan.server.ops.Threads;

/**
 * Runs checks: asks the device that can observe each of them, in its family's own words, and repeats a check that fails until it passes or
 * its timeout ends. Devices are asked side by side, each over one session, many checks in one flight: thousands of checks are no more
 * than one session for a device. The results say pass or fail, and the observed value.
 */
@Component
public class CheckRunner {

    private static final long FIRST_PAUSE_MILLIS = 40;
    /** The observation by which a router is asked whether it has an address of its own. */
    private static final String REACH = "reach";
    private static final long LONGEST_PAUSE_MILLIS = 1_000;
    /** Requests that one flight may have: answers come back often enough to see what fails early. */
    private static final int LARGEST_FLIGHT = 50;
    /** Failed checks of one run whose path is asked for. */
    private static final int MOST_PATHS = 20;

    private final StoredPlanningSource source;
    private final Devices devices;
    private final Library library;
    private final Settings settings;
    private final ExecutorService working = Executors.newCachedThreadPool(Threads.named("checks"));
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor(Threads.named("check-timer"));

    public CheckRunner(StoredPlanningSource source, Devices devices, Library library, Settings settings) {
        this.source = source;
        this.devices = devices;
        this.library = library;
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
     * Runs all checks: first those of what must be, each repeated until it passes, its timeout ends, or a device reports a final negative
     * answer for one of the same service; then, when the network had time to converge, those of what must not be, once.
     *
     * @param afterAChange whether a service existed before: then the network may still do what it did before the change, and a
     *     check that passes at once would prove nothing; the settle time comes first
     * @param stillAsked whether anybody still waits for the results; otherwise nothing more is asked
     */
    public CompletableFuture<List<Observed>> make(List<Check> checks, boolean afterAChange, BooleanSupplier stillAsked) {
        long settle = afterAChange && !checks.isEmpty() ? settings.settleTime().toMillis() : 0;
        // What fails while the checks are prepared fails them; it must not be lost in whoever asked.
        return CompletableFuture.supplyAsync(() -> makeNow(checks, stillAsked), CompletableFuture.delayedExecutor(settle, TimeUnit.MILLISECONDS, working))
                .thenCompose(made -> made);
    }

    /** Runs checks once, without waiting for anything to become true. */
    public CompletableFuture<List<Observed>> look(List<Check> checks) {
        return CompletableFuture.supplyAsync(() -> run(checks, false, () -> true), working).thenCompose(made -> made).thenApply(PositiveControl::of);
    }

    private CompletableFuture<List<Observed>> makeNow(List<Check> checks, BooleanSupplier stillAsked) {
        return run(checks.stream().filter(Check::wanted).toList(), true, stillAsked).thenCompose(wanted ->
                run(checks.stream().filter(check -> !check.wanted()).toList(), false, stillAsked).thenApply(unwanted ->
                        PositiveControl.of(Stream.concat(wanted.stream(), unwanted.stream()).toList())));
    }

    private Duration timeout(String observation) {
        return Optional.ofNullable(library.catalog().vocabulary().timeouts().get(observation)).map(Duration::ofSeconds).orElse(settings.checkTimeout());
    }

    private CompletableFuture<List<Observed>> run(List<Check> checks, boolean repeated, BooleanSupplier stillAsked) {
        Run run = new Run(repeated, stillAsked);
        Network network = source.recentNetwork();
        List<Pending> all = checks.stream().map(check -> new Pending(Viewpoint.of(check, network))).toList();
        all.forEach(pending -> run.of(pending.view.observer()).add(pending));
        run.devices.values().forEach(OfDevice::ask);
        return CompletableFuture.allOf(all.stream().map(pending -> pending.result).toArray(CompletableFuture[]::new))
                .thenApply(done -> all.stream().map(pending -> pending.result.join()).toList());
    }

    /** Checks that are run together. */
    private final class Run {

        private final boolean repeated;
        private final BooleanSupplier stillAsked;
        private final Map<String, OfDevice> devices = new TreeMap<>();
        /** Services of which a device has reported that something is not so, for good: nobody need wait for the rest of them. */
        private final Set<String> failedForGood = ConcurrentHashMap.newKeySet();
        private final AtomicInteger paths = new AtomicInteger();
        /** Which customer's routers lack an address on a link: each is asked once, however many checks begin or end there. */
        private final Map<String, CompletionStage<Optional<String>>> links = new ConcurrentHashMap<>();

        private Run(boolean repeated, BooleanSupplier stillAsked) {
            this.repeated = repeated;
            this.stillAsked = stillAsked;
        }

        private OfDevice of(String device) {
            return devices.computeIfAbsent(device, name -> new OfDevice(this, name));
        }
    }

    /** A check that has no result yet. The time for repeating it counts from its first answer: until then it waits for us, not for the network. */
    private static final class Pending {

        private final Viewpoint view;
        private final CompletableFuture<Observed> result = new CompletableFuture<>();
        private boolean linksAsked;
        private long until;
        private long pause = FIRST_PAUSE_MILLIS;

        private Pending(Viewpoint view) {
            this.view = view;
        }
    }

    /** The checks of one run that one device is asked: one flight after another over one session, as long as some are due. */
    private final class OfDevice {

        private final Run run;
        private final String device;
        private final Deque<Pending> due = new ArrayDeque<>();
        private boolean asking;

        private OfDevice(Run run, String device) {
            this.run = run;
            this.device = device;
        }

        private synchronized void add(Pending pending) {
            due.add(pending);
        }

        /** Begins to ask, where nobody does and something is due. */
        private void ask() {
            synchronized (this) {
                if (asking || due.isEmpty()) {
                    return;
                }
                asking = true;
            }
            CompletionStage<DeviceSession> opening;
            try {
                opening = devices.sessions().open(device);
            } catch (RuntimeException e) {
                opening = CompletableFuture.failedFuture(e);
            }
            opening.whenComplete((session, failure) -> {
                if (failure == null) {
                    next(session);
                } else {
                    String reason = device + " cannot be reached: " + failure.getMessage();
                    List<Pending> waiting = taken(Integer.MAX_VALUE);
                    stopped();
                    waiting.forEach(each -> answered(each, Reading.impossible(reason)));
                }
            });
        }

        private synchronized List<Pending> taken(int most) {
            List<Pending> taken = new ArrayList<>();
            while (!due.isEmpty() && taken.size() < most) {
                taken.add(due.poll());
            }
            return taken;
        }

        private void stopped() {
            synchronized (this) {
                asking = false;
            }
            // Something may have become due since.
            ask();
        }

        /** Asks the next flight, or gives the session back where nothing is due. */
        private void next(DeviceSession session) {
            List<Pending> flight = new ArrayList<>();
            List<Request> requests = new ArrayList<>();
            List<Dialect.Observation> observations = new ArrayList<>();
            for (Pending each : taken(LARGEST_FLIGHT)) {
                try {
                    if (!run.stillAsked.getAsBoolean()) {
                        each.result.complete(each.view.seen(false, "not run: the checks were stopped"));
                        continue;
                    }
                    Optional<Dialect.Observation> observation = observation(each.view);
                    if (observation.isEmpty()) {
                        each.result.complete(each.view.notTestable("devices of the family " + devices.device(device).family() + " have no command for the observation '"
                                + each.view.check().observation() + "'"));
                        continue;
                    }
                    requests.add(new Request.Call(observation.get().request().fill(each.view.request())));
                    observations.add(observation.get());
                    flight.add(each);
                } catch (RuntimeException e) {
                    answered(each, Reading.impossible(String.valueOf(e.getMessage())));
                }
            }
            if (flight.isEmpty()) {
                boolean more;
                synchronized (this) {
                    more = !due.isEmpty();
                }
                if (more) {
                    working.execute(() -> next(session));
                } else {
                    session.close();
                    stopped();
                }
                return;
            }
            session.send(requests).whenCompleteAsync((answers, broken) -> {
                for (int i = 0; i < flight.size(); i++) {
                    Pending each = flight.get(i);
                    Answer answer = broken != null ? new Answer.Lost(String.valueOf(broken.getMessage()))
                            : i < answers.size() ? answers.get(i) : new Answer.Lost("no answer came");
                    answered(each, reading(observations.get(i), each.view, answer));
                }
                if (broken == null && session.isOpen()) {
                    next(session);
                } else {
                    session.close();
                    stopped();
                }
            }, working);
        }

        private static Reading reading(Dialect.Observation observation, Viewpoint view, Answer answer) {
            try {
                return Reading.of(observation, view.request(), answer);
            } catch (RuntimeException e) {
                return Reading.impossible(String.valueOf(e.getMessage()));
            }
        }

        /** Completes a check, or repeats it after a pause. A check that could not be run has not passed. */
        private void answered(Pending pending, Reading reading) {
            try {
                judge(pending, reading);
            } catch (RuntimeException e) {
                pending.result.complete(pending.view.seen(false, String.valueOf(e.getMessage())));
            }
        }

        private void judge(Pending pending, Reading reading) {
            Viewpoint view = pending.view;
            boolean so = reading.so().orElse(false);
            if (view.coverage() == Observed.Coverage.NOT_TESTABLE_YET) {
                pending.result.complete(view.seen(true, so ? reading.value() : "no customer router is known there yet: " + reading.value(), reading.reported()));
                return;
            }
            if (reading.so().isPresent() && so != view.check().wanted() && view.check().customerFollows()) {
                pending.result.complete(view.customerToFollow(reading.value(), reading.reported()));
                return;
            }
            if (!so && view.check().wanted() && !pending.linksAsked && !view.customers().isEmpty()) {
                pending.linksAsked = true;
                missingLink(view, run).whenCompleteAsync((missing, unknown) -> {
                    if (unknown == null && missing.isPresent()) {
                        pending.result.complete(view.notTestable(missing.get()));
                    } else {
                        answered(pending, reading);
                    }
                }, working);
                return;
            }
            if (!so && run.repeated) {
                long now = System.nanoTime();
                pending.until = pending.until == 0 ? now + timeout(view.check().observation()).toNanos() : pending.until;
                if (reading.isFinal()) {
                    run.failedForGood.add(view.check().service());
                }
                if (run.stillAsked.getAsBoolean() && !run.failedForGood.contains(view.check().service()) && now + pending.pause * 1_000_000 - pending.until < 0) {
                    timer.schedule(() -> {
                        add(pending);
                        ask();
                    }, pending.pause, TimeUnit.MILLISECONDS);
                    pending.pause = Math.min(2 * pending.pause, LONGEST_PAUSE_MILLIS);
                    return;
                }
            }
            boolean wanted = view.check().wanted();
            String verdict = wanted || reading.so().isEmpty() ? "" : " (must not)";
            Observed observed = view.seen(reading.so().isPresent() && so == wanted, reading.value() + verdict, reading.reported());
            if (observed.passed() || reading.so().isEmpty() || run.paths.incrementAndGet() > MOST_PATHS) {
                pending.result.complete(observed);
            } else {
                path(view).whenComplete((path, unknown) -> pending.result.complete(unknown == null ? observed.along(path) : observed));
            }
        }
    }

    /** Which customer's router at an end of a check does not have its address on the link yet, in words; absent where none does, or it cannot be told. */
    private CompletionStage<Optional<String>> missingLink(Viewpoint view, Run run) {
        CompletionStage<Optional<String>> missing = CompletableFuture.completedFuture(Optional.empty());
        for (Map.Entry<String, String> customer : view.customers().entrySet()) {
            missing = missing.thenCompose(found -> found.isPresent() ? CompletableFuture.completedFuture(found)
                    : run.links.computeIfAbsent(customer.getKey() + " " + customer.getValue(), link -> missingAt(view, customer.getKey(), customer.getValue())));
        }
        return missing;
    }

    private CompletionStage<Optional<String>> missingAt(Viewpoint view, String router, String address) {
        Optional<Dialect.Observation> reach = Optional.ofNullable(devices.dialect(router).observations().get(REACH));
        if (reach.isEmpty()) {
            return CompletableFuture.completedFuture(Optional.empty());
        }
        Map<String, Object> itself = view.toItself(address);
        return call(router, reach.get().request().fill(itself)).thenApply(answer -> answer instanceof Answer.Data data && !reach.get().read(data.text(), itself).passed()
                ? Optional.of(router + " does not have " + address + " yet") : Optional.empty());
    }

    /** The path that a packet takes now, in words; empty where the observer cannot tell. */
    private CompletionStage<String> path(Viewpoint view) {
        try {
            Optional<Dialect.Observation.Way> way = observation(view).flatMap(Dialect.Observation::way);
            return way.isEmpty() ? CompletableFuture.completedFuture("")
                    : call(view.observer(), way.get().request().fill(view.request())).thenApply(answer -> answer instanceof Answer.Data data ? way.get().read(data.text()) : "");
        } catch (RuntimeException e) {
            return CompletableFuture.failedFuture(e);
        }
    }

    private Optional<Dialect.Observation> observation(Viewpoint view) {
        return Optional.ofNullable(devices.dialect(view.observer()).observations().get(view.check().observation()));
    }

    /** What a device answers to an operation in its own words; it is lost where there is no session with it. */
    private CompletionStage<Answer> call(String device, String operation) {
        return devices.sessions().open(device).handle((session, failure) -> failure != null
                ? CompletableFuture.<Answer>completedFuture(new Answer.Lost(device + " cannot be reached: " + failure.getMessage()))
                : session.send(List.of(new Request.Call(operation))).thenApply(answers -> answers.get(0)).whenComplete((answer, broken) -> session.close()))
                .thenCompose(answered -> answered);
    }

    /**
     * What one answer came to.
     *
     * @param so whether what was looked for is so; absent where it could not be looked at
     * @param isFinal whether that stays so until somebody changes something
     */
    private record Reading(Optional<Boolean> so, boolean isFinal, String value, Map<String, String> reported) {

        static Reading of(Dialect.Observation observation, Map<String, Object> request, Answer answer) {
            if (answer instanceof Answer.Data data) {
                Dialect.Observation.Interpretation reading = observation.read(data.text(), request);
                return new Reading(Optional.of(reading.passed()), reading.isFinal(), reading.value(), reading.reported());
            }
            return impossible(answer instanceof Answer.Refused refused ? refused.message()
                    : answer instanceof Answer.Lost lost ? lost.reason() : "no result");
        }

        static Reading impossible(String why) {
            return new Reading(Optional.empty(), false, why, Map.of());
        }
    }
}
