package rilvan.server.orders.execution;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyBoolean;
import static org.mockito.ArgumentMatchers.anyList;
import static org.mockito.ArgumentMatchers.anySet;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.check.Check;
import rilvan.core.check.LinkState;
import rilvan.core.check.Observed;
import rilvan.core.network.Network.End;
import rilvan.core.network.Network.Link;
import rilvan.server.monitoring.Baseline;
import rilvan.server.monitoring.CheckRunner;
import rilvan.server.monitoring.LinkComparison;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.orders.history.PlanRecord.ServiceRecord;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.CheckRow;

/** What an order is proven by: its own services first, then that no other service is worse than before. */
class OrderChecksTest {

    private static final Link LINK = new Link(new End("haven-pe1", "core-1"), new End("ternsay-pe1", "core-1"));
    private static final LinkState WELL = new LinkState(LINK, true, List.of());
    private static final LinkState WORSE = new LinkState(LINK, false, List.of("core-1 of ternsay-pe1 is down"));

    private final CheckRunner checkRunner = mock(CheckRunner.class);
    private final Baseline baseline = mock(Baseline.class);
    private final LinkComparison links = mock(LinkComparison.class);
    private final Orders orders = mock(Orders.class);
    private final OrderChecks orderChecks = new OrderChecks(checkRunner, baseline, links, orders, Duration.ZERO);

    private static Check check(String service) {
        return new Check(service, "reach", true, Map.of("device", "haven-pe1"), Map.of("device", "ternsay-pe1"));
    }

    private static Observed seen(String service, boolean holds) {
        return new Observed(check(service), "haven-pe1", "ternsay-pe1", Observed.Coverage.END_TO_END, holds, holds ? "answered" : "no route", Map.of(), holds ? "" : "haven-pe1");
    }

    private static PlanRecord plan(String... services) {
        return new PlanRecord(Arrays.stream(services).map(name -> new ServiceRecord(name, "ADD", "t", "m", 1, Map.of(), Map.of(), name, Set.of(), Set.of(), Set.of(), null)).toList(), List.of(), List.of(), List.of(),
                Arrays.stream(services).map(OrderChecksTest::check).toList(), "");
    }

    /** The reason of an order stands in lists: it names a few services, and how many more. */
    @Test
    void ofManyServicesThatFailAFewAreNamed() {
        String[] services = Stream.iterate(100, i -> i + 1).limit(300).map(i -> "wire-" + i).toArray(String[]::new);
        String summary = OrderChecks.verdict(plan(services), Arrays.stream(services).map(service -> seen(service, false)).toList()).summary();
        assertThat(summary).startsWith("wire-100 does not work: ").endsWith("; and 290 more services").doesNotContain("wire-110");
    }

    @BeforeEach
    void allIsWell() {
        when(checkRunner.threads()).thenReturn(Runnable::run);
        when(links.on(anySet())).thenReturn(List.of(LINK));
        when(links.look(anyList())).thenReturn(CompletableFuture.completedFuture(List.of(WELL)));
        before();
    }

    private void before(Observed... seen) {
        when(baseline.look(anySet(), anySet())).thenReturn(CompletableFuture.completedFuture(new Baseline.Before(List.of(seen), 0)));
    }

    /** What the network shows of a service from now on. */
    private void shows(String service, boolean holds) {
        when(checkRunner.make(eq(List.of(check(service))), anyBoolean(), any())).thenReturn(CompletableFuture.completedFuture(List.of(seen(service, holds))));
    }

    @Test
    void theBaselineOfOtherServicesIsReported() {
        assertThat(orderChecks.takeBaseline(plan("own"), Set.of("haven-pe1"))).isEmpty();
        before(seen("own", true), seen("beside", true), seen("other", false));
        assertThat(orderChecks.takeBaseline(plan("own"), Set.of("haven-pe1")))
                .isEqualTo("2 checks of 2 other services on these devices; failing already: from haven-pe1 to ternsay-pe1: no route");
        when(baseline.look(anySet(), anySet())).thenReturn(CompletableFuture.completedFuture(new Baseline.Before(List.of(seen("beside", true)), 1)));
        assertThat(orderChecks.takeBaseline(plan("own"), Set.of("haven-pe1"))).isEqualTo("1 check of 1 other service on these devices; 1 service was not checked, or only in part");
    }

