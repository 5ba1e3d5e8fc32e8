package rilvan.server.orders.execution;

import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
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

/** Taking over what nobody drives. */
class OrderExecutorTest {

    private final Orders orders = mock(Orders.class);
    private final Journal journal = mock(Journal.class);
    private final ClusterMember member = mock(ClusterMember.class);
    private final OrderExecutor executor = new OrderExecutor(orders, journal, mock(PartialRetry.class), mock(OrderProgress.class), mock(CheckRunner.class), mock(Baseline.class),
            mock(LinkComparison.class), mock(Devices.class), member, mock(OrderMetrics.class), mock(Settings.class));

    private static OrderRow row(String state, long epoch) {
        return new OrderRow(7, "engineer", "-", "", state, epoch, "token", "", "{}", "{}", "", OffsetDateTime.MIN, null, null, false, false, "[]", false);
    }

    /** Whoever drove it may have written one more record between the look at what is abandoned and the take-over. */
    @Test
    void aTakeoverGoesOnFromTheJournalWithANewEpoch() {
        OrderRow looked = row("PLANNED", 1);
        OrderRow taken = row("CONNECTED", 2);
        when(member.id()).thenReturn("us");
        when(orders.abandoned()).thenReturn(List.of(looked));
        when(orders.takeOver(7, 1, "us")).thenReturn(1);
        when(orders.order(7)).thenReturn(Optional.of(taken));
        when(journal.parts(anyLong())).thenReturn(List.of());
        when(journal.sessions(any())).thenReturn(Map.of());
        when(journal.plan(any())).thenReturn(new PlanRecord(List.of(), List.of(), List.of(), List.of(), List.of(), ""));
        executor.takeOver(() -> { });
        executor.close();
        verify(journal).sessions(taken);
        verify(journal).plan(taken);
    }
}
