package rilvan.server.orders.intake;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.ArgumentMatchers.argThat;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.atLeastOnce;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.Instant;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.Optional;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.springframework.transaction.PlatformTransactionManager;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.orders.execution.OrderExecutor;
import rilvan.server.orders.history.OrderEnd;
import rilvan.server.orders.timing.OrderSchedule;
import rilvan.server.orders.timing.Start;
import rilvan.server.orders.timing.StartTimes;
import rilvan.server.store.Inventory;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Services;

/** What becomes of an order that has not begun when it is looked at. */
class OrderLineTest {

    private static final Instant NOW = Instant.parse("2026-12-01T02:00:00Z");

    private final Orders orders = mock(Orders.class);
    private final StartTimes times = mock(StartTimes.class);
    private final OrderLine line = new OrderLine(mock(Planning.class), orders, mock(Services.class), mock(Inventory.class), mock(OrderExecutor.class), mock(ClusterMember.class), mock(OrderEnd.class),
            times, mock(OrderSchedule.class), new Json(), new TransactionTemplate(mock(PlatformTransactionManager.class)));

    @BeforeEach
    void itIsTwo() {
        when(times.now()).thenReturn(NOW);
        when(orders.leaveLine(anyLong(), anyString())).thenReturn(Optional.of("[]"));
    }

    @AfterEach
    void close() {
        line.close();
    }

    private static OffsetDateTime at(String minutes) {
        return minutes == null ? null : NOW.plusSeconds(60L * Integer.parseInt(minutes)).atOffset(ZoneOffset.UTC);
    }

    /** @param from minutes from now, like until; null for none */
    private void order(String state, String from, String until, boolean inWindow, boolean urgent) {
        when(orders.order(7)).thenReturn(Optional.of(new OrderRow(7, "anna", "-", "{}", state, 1, "t", "", "{}", "{}", "", null, null, null, false, false, "[]", false, "[]", "[]", false, at(from), at(until), inWindow, urgent,
                "[]", "[]", null, null, 2, null, null, false)));
    }

    private void frozen() {
        when(times.isFrozen(7)).thenReturn(true);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', nullValues = "-", value = {
        "its time has not come                 | SCHEDULED          | 5  | 65 | false | false | 300  | false",
        "its time has come                     | SCHEDULED          | 0  | 60 | false | false | 3600 | true",
        "and it may begin whenever it can      | SCHEDULED          | -1 | -  | false | false | -    | true",
        "a freeze keeps it back                | SCHEDULED          | 0  | 60 | true  | false | 10   | false",
        "and an urgent one not                 | SCHEDULED          | 0  | 60 | true  | true  | 3600 | true",
        "nobody has agreed yet                 | AWAITING_AGREEMENT | 0  | 60 | false | false | 3600 | false",
        "others are ahead of it                | WAITING            | 0  | 60 | false | false | 3600 | false",
        "it is under way                       | PREPARED           | 0  | -5 | false | false | -    | false",
        "it has ended                          | DONE               | 0  | -5 | false | false | -    | false"})
    void whenItIsToBeLookedAtAgain(String what, String state, String from, String until, boolean frozen, boolean urgent, Long secondsFromNow, boolean comesIntoLine) {
        order(state, from, until, false, urgent);
        if (frozen) {
            frozen();
        }
        assertThat(line.due(7).map(time -> time.getEpochSecond() - NOW.getEpochSecond()).orElse(null)).as(what).isEqualTo(secondsFromNow);
        verify(orders, comesIntoLine ? atLeastOnce() : never()).comesIntoLine(7);
        verify(orders, never()).leaveLine(anyLong(), anyString());
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "SCHEDULED          | no instance of the service was there",
        "AWAITING_AGREEMENT | nobody has agreed to it",
        "WAITING            | other orders were ahead of it"})
    void whatIsTooLateEndsAndSaysWhy(String state, String why) {
        order(state, "-65", "-5", false, false);
        when(times.keepsBack(7)).thenReturn(Optional.empty());
        assertThat(line.due(7)).isEmpty();
        verify(orders).leaveLine(eq(7L), argThat(told -> told.startsWith("it could begin until 2026-12-01T01:55:00Z, and had not: ") && told.endsWith(why)));
    }

    @Test
    void whatHasMissedItsWindowTakesTheNext() {
        order("SCHEDULED", "-65", "-5", true, false);
        Instant next = NOW.plusSeconds(86_400);
        when(times.nextWindow(eq(7L), anyInt())).thenReturn(Optional.of(new Start(Optional.of(next), Optional.of(next.plusSeconds(60)))));
        assertThat(line.due(7)).hasValue(next);
        verify(orders).nextWindow(7, next.atOffset(ZoneOffset.UTC), next.plusSeconds(60).atOffset(ZoneOffset.UTC));
        verify(orders, never()).leaveLine(anyLong(), anyString());
    }

    @Test
    void anOrderWhoseWindowsComeNoMoreEnds() {
        order("SCHEDULED", "-65", "-5", true, false);
        when(times.nextWindow(eq(7L), anyInt())).thenReturn(Optional.empty());
        assertThat(line.due(7)).isEmpty();
        verify(orders).leaveLine(eq(7L), anyString());
    }
}
