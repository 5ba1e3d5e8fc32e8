package rilvan.lab.device;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.mockito.ArgumentCaptor;
import org.w3c.dom.Element;
import rilvan.lab.config.Fault;
import rilvan.lab.config.Item;
import rilvan.lab.config.Xml;
import rilvan.lab.config.YangModel;
import rilvan.lab.device.Device.Store;

/** The datastores against RFC 6241. The clock is a mock: timers fire when a test says so. */
class DeviceTest {

    private static YangModel model;
    private final ScheduledExecutorService timer = mock(ScheduledExecutorService.class);
    private final List<Item> saved = new ArrayList<>();
    private Device device;
    private int one;
    private int two;

    @BeforeAll
    static void modules() throws Exception {
        model = YangModel.read(Path.of("../models/dialects/quern/yang"));
    }

    @BeforeEach
    void switchOn() {
        ScheduledFuture<?> future = mock(ScheduledFuture.class);
        when(future.getDelay(any())).thenReturn(0L);
        when(timer.schedule(any(Runnable.class), anyLong(), any())).thenAnswer(call -> future);
        device = new Device("device", model, Item.EMPTY, timer, () -> { }, saved::add);
        one = device.enter(() -> { });
        two = device.enter(() -> { });
    }

    private static Element config(String inner) {
        return Xml.parse("<config xmlns:nc='urn:ietf:params:xml:ns:netconf:base:1.0'>" + inner + "</config>");
    }

    private static String vrf(String attributes, String inner) {
        return "<vpn xmlns='urn:quern:vpn'><vrf " + attributes + "><name>V</name>" + inner + "</vrf></vpn>";
    }

    private void edit(String inner) {
        device.edit(one, config(inner), "merge", false);
    }

