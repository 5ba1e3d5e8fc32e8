package rilvan.server.monitoring;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.nio.file.Path;
import java.time.Duration;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.IntStream;
import org.assertj.core.api.InstanceOfAssertFactories;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.springframework.dao.DataAccessResourceFailureException;
import rilvan.core.catalog.Catalog;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.environment.Answer;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Request;
import rilvan.core.environment.Sessions;
import rilvan.core.network.Network;
import rilvan.server.Settings;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.library.Library;

/** Something must not get through: that is so where it was tried and did not, and in no other case. */
class CheckRunnerTest {

    private static Catalog catalog;
    private final StoredPlanningSource source = mock(StoredPlanningSource.class);
    private final Devices devices = mock(Devices.class);
    private final Sessions sessions = mock(Sessions.class);
    private final Settings settings = mock(Settings.class);
    private final Library library = mock(Library.class);
    private final CheckRunner checkRunner = new CheckRunner(source, devices, library, settings);

    @BeforeAll
    static void models() throws Exception {
        catalog = Catalog.read(Path.of("../models"));
    }

    @BeforeEach
    void published() {
        when(library.catalog()).thenReturn(catalog);
    }

    private Observed seen(boolean wanted, CompletionStage<DeviceSession> session) {
        when(source.recentNetwork()).thenReturn(Network.EMPTY);
        when(devices.dialect(anyString())).thenReturn(catalog.dialects().get("quern"));
        when(devices.sessions()).thenReturn(sessions);
        when(sessions.open(anyString())).thenReturn(session);
        when(settings.checkTimeout()).thenReturn(Duration.ZERO);
        when(settings.settleTime()).thenReturn(Duration.ZERO);
        Check check = new Check("s", "wire", wanted, Map.of("device", "haven-pe1", "name", "s"), Map.of("device", "ternsay-pe1", "address", "203.0.113.2", "flush", false));
        return checkRunner.make(List.of(check), false, () -> true).join().get(0);
    }

