package rilvan.server.orders.timing;

import java.time.Duration;
import java.time.Instant;
import java.time.OffsetDateTime;
import java.time.format.DateTimeParseException;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;

/**
 * When an order is to begin, as whoever places it says.
 *
 * @param at not before this time; absent for at once, or the next window
 * @param inWindow whether within maintenance windows of all sites that it changes
 * @param latest not after this time; absent where it may begin whenever it can
 * @param urgent whether it goes ahead of freezes and of an emergency stop; another person is to agree to it
 */
public record Timing(Optional<Instant> at, boolean inWindow, Optional<Instant> latest, boolean urgent) {

    public static final Timing AT_ONCE = new Timing(Optional.empty(), false, Optional.empty(), false);

    private static final String WINDOW = "window";
    /** An order that was to begin at a time begins so much later at the latest, unless it says otherwise. */
    private static final Duration TOLERANCE = Duration.ofHours(1);
    private static final Duration FURTHEST = Duration.ofDays(366);

    /**
     * @param start a time with its offset (RFC 3339), {@code window}, or absent for at once
     * @param startBy a time likewise
     * @throws ValidationFailure where they are no times
     */
    public static Timing read(Optional<String> start, Optional<String> startBy, boolean urgent) {
        List<Problem> problems = new ArrayList<>();
        boolean inWindow = start.filter(WINDOW::equals).isPresent();
        Optional<Instant> at = inWindow ? Optional.empty() : start.flatMap(text -> time("/start", text, problems));
        Optional<Instant> latest = startBy.flatMap(text -> time("/startBy", text, problems));
        if (at.isPresent() && latest.isPresent() && !latest.get().isAfter(at.get())) {
            problems.add(new Problem("/startBy", "is not after start"));
        }
        if (urgent && start.isPresent()) {
            problems.add(new Problem("/urgent", "an urgent order begins as soon as somebody has agreed to it; leave out start"));
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return new Timing(at, inWindow, latest.or(() -> at.map(time -> time.plus(TOLERANCE))), urgent);
    }

    private static Optional<Instant> time(String pointer, String text, List<Problem> problems) {
        try {
            return Optional.of(OffsetDateTime.parse(text).toInstant());
        } catch (DateTimeParseException e) {
            problems.add(new Problem(pointer, "'" + text + "' is no time; expected one with its offset, such as 2026-12-01T02:00:00+01:00" + (pointer.equals("/start") ? ", or window" : "")));
            return Optional.empty();
        }
    }

    /** @throws ValidationFailure where its times are past, or too far away */
    void check(Instant now) {
        List<Problem> problems = new ArrayList<>();
        at.flatMap(time -> check("/start", time, now)).ifPresent(problems::add);
        if (problems.isEmpty()) {
            latest.flatMap(time -> check("/startBy", time, now)).ifPresent(problems::add);
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
    }

    static Optional<Problem> check(String pointer, Instant time, Instant now) {
        if (!time.isAfter(now)) {
            return Optional.of(new Problem(pointer, time + " is past; it is " + now.truncatedTo(ChronoUnit.SECONDS)));
        }
        return time.isAfter(now.plus(FURTHEST)) ? Optional.of(new Problem(pointer, time + " is more than a year away")) : Optional.empty();
    }

    /** In one line: two orders that are the same but for this are not the same. */
    public String inWords() {
        return equals(AT_ONCE) ? "" : (inWindow ? WINDOW : at.map(Instant::toString).orElse("now")) + latest.map(time -> " until " + time).orElse("") + (urgent ? " urgent" : "");
    }
}
