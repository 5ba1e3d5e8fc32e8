package rilvan.server.inventory;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import ch.qos.logback.classic.Level;
import ch.qos.logback.classic.Logger;
import ch.qos.logback.classic.spi.ILoggingEvent;
import ch.qos.logback.core.read.ListAppender;
import io.micrometer.core.instrument.simple.SimpleMeterRegistry;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.slf4j.LoggerFactory;
import org.slf4j.MDC;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.SecretText;
import rilvan.core.document.SecretSeal;
import rilvan.core.model.Vocabulary;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.server.TestSettings;
import rilvan.server.library.Library;
import rilvan.server.ops.LogContext;

/** What is logged and counted of sessions; the wire trace above all, which must not give a secret away. */
class DeviceTelemetryTest {

    private static final long SLOW = TestSettings.of(java.nio.file.Path.of("k")).slowAnswer().toNanos();

    private static final Pattern KEY = Pattern.compile("<((?:[\\w.-]+:)?key)(?:\\s[^<>]*)?>(?<secret>[^<]+)</\\1\\s*>");
    private static final SecretText QUERN = new SecretText(SecretText.Form.CLEAR, KEY, KEY, true);

    private final Logger root = (Logger) LoggerFactory.getLogger("rilvan");
    private final ListAppender<ILoggingEvent> log = new ListAppender<>();
    private final SimpleMeterRegistry registry = new SimpleMeterRegistry();
    private DeviceTelemetry telemetry;

    @BeforeEach
    void listen() {
        log.start();
        root.addAppender(log);
        root.setLevel(Level.INFO);
        Network network = mock(Network.class);
        Device device = mock(Device.class);
        when(device.family()).thenReturn("quern");
        when(network.device("haven-pe1")).thenReturn(Optional.of(device));
        Dialect dialect = mock(Dialect.class);
        when(dialect.secrets()).thenReturn(Optional.of(QUERN));
        Library library = mock(Library.class);
        when(library.catalog()).thenReturn(new Catalog(mock(Vocabulary.class), Map.of(), Map.of("quern", dialect)));
        StoredPlanningSource source = mock(StoredPlanningSource.class);
        when(source.recentNetwork()).thenReturn(network);
        telemetry = new DeviceTelemetry(registry, source, library, TestSettings.of(java.nio.file.Path.of("k")));
    }

    @AfterEach
    void leave() {
        root.detachAppender(log);
    }

    private List<String> lines() {
        return log.list.stream().map(ILoggingEvent::getFormattedMessage).toList();
    }

    @Test
    void linesAboutADeviceCarryItsNameAndOnlyThese() {
        telemetry.failed("haven-pe1", "connection refused");
        LogContext.about("", () -> root.info("about no device"));
        assertThat(log.list.get(0).getMDCPropertyMap()).containsEntry("device", "haven-pe1");
        assertThat(log.list.get(1).getMDCPropertyMap()).doesNotContainKey("device");
        assertThat(MDC.get("device")).isNull();
    }

    @Test
    void theTraceIsOfOneDeviceAndShowsNoSecret() {
        telemetry.trace("haven-pe1", true);
        assertThat(telemetry.traces("haven-pe1")).isTrue();
        assertThat(telemetry.traces("olvar-pe1")).isFalse();
        telemetry.sent("haven-pe1", "<q:key xmlns:q='urn:q'>correct &lt;horse&gt;</q:key><key>battery</key><other>staple</other>");
        telemetry.received("haven-pe1", "key " + SecretSeal.WITHOUT_KEY.seal("correct horse"));
        assertThat(lines()).contains("> <q:key xmlns:q='urn:q'>(secret)</q:key><key>(secret)</key><other>staple</other>", "< key (secret)");
        telemetry.trace("haven-pe1", false);
        assertThat(telemetry.traces("haven-pe1")).isFalse();
    }

    @Test
    void onlySlowAndLostAnswersAreSaid() {
        telemetry.answered("haven-pe1", 3, SLOW / 2, false);
        assertThat(lines()).isEmpty();
        telemetry.answered("haven-pe1", 3, SLOW * 2, false);
        telemetry.answered("haven-pe1", 1, Duration.ofMillis(70).toNanos(), true);
        assertThat(lines()).containsExactly("haven-pe1 took " + SLOW * 2 / 1_000_000 + " ms to answer 3 requests",
                "the session with haven-pe1 was lost after 70 ms");
        assertThat(registry.get("rilvan.devices.answer").tag("result", "lost").timer().count()).isEqualTo(1);
        assertThat(registry.get("rilvan.devices.answer").tag("result", "answered").timer().count()).isEqualTo(2);
    }
}
