package rilvan.server.orders.timing;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.springframework.stereotype.Component;
import rilvan.core.document.ValidationFailure;
import rilvan.core.maintenance.MaintenanceCalendar;
import rilvan.core.maintenance.Span;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.orders.history.ExpectedTime;
import rilvan.server.orders.timing.Freezes.Freeze;
import rilvan.server.store.Orders;
import rilvan.server.store.Timings;
import rilvan.server.store.Timings.StopRow;

/** When orders may begin, by what was asked for, maintenance windows, freezes and the emergency stop. */
@Component
public class StartTimes {

    private final StoredPlanningSource source;
    private final Orders orders;
    private final Timings timings;
    private final Freezes freezes;
    private final StoreClock clock;

    StartTimes(StoredPlanningSource source, Orders orders, Timings timings, Freezes freezes, StoreClock clock) {
        this.source = source;
        this.orders = orders;
        this.timings = timings;
        this.freezes = freezes;
        this.clock = clock;
    }

    /** An order that is to begin at once and may not. */
    public static final class NotNow extends RuntimeException {
        NotNow(String why) {
            super(why + ". It can begin at a later time (start), or as an urgent order, with a reason, once another person has agreed to it");
        }
    }

    /** The time by the clock of the store. */
    public Instant now() {
        return clock.now();
    }

    /** @throws ValidationFailure where a time is past, or more than a year away */
    public void check(String pointer, Instant time) {
        Timing.check(pointer, time, now()).ifPresent(problem -> {
            throw new ValidationFailure(List.of(problem));
        });
    }

    /**
     * When an order may begin.
     *
     * @param sites of the devices that it changes
     * @param devices how many it changes
     * @throws NotNow where it is to begin at once and may not
     * @throws ValidationFailure where no window is long enough, or a site has none
     */
    public Start of(Timing timing, Set<String> sites, Set<String> tenants, int devices) {
        timing.check(now());
        if (timing.inWindow()) {
            Optional<Start> window = window(sites, devices, now());
            return window.filter(start -> timing.latest().map(latest -> start.at().orElseThrow().isBefore(latest)).orElse(true)).orElseThrow(() -> new ValidationFailure("/start",
                    "there is no time " + (window.isPresent() ? "before startBy" : "within a year") + " in which the maintenance windows of " + String.join(", ", new TreeSet<>(sites)) + " are all open for as long as this order takes"
                            + window.map(start -> "; the next is at " + start.at().orElseThrow()).orElse("")));
        }
        if (timing.at().isEmpty() && !timing.urgent()) {
            keepsBack(sites, tenants).ifPresent(why -> {
                throw new NotNow(why);
            });
        }
        return new Start(timing.at(), timing.latest());
    }

    /** A rehearsal begins at once, also where changes are frozen: it makes none. */
    public Start ofRehearsal() {
        stopped().ifPresent(why -> {
            throw new NotNow(why);
        });
        return new Start(Optional.empty(), Optional.empty());
    }

    /** The next time in which all of some sites may be changed; absent where there is none. */
    Optional<Start> window(Set<String> sites, int devices, Instant from) {
        MaintenanceCalendar calendar = source.network().maintenance();
        Set<String> without = calendar.without(sites);
        if (!without.isEmpty()) {
            throw new ValidationFailure("/start", "there is no maintenance window for " + String.join(", ", without) + "; the network document says them under maintenance");
        }
        Duration needed = Duration.ofSeconds(ExpectedTime.seconds(orders.took(devices, ExpectedTime.ALIKE), devices).orElse(0L));
        return calendar.next(sites, from, needed).map(span -> new Start(Optional.of(span.from()), Optional.of(latest(span, needed))));
    }

    /** An order begins so early that it ends within the window, as far as is known. */
    private static Instant latest(Span span, Duration needed) {
        return span.until().minus(needed);
    }

    /** The next window of an order whose last one has gone. */
    public Optional<Start> nextWindow(long order, int devices) {
        return window(scope(order, "site"), devices, now());
    }

    /** Why nothing may begin now at some sites and for some tenants; absent where it may. */
    public Optional<String> keepsBack(Set<String> sites, Set<String> tenants) {
        return stopped().or(() -> freezes.keepsBack(sites, tenants).map(Freeze::inWords));
    }

    /** Why an order that has been placed may not begin now; absent where it may. */
    public Optional<String> keepsBack(long order) {
        return keepsBack(scope(order, "site"), scope(order, "tenant"));
    }

    /** Whether a freeze keeps back an order that has been placed. */
    public boolean isFrozen(long order) {
        return freezes.keepsBack(scope(order, "site"), scope(order, "tenant")).isPresent();
    }

    private Set<String> scope(long order, String kind) {
        return Set.copyOf(orders.scope(order, kind));
    }

    /** Why nothing begins anywhere; absent where it does. */
    public Optional<String> stopped() {
        return timings.stop().map(StartTimes::inWords);
    }

    static String inWords(StopRow stop) {
        return "everything is stopped by " + stop.who() + " since " + stop.at().toInstant() + (stop.reason().isEmpty() ? "" : ": " + stop.reason());
    }
}
