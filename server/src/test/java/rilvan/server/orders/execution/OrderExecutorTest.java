package rilvan.server.orders.execution;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.ArgumentMatchers.argThat;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.timeout;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.springframework.dao.QueryTimeoutException;
import rilvan.core.transaction.State;
import rilvan.server.Settings;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.inventory.Devices;
import rilvan.server.monitoring.Baseline;
import rilvan.server.monitoring.CheckRunner;
import rilvan.server.monitoring.LinkComparison;
import rilvan.server.ops.OrderMetrics;
import rilvan.server.orders.history.OrderProgress;
import rilvan.server.orders.history.PlanRecord;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Orders.UnderWay;

/** Taking over what nobody drives. */
class OrderExecutorTest {

    private static final int LONG = 20_000;

    private final Orders orders = mock(Orders.class);
    private final Journal journal = mock(Journal.class);
    private final ClusterMember member = mock(ClusterMember.class);
    private final OrderExecutor executor = new OrderExecutor(orders, journal, mock(PartialRetry.class), mock(OrderProgress.class), mock(CheckRunner.class), mock(Baseline.class),
            mock(LinkComparison.class), mock(Devices.class), member, mock(OrderMetrics.class), mock(Settings.class));

    private static OrderRow row(String state, long epoch) {
        return new OrderRow(7, "engineer", "-", "", state, epoch, "token", "", "{}", "{}", "", OffsetDateTime.MIN, null, null, false, false, "[]", false, "[]", "[]", false, null, null, false, false, "[]", "[]", null, null, 1, null, null, false);
    }

    private void known(OrderRow row) {
        when(member.id()).thenReturn("us");
        when(orders.order(7)).thenReturn(Optional.of(row));
        when(journal.parts(anyLong())).thenReturn(List.of());
        when(journal.sessions(any())).thenReturn(Map.of());
        when(journal.plan(any())).thenReturn(new PlanRecord(List.of(), List.of(), List.of(), List.of(), List.of(), ""));
    }

    /** Whoever drove it may have written one more record between the look at what is abandoned and the take-over. */
    @Test
    void aTakeoverGoesOnFromTheJournalWithANewEpoch() {
        OrderRow taken = row("CONNECTED", 2);
        known(taken);
        when(orders.toSeeTo("us")).thenReturn(List.of(new UnderWay(7, 1, false)));
        when(orders.takeOver(7, 1, "us")).thenReturn(1);
        executor.takeOver(() -> { });
        verify(journal, timeout(LONG)).sessions(taken);
        verify(journal, timeout(LONG)).plan(taken);
        executor.close();
    }

    /** The store is gone, or memory short, between the record that an order is planned and the first reads of whoever drives it. */
    @ParameterizedTest
    @ValueSource(booleans = {false, true})
    void anOrderThatCouldNotBeBegunIsBegunAgain(boolean memory) throws Exception {
        known(row("PLANNED", 2));
        CountDownLatch ended = new CountDownLatch(1);
        when(orders.order(7)).thenThrow(memory ? new OutOfMemoryError("simulated") : new QueryTimeoutException("simulated"))
                .thenReturn(Optional.of(row("PLANNED", 2)));
        executor.claim(7);
        executor.start(7, ended::countDown);
        assertThat(ended.await(LONG, TimeUnit.MILLISECONDS)).isTrue();
        when(orders.toSeeTo("us")).thenReturn(List.of(new UnderWay(7, 1, true)));
        when(orders.takeOver(7, 1, "us")).thenReturn(1);
        executor.takeOver(() -> { });
        // From its plan, as if nothing had been in the way: nobody else has driven it.
        verify(journal, timeout(LONG).atLeastOnce()).write(eq(7L), eq(2L), argThat(write -> write != null && write.state() == State.CONNECTED), any(), any());
        verify(journal, never()).sessions(any());
        executor.close();
    }

    @Test
    void whatIsAboutToBeDrivenIsNotTakenOver() {
        known(row("PLANNED", 1));
        when(orders.toSeeTo("us")).thenReturn(List.of(new UnderWay(7, 1, true)));
        executor.claim(7);
        executor.takeOver(() -> { });
        executor.unclaim(7);
        executor.takeOver(() -> { });
        verify(orders, timeout(LONG).times(1)).takeOver(7, 1, "us");
        executor.close();
    }
}
