package rilvan.server.monitoring;

import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.ArgumentMatchers.contains;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.document.ValidationFailure;
import rilvan.core.plan.Explainer;
import rilvan.server.Settings;
import rilvan.server.store.ServiceHealth;

class HealthMonitorTest {

    private static final long EVERY = 60;

    private final ServiceHealth health = mock(ServiceHealth.class);
    private final Explainer explainer = mock(Explainer.class);
    private final CheckRunner checkRunner = mock(CheckRunner.class);
    private HealthMonitor monitor;

    @BeforeEach
    void start() {
        Settings settings = mock(Settings.class);
        when(settings.healthInterval()).thenReturn(Duration.ofSeconds(EVERY));
        when(health.due(anyLong())).thenReturn(Optional.empty());
        monitor = new HealthMonitor(health, mock(rilvan.server.store.Services.class), explainer, checkRunner, mock(CustomersToFollow.class), settings);
    }

    @AfterEach
    void stop() {
        monitor.close();
    }

    private void seen(boolean... holds) {
        List<Observed> observed = new ArrayList<>();
        for (boolean each : holds) {
            Check check = new Check("s", "reach", true, Map.of(), Map.of());
            observed.add(new Observed(check, "here", "there", Observed.Coverage.END_TO_END, each, each ? "answered" : "no route", Map.of(), ""));
        }
        when(checkRunner.look(any())).thenReturn(CompletableFuture.completedFuture(observed));
    }

    @Test
    void failuresOfAServiceAreStoredInShort() {
        seen(true, false, false, false, false);
        monitor.look("s").join();
        verify(health).checked("s", "from here to there: no route; from here to there: no route; from here to there: no route; and 1 more", "");
    }

    @Test
    void aServiceThatPassesIsStoredToo() {
        seen(true, true);
        monitor.look("s").join();
        verify(health).checked("s", "", "");
    }

    @Test
    void aServiceThatCannotBeExpandedFails() {
        ValidationFailure gone = new ValidationFailure("", "there is no device named 'haven-pe9'");
        when(explainer.checks(eq("s"), anyLong())).thenThrow(gone);
        when(explainer.outOfDate("s")).thenThrow(gone);
        monitor.look("s").join();
        verify(health).checked(eq("s"), eq(""), contains("haven-pe9"));
    }

    @Test
    void aServiceThatAnotherInstanceChecksIsLeftToIt() {
        when(health.due(EVERY)).thenReturn(Optional.of("s")).thenReturn(Optional.empty());
        when(health.take("s", EVERY)).thenReturn(0);
        monitor.round();
        verify(checkRunner, never()).look(any());
        verify(health, never()).checked(anyString(), anyString(), anyString());
    }

    @Test
    void aServiceThatIsDueIsCheckedOnce() {
        seen(false);
        when(health.due(EVERY)).thenReturn(Optional.of("s")).thenReturn(Optional.empty());
        when(health.take("s", EVERY)).thenReturn(1);
        monitor.round();
        verify(health).checked("s", "from here to there: no route", "");
    }
}
