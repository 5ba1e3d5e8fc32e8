package rilvan.core.maintenance;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.time.Duration;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.Set;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.RandomTrees;

class MaintenanceCalendarTest {

    private static final String TUESDAYS = "2026-01-06T02:00 UTC PT3H FREQ=WEEKLY;BYDAY=TU";

    /** Windows, one behind the other with semicolons in rules kept: SITE,SITE: START ZONE LASTS [RULE]. */
    private static MaintenanceWindow window(String text) {
        String[] sites = text.contains(": ") ? text.split(": ", 2) : new String[] {"", text};
        String[] words = sites[1].split(" ");
        return new MaintenanceWindow(sites[0].isEmpty() ? Set.of() : Set.of(sites[0].split(",")), LocalDateTime.parse(words[0]), ZoneId.of(words[1]), Duration.parse(words[2]),
                words.length > 3 ? words[3] : "");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', textBlock = """
            a week away                       | 2026-01-06T02:00 UTC PT3H FREQ=WEEKLY;BYDAY=TU                                              | 2026-11-30T20:00:00Z | PT1H | 2026-12-01T02:00:00Z/2026-12-01T05:00:00Z
            open already: what is left        | 2026-01-06T02:00 UTC PT3H FREQ=WEEKLY;BYDAY=TU                                              | 2026-12-01T03:30:00Z | PT1H | 2026-12-01T03:30:00Z/2026-12-01T05:00:00Z
            too little is left: the next      | 2026-01-06T02:00 UTC PT3H FREQ=WEEKLY;BYDAY=TU                                              | 2026-12-01T04:30:00Z | PT1H | 2026-12-08T02:00:00Z/2026-12-08T05:00:00Z
            none is as long                   | 2026-01-06T02:00 UTC PT3H FREQ=WEEKLY;BYDAY=TU                                              | 2026-11-30T20:00:00Z | PT4H |
            once, and gone                    | 2026-01-06T02:00 UTC PT3H                                                                   | 2026-11-30T20:00:00Z | PT1H |
            once, to come                     | 2026-12-06T02:00 UTC PT3H                                                                   | 2026-11-30T20:00:00Z | PT1H | 2026-12-06T02:00:00Z/2026-12-06T05:00:00Z
            at two in summer and winter       | 2026-01-06T02:00 Europe/Lisbon PT3H FREQ=DAILY                                              | 2026-07-01T00:00:00Z | PT1H | 2026-07-01T01:00:00Z/2026-07-01T04:00:00Z
            the night's last hour goes on     | 2026-01-06T23:00 UTC PT2H FREQ=DAILY + 2026-01-06T00:30 UTC PT2H FREQ=DAILY                 | 2026-11-30T20:00:00Z | PT3H | 2026-11-30T23:00:00Z/2026-12-01T02:30:00Z
            two sites have an hour in common  | a: 2026-01-06T02:00 UTC PT3H FREQ=DAILY + b: 2026-01-06T04:00 UTC PT3H FREQ=WEEKLY;BYDAY=WE | 2026-11-30T20:00:00Z | PT1H | 2026-12-02T04:00:00Z/2026-12-02T05:00:00Z
            two sites are never open together | a: 2026-01-06T02:00 UTC PT2H FREQ=DAILY + b: 2026-01-06T04:00 UTC PT3H FREQ=DAILY           | 2026-11-30T20:00:00Z | PT1M |
            a rule that no day fits           | 2026-01-06T02:00 UTC PT3H FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30                               | 2026-11-30T20:00:00Z | PT1H |
            a rule that has come to its end   | 2026-01-06T02:00 UTC PT3H FREQ=DAILY;COUNT=10                                               | 2026-11-30T20:00:00Z | PT1H |
            a leap day                        | 2024-02-29T02:00 UTC PT3H FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29                               | 2027-03-01T00:00:00Z | PT1H | 2028-02-29T02:00:00Z/2028-02-29T05:00:00Z
            """)
    void theNextTimeInWhichAllSitesAreOpen(String what, String windows, Instant from, Duration needed, String expected) {
        MaintenanceCalendar calendar = new MaintenanceCalendar(Arrays.stream(windows.split(" \\+ ")).map(MaintenanceCalendarTest::window).toList());
        Set<String> sites = windows.contains("b: ") ? Set.of("a", "b") : Set.of("haven");
        assertThat(calendar.next(sites, from, needed).map(span -> span.from() + "/" + span.until()).orElse(null)).as(what).isEqualTo(expected);
    }

    /** What is found is open at each site all the while, and nothing earlier of that length is: held against a walk in steps of a quarter of an hour. */
    @Test
    void nothingEarlierIsOpenForAll() {
        long seed = RandomTrees.seed();
        for (int i = 0; i < 300; i++) {
            Random random = new Random(seed + i);
            List<MaintenanceWindow> windows = IntStream.range(0, 1 + random.nextInt(4)).mapToObj(each -> new MaintenanceWindow(
                    List.of(Set.<String>of(), Set.of("a"), Set.of("b"), Set.of("a", "b")).get(random.nextInt(4)), LocalDateTime.of(2026, 1, 1 + random.nextInt(28), random.nextInt(24), 15 * random.nextInt(4)), ZoneId.of("UTC"),
                    Duration.ofMinutes(15L * (1 + random.nextInt(30))), List.of("", "FREQ=DAILY", "FREQ=DAILY;INTERVAL=3", "FREQ=WEEKLY;BYDAY=MO,TH").get(random.nextInt(4)))).toList();
            Instant from = Instant.parse("2026-01-20T00:00:00Z").plus(Duration.ofMinutes(15L * random.nextInt(96)));
            Duration needed = Duration.ofMinutes(15L * (1 + random.nextInt(12)));
            Set<String> sites = random.nextBoolean() ? Set.of("a") : Set.of("a", "b");
            String found = new MaintenanceCalendar(windows).next(sites, from, needed).map(span -> span.from().toString()).orElse("none");
            String walked = Stream.iterate(from, at -> at.plus(Duration.ofMinutes(15))).limit(40 * 96)
                    .filter(at -> Stream.iterate(at, each -> each.plus(Duration.ofMinutes(15))).limit(needed.toMinutes() / 15).allMatch(each -> sites.stream().allMatch(site -> isOpen(windows, site, each))))
                    .findFirst().map(Instant::toString).orElse("none");
            if (!walked.equals("none") || found.equals("none")) {
                assertThat(found).as("seed %d: %s for %s, %s", seed + i, windows, sites, needed).isEqualTo(walked);
            }
        }
    }

    private static boolean isOpen(List<MaintenanceWindow> windows, String site, Instant at) {
        return windows.stream().filter(window -> window.isFor(site)).anyMatch(window -> window.within(new Span(at, at.plusSeconds(1))).stream()
                .anyMatch(span -> !span.from().isAfter(at) && span.until().isAfter(at)));
    }

    @Test
    void sitesWithoutAWindowAreNamed() {
        assertThat(new MaintenanceCalendar(List.of(window("a,b: " + TUESDAYS))).without(Set.of("a", "c", "b", "d"))).containsExactly("c", "d");
        assertThat(new MaintenanceCalendar(List.of(window(TUESDAYS))).without(Set.of("a"))).isEmpty();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', textBlock = """
            2026-01-06T02:00 UTC PT3H FREQ=HOURLY   | at most once a day
            2026-01-06T02:00 UTC PT3H EVERY=TUESDAY | no recurrence rule
            2026-01-06T02:00 UTC PT3H FREQ=WEEKLY;BYDAY=XX | no recurrence rule
            2026-01-06T02:00 UTC PT0S FREQ=DAILY    | a minute at least
            2026-01-06T02:00 UTC P8D FREQ=DAILY     | a week at most
            """)
    void whatIsNoWindowIsRefused(String text, String told) {
        assertThatThrownBy(() -> window(text)).isInstanceOf(IllegalArgumentException.class).hasMessageContaining(told);
    }
}
