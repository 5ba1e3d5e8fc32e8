package rilvan.server.checks;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.springframework.dao.DataAccessResourceFailureException;
import rilvan.core.catalog.Catalog;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.network.Network;
import rilvan.core.outside.Answer;
import rilvan.core.outside.DeviceSession;
import rilvan.core.outside.Sessions;
import rilvan.server.Application.Settings;
import rilvan.server.devices.DeviceDesk;
import rilvan.server.estate.StoredEstate;

/** Something must not get through: that is so where it was tried and did not, and in no other case. */
class ProberTest {

    private static Catalog catalog;
    private final StoredEstate estate = mock(StoredEstate.class);
    private final DeviceDesk devices = mock(DeviceDesk.class);
    private final Sessions sessions = mock(Sessions.class);
    private final Settings settings = mock(Settings.class);
    private final Prober prober = new Prober(estate, devices, settings);

    @BeforeAll
    static void models() throws Exception {
        catalog = Catalog.read(Path.of("../models"));
    }

    private Observed seen(boolean wanted, CompletionStage<DeviceSession> session) {
        when(estate.network()).thenReturn(Network.EMPTY);
        when(devices.dialect(anyString())).thenReturn(catalog.dialects().get("quern"));
        when(devices.sessions()).thenReturn(sessions);
        when(sessions.open(anyString())).thenReturn(session);
        when(settings.proofPatience()).thenReturn(Duration.ZERO);
        when(settings.proofRest()).thenReturn(Duration.ZERO);
        Check check = new Check("s", "wire", wanted, Map.of("device", "haven-pe1", "name", "s"), Map.of("device", "ternsay-pe1", "address", "203.0.113.2"));
        return prober.make(List.of(check), false).join().get(0);
    }

    private static CompletionStage<DeviceSession> answering(Answer answer) {
        DeviceSession session = mock(DeviceSession.class);
        when(session.send(any())).thenReturn(CompletableFuture.completedFuture(List.of(answer)));
        return CompletableFuture.completedFuture(session);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "true  | <up>true</up>                       | true  | up",
        "true  | <up>false</up><reason>far</reason>  | false | far",
        "false | <up>false</up><reason>far</reason>  | true  | far, as it must be",
        "false | <up>true</up>                       | false | up, and must not",
    })
    void whatIsLookedForIsSoOrNot(boolean wanted, String answer, boolean holds, String words) {
        Observed seen = seen(wanted, answering(new Answer.Data(answer)));
        assertThat(seen.holds()).isEqualTo(holds);
        assertThat(seen.seen()).isEqualTo(words);
    }

    @Test
    void whatCouldNotBeLookedAtIsAsItMustBeInNoCase() {
        for (boolean wanted : List.of(true, false)) {
            assertThat(seen(wanted, CompletableFuture.failedFuture(new Sessions.CannotOpen("no way"))).holds()).isFalse();
            assertThat(seen(wanted, answering(new Answer.Lost("gone"))).holds()).isFalse();
            Observed refused = seen(wanted, answering(new Answer.Refused(List.of(new Answer.Fault("operation-not-supported", "", "never heard of")))));
            assertThat(refused.holds()).isFalse();
            assertThat(refused.seen()).isEqualTo("never heard of (operation-not-supported)");
        }
    }

    /** While the store is away nothing can be looked up, and still somebody waits for what comes of it. */
    @Test
    void aStoreThatIsAwayFailsTheProofAndDoesNotSilenceIt() {
        when(estate.network()).thenThrow(new DataAccessResourceFailureException("away"));
        when(settings.proofRest()).thenReturn(Duration.ZERO);
        assertThat(prober.make(List.of(), false)).failsWithin(Duration.ofMinutes(1)).withThrowableThat().withMessageContaining("away");
    }
}
