package rilvan.server.checks;

import jakarta.annotation.PreDestroy;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.Executor;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.check.Observed.Proof;
import rilvan.core.dialect.Dialect;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.network.Network.End;
import rilvan.core.outside.Answer;
import rilvan.core.outside.DeviceSession;
import rilvan.core.outside.Request;
import rilvan.server.Application.Settings;
import rilvan.server.devices.DeviceDesk;
import rilvan.server.estate.StoredEstate;

/**
 * Makes checks. A place is looked at from the customer's own router where Rilvan knows it, which proves the service end to
 * end; otherwise from the provider's router, which proves it to the handoff.
 */
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

    /** Where one check is looked from and at. */
    private record View(Check check, String observer, Map<String, Object> request, String target, Proof proof) {}

    /**
     * Makes all checks: first what must be so, side by side, each repeated until it holds or patience ends; then, when the network
     * had time to come to rest, what must not be so, once.
     *
     * @param afterAChange whether a service stood before: then the network may still do what it did before the change, and a
     *     check that holds at once proves nothing; it is given time first
     */
    public CompletableFuture<List<Observed>> make(List<Check> checks, boolean afterAChange) {
        if (afterAChange && !checks.isEmpty()) {
            Executor rested = CompletableFuture.delayedExecutor(settings.proofRest().toMillis(), TimeUnit.MILLISECONDS);
            return CompletableFuture.supplyAsync(() -> make(checks, false), rested).thenCompose(made -> made);
        }
        long deadline = System.nanoTime() + settings.proofPatience().toNanos();
        return all(checks.stream().filter(Check::wanted).toList(), deadline).thenCompose(wanted ->
                all(checks.stream().filter(check -> !check.wanted()).toList(), System.nanoTime()).thenApply(unwanted ->
                        Stream.concat(wanted.stream(), unwanted.stream().map(Prober::turned)).toList()));
    }

    private static Observed turned(Observed seen) {
        return new Observed(seen.check(), seen.observer(), seen.target(), seen.proves(), !seen.holds(),
                seen.seen() + (seen.holds() ? ", and must not" : ", as it must be"));
    }

    private CompletableFuture<List<Observed>> all(List<Check> checks, long deadline) {
        List<CompletableFuture<Observed>> running = new ArrayList<>();
        Network network = estate.network();
        for (Check check : checks) {
            CompletableFuture<Observed> seen = new CompletableFuture<>();
            look(view(check, network), deadline, FIRST_PAUSE_MILLIS, seen);
            running.add(seen);
        }
        return CompletableFuture.allOf(running.toArray(CompletableFuture[]::new))
                .thenApply(done -> running.stream().map(CompletableFuture::join).toList());
    }

    private static View view(Check check, Network network) {
        Optional<Device> here = customerRouter(check.from(), network);
        Optional<Device> there = customerRouter(check.to(), network);
        Map<String, Object> request = new LinkedHashMap<>();
        request.put("vrf", here.isPresent() ? "" : check.from().get("vrf"));
        request.put("source", here.isPresent() ? check.from().get("beyond") : check.from().get("address"));
        String address = (String) (there.isPresent() ? check.to().get("beyond") : check.to().get("address"));
        request.put("destination", address);
        String target = there.map(Device::name).orElse((String) check.to().get("device")) + " " + address;
        return new View(check, here.map(Device::name).orElse((String) check.from().get("device")), request, target,
                here.isPresent() && there.isPresent() ? Proof.END_TO_END : Proof.TO_THE_HANDOFF);
    }

    private static Optional<Device> customerRouter(Map<String, Object> place, Network network) {
        return network.across(new End((String) place.get("device"), (String) place.get("port")))
                .flatMap(end -> network.device(end.device())).filter(device -> device.role().equals("ce"));
    }

    private void look(View view, long deadline, long pause, CompletableFuture<Observed> result) {
        Dialect.Observation observation = devices.dialect(view.observer()).observations().get(view.check().observation());
        if (observation == null) {
            result.complete(new Observed(view.check(), view.observer(), view.target(), view.proof(), !view.check().wanted(), "devices of the family "
                    + devices.device(view.observer()).family() + " cannot look for '" + view.check().observation() + "'"));
            return;
        }
        devices.sessions().open(view.observer()).whenComplete((session, failure) -> {
            if (failure != null) {
                again(view, deadline, pause, result, view.observer() + " cannot be reached: " + failure.getMessage());
                return;
            }
            ask(session, observation, view).whenComplete((reading, broken) -> {
                session.close();
                if (reading != null && reading.holds()) {
                    result.complete(new Observed(view.check(), view.observer(), view.target(), view.proof(), true, reading.seen()));
                } else {
                    again(view, deadline, pause, result, reading == null ? String.valueOf(broken.getMessage()) : reading.seen());
                }
            });
        });
    }

    private static CompletableFuture<Dialect.Observation.Reading> ask(DeviceSession session, Dialect.Observation observation, View view) {
        String request = observation.request().fill(view.request());
        return session.send(List.of(new Request.Call(request))).thenApply(answers -> {
            Answer answer = answers.get(0);
            if (answer instanceof Answer.Data data) {
                return observation.read(data.text());
            }
            return new Dialect.Observation.Reading(false, answer instanceof Answer.Refused refused ? refused.message()
                    : answer instanceof Answer.Lost lost ? lost.reason() : "no result");
        }).toCompletableFuture();
    }

    private void again(View view, long deadline, long pause, CompletableFuture<Observed> result, String seen) {
        if (System.nanoTime() + pause * 1_000_000 - deadline >= 0) {
            result.complete(new Observed(view.check(), view.observer(), view.target(), view.proof(), false, seen));
        } else {
            timer.schedule(() -> look(view, deadline, Math.min(2 * pause, LONGEST_PAUSE_MILLIS), result), pause, TimeUnit.MILLISECONDS);
        }
    }
}
