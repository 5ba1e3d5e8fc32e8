package rilvan.server.orders;

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
import rilvan.server.Application.Settings;
import rilvan.server.checks.Baseline;
import rilvan.server.checks.Links;
import rilvan.server.checks.Prober;
import rilvan.server.devices.DeviceDesk;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.OrderRow;

/** Taking over what nobody drives. */
class DriversTest {

    private final Orders orders = mock(Orders.class);
    private final Journal journal = mock(Journal.class);
    private final Instance instance = mock(Instance.class);
    private final Drivers drivers = new Drivers(orders, journal, mock(Regrouping.class), mock(Progress.class), mock(Prober.class), mock(Baseline.class),
            mock(Links.class), mock(DeviceDesk.class), instance, mock(Settings.class));

    private static OrderRow row(String state, long epoch) {
        return new OrderRow(7, "engineer", "-", "", state, epoch, "token", "", "{}", "{}", "", OffsetDateTime.MIN, null, null, false);
    }

    /** Whoever drove it may have written one more record between the look at what is abandoned and the take-over. */
    @Test
    void goesOnFromWhatTheJournalSaysOnceNobodyElseCanWrite() {
        OrderRow looked = row("OPEN", 1);
        OrderRow taken = row("HELD", 2);
        when(instance.id()).thenReturn("us");
        when(orders.abandoned()).thenReturn(List.of(looked));
        when(orders.takeOver(7, 1, "us")).thenReturn(1);
        when(orders.order(7)).thenReturn(Optional.of(taken));
        when(journal.parts(anyLong())).thenReturn(List.of());
        when(journal.sessions(any())).thenReturn(Map.of());
        when(journal.plan(any())).thenReturn(new PlanRecord(List.of(), List.of(), List.of(), List.of()));
        drivers.takeOver(() -> { });
        drivers.close();
        verify(journal).sessions(taken);
        verify(journal).plan(taken);
    }
}
