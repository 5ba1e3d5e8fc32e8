package rilvan.server.monitoring;

import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.Duration;
import java.util.List;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.Sessions;
import rilvan.server.Settings;
import rilvan.server.inventory.Devices;
import rilvan.server.store.Inventory;

class ReadingMonitorTest {

    private final Inventory inventory = mock(Inventory.class);
    private final Devices devices = mock(Devices.class);
    private ReadingMonitor monitor;

    @BeforeEach
    void start() {
        Settings settings = mock(Settings.class);
        when(settings.readingInterval()).thenReturn(Duration.ofHours(1));
        when(inventory.dueForReading(3_600)).thenReturn(List.of("haven-pe1", "skarn-pe1", "ternsay-pe1"));
        monitor = new ReadingMonitor(inventory, devices, settings);
    }

    @AfterEach
    void stop() {
        monitor.close();
    }

    @Test
    void aDeviceThatCannotBeReadKeepsNoOtherFromBeingReadAndIsTriedAnIntervalLater() {
        doThrow(new Sessions.CannotOpen("no answer")).when(devices).read("haven-pe1");
        doThrow(new IllegalStateException("whatever it is")).when(devices).read("skarn-pe1");
        monitor.round();
        monitor.round();
        verify(devices, times(1)).read("haven-pe1");
        verify(devices, times(1)).read("skarn-pe1");
        verify(devices, times(2)).read("ternsay-pe1");
    }

    @Test
    void aDeviceThatAnOrderHoldsIsTriedAgainAtOnce() {
        doThrow(new ValidationFailure("", "is held by order 7")).when(devices).read("haven-pe1");
        monitor.round();
        monitor.round();
        verify(devices, times(2)).read("haven-pe1");
    }
}