    private static CompletionStage<DeviceSession> answering(Answer answer) {
        DeviceSession session = mock(DeviceSession.class);
        when(session.send(any())).thenAnswer(call -> CompletableFuture.completedFuture(Collections.nCopies(call.<List<?>>getArgument(0).size(), answer)));
        return CompletableFuture.completedFuture(session);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "true  | <up>true</up>                       | true  | up",
        "true  | <up>false</up><reason>far</reason>  | false | far",
        "false | <up>false</up><reason>far</reason>  | true  | far (must not)",
        "false | <up>true</up>                       | false | up (must not)",
    })
    void whatIsLookedForIsSoOrNot(boolean wanted, String answer, boolean holds, String words) {
        Observed seen = seen(wanted, answering(new Answer.Data(answer)));
        assertThat(seen.passed()).isEqualTo(holds);
        assertThat(seen.value()).isEqualTo(words);
    }

    @Test
    void aCheckThatCouldNotRunHasNotPassed() {
        for (boolean wanted : List.of(true, false)) {
            assertThat(seen(wanted, CompletableFuture.failedFuture(new Sessions.CannotOpen("no way"))).passed()).isFalse();
            assertThat(seen(wanted, answering(new Answer.Lost("gone"))).passed()).isFalse();
            Observed refused = seen(wanted, answering(new Answer.Refused(List.of(new Answer.Fault("operation-not-supported", "", "never heard of")))));
            assertThat(refused.passed()).isFalse();
            assertThat(refused.value()).isEqualTo("never heard of (operation-not-supported)");
        }
    }

    /** A device that says that it stays so is believed at once, for all of that service and for no other. */
    @Test
    void aFinalAnswerIsNotWaitedFor() {
        Map<String, String> answers = Map.of("a", "<up>false</up><reason>wrong AS</reason><settled>true</settled>", "b", "<up>false</up><reason>far</reason>",
                "c", "<up>true</up>");
        seen(true, answering(new Answer.Data("")));
        when(settings.checkTimeout()).thenReturn(Duration.ofDays(1));
        AtomicInteger asked = new AtomicInteger();
        when(sessions.open(anyString())).thenAnswer(call -> answering(new Answer.Data(call.getArgument(0).equals("b") && asked.incrementAndGet() > 5
                ? answers.get("c") : answers.get(call.<String>getArgument(0)))));
        List<Check> checks = List.of(wire("hopeless", "a"), wire("hopeless", "b"), wire("other", "b"));
        List<Observed> seen = checkRunner.make(checks, false, () -> true).join();
        assertThat(seen).extracting(Observed::passed).containsExactly(false, false, true);
        assertThat(seen).extracting(Observed::value).containsExactly("wrong AS", "far", "up");
    }

    private static Check wire(String service, String from) {
        return new Check(service, "wire", true, Map.of("device", from, "name", "s"), Map.of("device", "ternsay-pe1", "address", "203.0.113.2", "flush", false));
    }

    /** Where a packet is lost, or gets through that must not, the observer is asked for the way as well; it is no matter if it cannot tell. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "true  | 0 | <hop>haven-ce1</hop><hop>haven-pe1 in V</hop> | haven-ce1 > haven-pe1 in V",
        "true  | 0 | ''                                            | ''",
        "true  | 3 | <hop>haven-ce1</hop>                          | ''",
        "false | 3 | <hop>haven-ce1</hop>                          | haven-ce1",
    })
    void theWayIsLookedAtWhereItMatters(boolean wanted, int received, String answer, String way) {
        DeviceSession session = mock(DeviceSession.class);
        when(session.send(any())).thenAnswer(call -> {
            String request = ((Request.Call) call.<List<Request>>getArgument(0).get(0)).operation();
            return request.contains("<trace") && answer.isEmpty() ? CompletableFuture.failedFuture(new IllegalStateException("never heard of"))
                    : CompletableFuture.completedFuture(List.of(new Answer.Data(request.contains("<trace") ? answer : "<sent>3</sent><received>" + received + "</received>")));
        });
        seen(true, CompletableFuture.completedFuture(session));
        Map<String, Object> end = Map.of("device", "haven-pe1", "port", "access-1", "vrf", "V", "address", "192.0.2.0", "beyond", "192.0.2.1", "size", 64);
        Observed seen = checkRunner.make(List.of(new Check("s", "reach", wanted, end, end)), false, () -> true).join().get(0);
        assertThat(seen.passed()).isEqualTo(wanted == received > 0);
        assertThat(seen.path()).isEqualTo(way);
    }

    /** Whatever becomes of the second question, what was seen at the first is told: an order waits for it. */
    @Test
    void aStoreThatFailsWhileThePathIsAskedForFailsTheCheck() {
        Check check = new Check("s", "wire", true, Map.of("device", "haven-pe1", "name", "s"), Map.of("device", "ternsay-pe1", "address", "203.0.113.2", "flush", false));
        seen(true, answering(new Answer.Data("<up>false</up><reason>far</reason>")));
        when(devices.dialect(anyString())).thenReturn(catalog.dialects().get("quern")).thenThrow(new DataAccessResourceFailureException("away"));
        assertThat(checkRunner.make(List.of(check), false, () -> true)).succeedsWithin(Duration.ofMinutes(1)).asInstanceOf(InstanceOfAssertFactories.LIST).singleElement()
                .extracting("value", "path").containsExactly("far", "");
    }

    /** However many checks there are, each device is asked over one session at a time, and every check gets its own answer. */
    @Test
    void manyChecksOfADeviceShareOneSession() {
        AtomicInteger open = new AtomicInteger();
        AtomicInteger most = new AtomicInteger();
        seen(true, answering(new Answer.Data("")));
        when(sessions.open(anyString())).thenAnswer(call -> {
            most.accumulateAndGet(open.incrementAndGet(), Math::max);
            DeviceSession session = mock(DeviceSession.class);
            when(session.isOpen()).thenReturn(true);
            when(session.send(any())).thenAnswer(sent -> CompletableFuture.supplyAsync(() -> sent.<List<Request>>getArgument(0).stream().<Answer>map(request ->
                    new Answer.Data("<up>" + ((Request.Call) request).operation().contains("<peer>203.0.113.7</peer>") + "</up>")).toList()));
            doAnswer(closed -> open.decrementAndGet()).when(session).close();
            return CompletableFuture.completedFuture(session);
        });
        List<Check> checks = IntStream.range(0, 1_000).mapToObj(i -> new Check("s" + i, "wire", true, Map.of("device", "d", "name", "s"),
                Map.of("device", "ternsay-pe1", "address", "203.0.113." + i % 10, "flush", false))).toList();
        List<Observed> results = checkRunner.look(checks).join();
        assertThat(results).extracting(Observed::check).isEqualTo(checks);
        assertThat(results).allMatch(each -> each.passed() == each.check().to().get("address").equals("203.0.113.7"));
        assertThat(most).hasValue(1);
    }

    /** An order that is cancelled does not wait for what will not come true. */
    @Test
    void aCancelledWaitIsAnsweredAtOnce() {
        CompletionStage<DeviceSession> session = answering(new Answer.Data("<up>false</up><reason>far</reason>"));
        seen(true, session);
        when(settings.checkTimeout()).thenReturn(Duration.ofDays(1));
        Check check = new Check("s", "wire", true, Map.of("device", "haven-pe1", "name", "s"), Map.of("device", "ternsay-pe1", "address", "203.0.113.2", "flush", false));
        AtomicInteger asked = new AtomicInteger();
        assertThat(checkRunner.make(List.of(check), false, () -> asked.incrementAndGet() < 3)).succeedsWithin(Duration.ofMinutes(1));
        assertThat(asked.get()).isBetween(3, 6);
    }

    /** While the store is away nothing can be looked up, and still somebody waits for what comes of it. */
    @Test
    void aStoreThatIsAwayFailsTheChecksWithAReason() {
        when(source.recentNetwork()).thenThrow(new DataAccessResourceFailureException("away"));
        when(settings.settleTime()).thenReturn(Duration.ZERO);
        assertThat(checkRunner.make(List.of(), false, () -> true)).failsWithin(Duration.ofMinutes(1)).withThrowableThat().withMessageContaining("away");
    }
}
