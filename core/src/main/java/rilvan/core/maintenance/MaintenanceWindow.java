package rilvan.core.maintenance;

import java.time.Duration;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import java.util.TimeZone;
import org.dmfs.rfc5545.recur.Freq;
import org.dmfs.rfc5545.recur.InvalidRecurrenceRuleException;
import org.dmfs.rfc5545.recur.RecurrenceRule;
import org.dmfs.rfc5545.recur.RecurrenceRuleIterator;

/**
 * A time in which the devices of some sites may be changed. It begins at a local time, which the clock of its zone shows in summer as in winter, and comes again by a rule.
 *
 * @param sites for which it is; all where there are none
 * @param starts when it begins for the first time
 * @param lasts how long it is open each time, at least a minute and at most a week
 * @param repeats a recurrence rule (RFC 5545 §3.3.10), from once a day to once a year; empty where it comes once
 */
public record MaintenanceWindow(Set<String> sites, LocalDateTime starts, ZoneId zone, Duration lasts, String repeats) {

    private static final Duration LONGEST = Duration.ofDays(7);
    private static final Duration SHORTEST = Duration.ofMinutes(1);
    private static final Set<Freq> FREQUENCIES = EnumSet.of(Freq.DAILY, Freq.WEEKLY, Freq.MONTHLY, Freq.YEARLY);

    /** @throws IllegalArgumentException where it lasts too short or too long, or its rule is none */
    public MaintenanceWindow {
        if (lasts.compareTo(SHORTEST) < 0 || lasts.compareTo(LONGEST) > 0) {
            throw new IllegalArgumentException("a window is open for a minute at least and for a week at most, such as PT3H");
        }
        sites = Set.copyOf(sites);
        if (!repeats.isEmpty()) {
            rule(repeats);
        }
    }

    private static RecurrenceRule rule(String repeats) {
        try {
            RecurrenceRule rule = new RecurrenceRule(repeats, RecurrenceRule.RfcMode.RFC5545_STRICT);
            if (!FREQUENCIES.contains(rule.getFreq())) {
                throw new IllegalArgumentException("a window comes at most once a day: FREQ=DAILY, WEEKLY, MONTHLY or YEARLY");
            }
            return rule;
        } catch (InvalidRecurrenceRuleException e) {
            throw new IllegalArgumentException("'" + repeats + "' is no recurrence rule (RFC 5545), such as FREQ=WEEKLY;BYDAY=TU: " + e.getMessage(), e);
        }
    }

    /** Whether it is for a site. */
    public boolean isFor(String site) {
        return sites.isEmpty() || sites.contains(site);
    }

    /** The times that it is open within a stretch of time, in their order. */
    List<Span> within(Span span) {
        Instant first = starts.atZone(zone).toInstant();
        List<Span> open = new ArrayList<>();
        if (repeats.isEmpty()) {
            add(open, first, span);
            return open;
        }
        try {
            RecurrenceRuleIterator times = rule(repeats).iterator(first.toEpochMilli(), TimeZone.getTimeZone(zone));
            times.fastForward(span.from().minus(lasts).toEpochMilli());
            while (times.hasNext()) {
                Instant begins = Instant.ofEpochMilli(times.nextMillis());
                if (!begins.isBefore(span.until())) {
                    break;
                }
                add(open, begins, span);
            }
        } catch (IllegalArgumentException e) {
            // A rule that no day fits: it comes no more.
            return open;
        }
        return open;
    }

    private void add(List<Span> open, Instant begins, Span span) {
        Instant ends = begins.plus(lasts);
        if (ends.isAfter(span.from()) && begins.isBefore(span.until())) {
            open.add(new Span(begins, ends));
        }
    }
}