    @Test
    void otherServicesThatPassedBeforeAreCheckedAgainAfterTheOrdersOwn() {
        before(seen("beside", true), seen("failing", false));
        orderChecks.takeBaseline(plan("own"), Set.of("haven-pe1"));
        shows("own", true);
        shows("beside", false);
        assertThat(orderChecks.make(plan("own")).join()).extracting(each -> each.check().service() + " " + each.passed()).containsExactly("own true", "beside false");
        // What did not work before is not the order's fault, and is not looked at.
        verify(checkRunner, times(2)).make(anyList(), anyBoolean(), any());
    }

    @Test
    void otherServicesAreNotCheckedWhereTheOrdersOwnFail() {
        before(seen("beside", true));
        orderChecks.takeBaseline(plan("own"), Set.of("haven-pe1"));
        shows("own", false);
        assertThat(orderChecks.make(plan("own")).join()).containsExactly(seen("own", false));
        verify(checkRunner, times(1)).make(anyList(), anyBoolean(), any());
    }

    @Test
    void aLinkFailsOnlyWhereASecondReadingFailsToo() {
        orderChecks.takeBaseline(plan("own"), Set.of("haven-pe1"));
        shows("own", true);
        when(checkRunner.make(eq(List.of()), anyBoolean(), any())).thenReturn(CompletableFuture.completedFuture(List.of()));
        when(links.look(anyList())).thenReturn(CompletableFuture.completedFuture(List.of(WORSE))).thenReturn(CompletableFuture.completedFuture(List.of(WELL)));
        assertThat(orderChecks.make(plan("own")).join()).containsExactly(seen("own", true));
        when(links.look(anyList())).thenReturn(CompletableFuture.completedFuture(List.of(WORSE)));
        assertThat(orderChecks.make(plan("own")).join()).extracting(Observed::value).containsExactly("answered", "core-1 of ternsay-pe1 is down");
    }

    @Test
    void aLinkThatFailedBeforeIsNotHeldAgainstTheOrder() {
        when(links.look(anyList())).thenReturn(CompletableFuture.completedFuture(List.of(WORSE)));
        orderChecks.takeBaseline(plan("own"), Set.of("haven-pe1"));
        shows("own", true);
        when(checkRunner.make(eq(List.of()), anyBoolean(), any())).thenReturn(CompletableFuture.completedFuture(List.of()));
        assertThat(orderChecks.make(plan("own")).join()).containsExactly(seen("own", true));
        verify(links, times(1)).look(anyList());
    }

    @Test
    void storedChecksHoldTheValueBeforeAndAfterAndThePath() {
        before(seen("own", true));
        orderChecks.takeBaseline(plan("own"), Set.of("haven-pe1"));
        orderChecks.keep(7, List.of(seen("own", false), seen("new", true)));
        verify(orders).addChecks(List.of(
                new CheckRow(7, 1, "own", "reach", "haven-pe1", "ternsay-pe1", "END_TO_END", false, "no route", true, "answered", "haven-pe1"),
                new CheckRow(7, 2, "new", "reach", "haven-pe1", "ternsay-pe1", "END_TO_END", true, "answered", null, null, "")));
    }

    /** Services of the order are named by a capital letter; what fails is followed by a minus. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "''         | true  | no checks | ''",
        "A          | true  | 1 check passed | ''",
        "A B        | true  | 2 checks passed | ''",
        "A B-       | false | B does not work: from haven-pe1 to ternsay-pe1: no route | B",
        // Any of the order may be at fault for what it breaks.
        "A B beside-| false | breaks beside, which this order does not change: passed before, fails now: from haven-pe1 to ternsay-pe1: no route | A B",
        "A- beside- | false | A does not work: from haven-pe1 to ternsay-pe1: no route; breaks beside, which this order does not change: passed before, fails now: "
                + "from haven-pe1 to ternsay-pe1: no route | A B",
    })
    void theVerdictNamesWhatFailedAndWhoMayBeAtFault(String seen, boolean holds, String summary, String atFault) {
        List<Observed> all = Stream.of(seen.split(" ")).filter(each -> !each.isEmpty()).map(each -> seen(each.replace("-", ""), !each.endsWith("-"))).toList();
        OrderChecks.Verdict verdict = OrderChecks.verdict(plan("A", "B"), all);
        assertThat(verdict.passed()).isEqualTo(holds);
        assertThat(verdict.summary()).isEqualTo(summary);
        assertThat(String.join(" ", verdict.failing().stream().sorted().toList())).isEqualTo(atFault);
    }
}