    private String running() {
        return device.read(Store.RUNNING).xml();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "nc:operation='create' | data-exists | /vpn/vrf[name='V']",
        "nc:operation='bogus'  | bad-attribute | /vpn/vrf[name='V']",
    })
    void anEditOfWhatIsThereIsRefusedWithItsTagAndPath(String attributes, String tag, String path) {
        edit(vrf("", "<rd>1:1</rd>"));
        assertFault(() -> edit(vrf(attributes, "")), tag, path);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "<vpn xmlns='urn:quern:vpn'><vrf nc:operation='delete'><name>V</name></vrf></vpn> | data-missing | /vpn/vrf[name='V']",
        "<vpn xmlns='urn:quern:vpn'><vrf><rd>1:1</rd></vrf></vpn> | missing-element | /vpn/vrf",
        "<vpn xmlns='urn:quern:vpn'><vrf><name>V</name><rt/></vrf></vpn> | unknown-element | /vpn/vrf[name='V']/rt",
        "<vpn xmlns='urn:quern:other'/> | unknown-element | /vpn",
        "<vpn xmlns='urn:quern:vpn'><vrf><name>V</name><rd>x</rd></vrf></vpn> | invalid-value | /vpn/vrf[name='V']/rd",
        "<interfaces xmlns='urn:quern:interfaces'><interface><name>a</name><mtu>99999</mtu></interface></interfaces> | invalid-value | /interfaces/interface[name='a']/mtu",
    })
    void whatTheModulesDoNotAllowIsRefusedWithItsTagAndPath(String edit, String tag, String path) {
        assertFault(() -> edit(edit), tag, path);
        assertThat(device.read(Store.CANDIDATE)).isEqualTo(Item.EMPTY);
    }

    @Test
    void removeOfNothingIsNoFaultAndMergeKeepsWhatIsThere() {
        edit(vrf("nc:operation='remove'", ""));
        edit(vrf("", "<rd>1:1</rd><description>x</description>"));
        edit(vrf("", "<rd>1:2</rd>"));
        assertThat(device.read(Store.CANDIDATE).below("vpn", "vrf").leaf("description")).isEqualTo("x");
        edit(vrf("nc:operation='replace'", "<rd>1:3</rd>"));
        assertThat(device.read(Store.CANDIDATE).below("vpn", "vrf").leaf("description")).isEmpty();
        edit(vrf("nc:operation='delete'", ""));
        assertThat(device.read(Store.CANDIDATE)).isEqualTo(Item.EMPTY);
    }

    @Test
    void aWholeConfigurationMustHoldTogether() {
        edit(vrf("", ""));
        assertFault(() -> device.validate(Store.CANDIDATE), "data-missing", "/vpn/vrf[name='V']");
        edit(vrf("", "<rd>1:1</rd>") + "<interfaces xmlns='urn:quern:interfaces'><interface><name>a</name><units><unit><tag>1</tag>"
                + "<vrf xmlns='urn:quern:vpn'>W</vrf></unit></units></interface></interfaces>");
        assertFault(() -> device.commit(one, Optional.empty(), Optional.empty(), Optional.empty()), "data-missing",
                "/interfaces/interface[name='a']/units/unit[tag='1']/vrf");
        assertThat(running()).isEmpty();
    }

    @Test
    void locksKeepOthersOutAndGoWithTheirSession() {
        device.lock(one, Store.CANDIDATE);
        assertFault(() -> device.lock(two, Store.CANDIDATE), "lock-denied", "");
        assertFault(() -> device.edit(two, config(vrf("", "<rd>1:1</rd>")), "merge", false), "in-use", "");
        assertFault(() -> device.discard(two), "in-use", "");
        edit(vrf("", "<rd>1:1</rd>"));
        device.kill(two, one);
        assertThat(device.read(Store.CANDIDATE)).isEqualTo(Item.EMPTY);
        device.lock(two, Store.CANDIDATE);
        assertFault(() -> device.kill(two, two), "invalid-value", "");
        assertFault(() -> device.kill(two, 99), "invalid-value", "");
    }

    @Test
    void aCandidateWithSomebodysChangesCannotBeLocked() {
        edit(vrf("", "<rd>1:1</rd>"));
        assertFault(() -> device.lock(two, Store.CANDIDATE), "lock-denied", "");
    }

    @Test
    void aProvisionalCommitGoesBackWhenItsTimerRunsOut() {
        edit(vrf("", "<rd>1:1</rd>"));
        device.commit(one, Optional.of(30), Optional.of("token"), Optional.empty());
        assertThat(running()).contains("1:1");
        assertThat(saved).isEmpty();
        ArgumentCaptor<Runnable> alarm = ArgumentCaptor.forClass(Runnable.class);
        verify(timer).schedule(alarm.capture(), org.mockito.ArgumentMatchers.eq(30L), org.mockito.ArgumentMatchers.eq(TimeUnit.SECONDS));
        alarm.getValue().run();
        assertThat(running()).isEmpty();
        assertFault(() -> device.commit(two, Optional.empty(), Optional.empty(), Optional.of("token")), "invalid-value", "");
    }

    @Test
    void whoKnowsTheTokenMayConfirmOrCancelWhoeverCommitted() {
        edit(vrf("", "<rd>1:1</rd>"));
        device.commit(one, Optional.of(30), Optional.of("token"), Optional.empty());
        device.leave(one);
        assertThat(running()).contains("1:1");
        assertFault(() -> device.lock(two, Store.RUNNING), "lock-denied", "");
        assertFault(() -> device.cancel(two, Optional.of("other")), "invalid-value", "");
        assertFault(() -> device.commit(two, Optional.empty(), Optional.empty(), Optional.empty()), "in-use", "");
        device.commit(two, Optional.empty(), Optional.empty(), Optional.of("token"));
        assertThat(saved).hasSize(1);
        assertFault(() -> device.cancel(two, Optional.of("token")), "operation-failed", "");
        assertThat(running()).contains("1:1");
    }

    @Test
    void withoutAPersistTokenTheSessionsEndTakesTheCommitBack() {
        edit(vrf("", "<rd>1:1</rd>"));
        device.commit(one, Optional.of(30), Optional.empty(), Optional.empty());
        device.leave(one);
        assertThat(running()).isEmpty();
    }

    private static void assertFault(org.assertj.core.api.ThrowableAssert.ThrowingCallable call, String tag, String path) {
        assertThatThrownBy(call).isInstanceOf(Fault.class).satisfies(thrown -> {
            assertThat(((Fault) thrown).tag()).as(thrown.getMessage()).isEqualTo(tag);
            assertThat(((Fault) thrown).path()).isEqualTo(path);
        });
    }
}
