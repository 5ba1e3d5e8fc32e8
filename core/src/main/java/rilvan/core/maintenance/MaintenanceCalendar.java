package rilvan.core.maintenance;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;

/** When the devices of several sites may be changed together. */
public final class MaintenanceCalendar {

    /** How far it looks ahead: a window that comes once a year comes within. */
    static final Duration LOOK_AHEAD = Duration.ofDays(370);

    private final List<MaintenanceWindow> windows;

    public MaintenanceCalendar(List<MaintenanceWindow> windows) {
        this.windows = List.copyOf(windows);
    }

    /** The sites among some that no window is for. */
    public Set<String> without(Set<String> sites) {
        Set<String> without = new TreeSet<>(sites);
        without.removeIf(site -> windows.stream().anyMatch(window -> window.isFor(site)));
        return without;
    }

    /**
     * The first time from now on in which all of some sites are open for as long as is needed; of one that is open already, what is left of it. Absent where there is none within a year.
     *
     * @param sites at least one
     */
    public Optional<Span> next(Set<String> sites, Instant from, Duration needed) {
        List<Span> common = List.of(new Span(from, from.plus(LOOK_AHEAD)));
        for (String site : new TreeSet<>(sites)) {
            common = common(common, open(site, new Span(from, from.plus(LOOK_AHEAD))));
        }
        return common.stream().filter(span -> span.length().compareTo(needed) >= 0).findFirst();
    }

    /** When a site is open, windows that meet as one. */
    private List<Span> open(String site, Span within) {
        List<Span> all = windows.stream().filter(window -> window.isFor(site)).flatMap(window -> window.within(within).stream()).sorted(Comparator.comparing(Span::from)).toList();
        List<Span> merged = new ArrayList<>();
        for (Span span : all) {
            Span last = merged.isEmpty() ? null : merged.get(merged.size() - 1);
            if (last != null && !span.from().isAfter(last.until())) {
                merged.set(merged.size() - 1, new Span(last.from(), later(last.until(), span.until())));
            } else {
                merged.add(span);
            }
        }
        return merged;
    }

    /** What two lists of times, each in order and without overlaps, have in common. */
    private static List<Span> common(List<Span> some, List<Span> others) {
        List<Span> common = new ArrayList<>();
        int i = 0;
        int j = 0;
        while (i < some.size() && j < others.size()) {
            Instant from = later(some.get(i).from(), others.get(j).from());
            Instant until = some.get(i).until().isBefore(others.get(j).until()) ? some.get(i).until() : others.get(j).until();
            if (from.isBefore(until)) {
                common.add(new Span(from, until));
            }
            if (some.get(i).until().isBefore(others.get(j).until())) {
                i++;
            } else {
                j++;
            }
        }
        return common;
    }

    private static Instant later(Instant one, Instant other) {
        return one.isAfter(other) ? one : other;
    }
}
