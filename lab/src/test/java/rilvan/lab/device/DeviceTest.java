package rilvan.lab.device;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.tuple;
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
import rilvan.lab.config.EditConfig;
import rilvan.lab.config.Item;
import rilvan.lab.config.RpcError;
import rilvan.lab.config.Xml;
import rilvan.lab.config.YangModel;
import rilvan.lab.device.NetconfDevice.Store;

/** The datastores against RFC 6241. The clock is a mock: timers fire when a test says so. */
class DeviceTest {

    private static YangModel model;
    private final ScheduledExecutorService timer = mock(ScheduledExecutorService.class);
    private final List<Item> saved = new ArrayList<>();
    private NetconfDevice device;
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
        device = new NetconfDevice("device", new Profile(false, true, false, true, false, true), model, Item.EMPTY, timer, () -> { }, saved::add);
        one = device.enter("engineer", () -> { });
        two = device.enter("engineer", () -> { });
    }

    private static Element config(String inner) {
        return Xml.parse("<config xmlns:nc='urn:ietf:params:xml:ns:netconf:base:1.0'>" + inner + "</config>");
    }

    private static String vrf(String attributes, String inner) {
        return "<vpn xmlns='urn:quern:vpn'><vrf " + attributes + "><name>V</name>" + inner + "</vrf></vpn>";
    }

    private void edit(String inner) {
        device.edit(one, config(inner), "merge", NetconfDevice.Test.SET, EditConfig.STOP);
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
        "<ports xmlns='urn:quern:ports'><port><name>a</name><mtu>99999</mtu></port></ports> | invalid-value | /ports/port[name='a']/mtu",
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
        assertFault(() -> device.validate(device.read(Store.CANDIDATE)), "data-missing", "/vpn/vrf[name='V']");
        device.discard(one);
        // An edit that is only tested is refused or taken, and changes nothing either way (RFC 6241 §8.6.4.1).
        assertFault(() -> device.edit(one, config(vrf("", "")), "merge", NetconfDevice.Test.TEST_ONLY, EditConfig.STOP), "data-missing", "/vpn/vrf[name='V']");
        device.edit(one, config(vrf("", "<rd>1:1</rd>")), "merge", NetconfDevice.Test.TEST_ONLY, EditConfig.STOP);
        assertThat(device.read(Store.CANDIDATE)).isEqualTo(device.read(Store.RUNNING));
        edit(vrf("", "<rd>1:1</rd>") + "<ports xmlns='urn:quern:ports'><port><name>a</name><circuit><id>1</id>"
                + "<vrf xmlns='urn:quern:vpn'>W</vrf></circuit></port></ports>");
        assertFault(() -> device.commit(one, Optional.empty(), Optional.empty(), Optional.empty()), "data-missing",
                "/ports/port[name='a']/circuit[id='1']/vrf");
        assertThat(running()).isEmpty();
    }

    @Test
    void anOkThatIsNotMeantChangesNothing() {
        device.faults().once(Faults.FaultPoint.COMMIT, new Faults.Trouble.Pretence());
        edit(vrf("", "<rd>1:1</rd>"));
        assertThatThrownBy(() -> device.commit(one, Optional.empty(), Optional.empty(), Optional.empty())).isInstanceOf(Faults.Pretended.class);
        assertThat(running()).isEmpty();
        device.commit(one, Optional.empty(), Optional.empty(), Optional.empty());
        assertThat(running()).contains("1:1");
    }

    @Test
    void whoListensIsToldOfEveryChange() {
        List<ConfigurationChange> told = new ArrayList<>();
        device.listen(two, told::add);
        edit(vrf("", "<rd>1:1</rd>"));
        assertThat(told).isEmpty();
        device.commit(one, Optional.of(60), Optional.of("token"), Optional.empty());
        device.cancel(one, Optional.of("token"));
        assertThat(told).containsExactly(
                new ConfigurationChange(Optional.of(new ConfigurationChange.By("engineer", one)), List.of(new ConfigurationChange.Edit("urn:quern:vpn", "vpn", "create"))),
                new ConfigurationChange(Optional.empty(), List.of(new ConfigurationChange.Edit("urn:quern:vpn", "vpn", "delete"))));
        device.leave(two);
        device.typed(vrf("", "<rd>1:1</rd>"));
        assertThat(told).hasSize(2);
    }

    @Test
    void entriesThatTheUserOrdersGoWhereTheEditSays() {
        String filter = "<policy xmlns='urn:quern:policy'><filter><name>F</name>%s</filter></policy>";
        String entry = "<entry xmlns:yang='urn:ietf:params:xml:ns:yang:1' %s><number>%d</number><action>accept</action><prefix>192.0.2.0/24</prefix></entry>";
        edit(filter.formatted(entry.formatted("", 10) + entry.formatted("", 20)));
        edit(filter.formatted(entry.formatted("yang:insert='first'", 5) + entry.formatted("yang:insert='after' yang:key=\"[number='10']\"", 15)));
        edit(filter.formatted(entry.formatted("yang:insert='before' yang:key=\"[number='5']\"", 20)));
        assertThat(device.read(Store.CANDIDATE).below("policy", "filter").all("entry").stream().map(item -> item.leaf("number")))
                .containsExactly("20", "5", "10", "15");
        assertFault(() -> edit(filter.formatted(entry.formatted("yang:insert='after' yang:key=\"[number='99']\"", 30))), "bad-attribute",
                "/policy/filter[name='F']/entry[number='30']");
    }

    @Test
    void oneCaseOfAChoiceReplacesAnother() {
        String circuit = "<ports xmlns='urn:quern:ports'><port><name>a</name><circuit><id>7</id><match>%s</match></circuit></port></ports>";
        edit(circuit.formatted("<outer>7</outer><inner>8</inner>"));
        edit(circuit.formatted("<any/>"));
        assertThat(device.read(Store.CANDIDATE).below("ports", "port", "circuit", "match").children()).hasSize(1);
    }

    @Test
    void aDeviceWithoutCandidateChangesAtOnceAndForgetsWhatIsNotSaved() throws Exception {
        YangModel tarn = YangModel.read(Path.of("../models/dialects/tarn/yang"));
        NetconfDevice other = new NetconfDevice("device", new Profile(false, false, true, false, true, true), tarn, Item.EMPTY, timer, () -> { }, saved::add);
        int session = other.enter("engineer", () -> { });
        String row = "<port-row xmlns='urn:tarn:config'><port>p</port><note>x</note><admin>on</admin></port-row>";
        assertFault(() -> other.edit(session, config(row), "merge", NetconfDevice.Test.SET, EditConfig.STOP), "operation-not-supported", "");
        other.change(session, config(row), "merge", EditConfig.STOP);
        assertThat(other.read(Store.RUNNING).xml()).contains("<note>x</note>");
        assertThat(other.read(Store.STARTUP)).isEqualTo(Item.EMPTY);
        assertThat(tarn.withoutDefaults(other.read(Store.RUNNING)).xml()).doesNotContain("admin");
        assertFault(() -> other.change(session, config(row + "<wire-end-row xmlns='urn:tarn:config'><wire>w</wire><port>p</port><index>1</index></wire-end-row>"),
                "merge", EditConfig.STOP), "data-missing", "/wire-end-row[wire='w'][port='p'][index='1']/wire");
        assertThat(other.read(Store.RUNNING).all("wire-end-row")).isEmpty();
        int second = other.enter("engineer", () -> { });
        other.lock(second, Store.STARTUP);
        assertFault(() -> other.copy(session, other.read(Store.RUNNING), Store.STARTUP), "in-use", "");
        other.unlock(second, Store.STARTUP);
        other.copy(session, other.read(Store.RUNNING), Store.STARTUP);
        assertThat(saved).containsExactly(other.read(Store.RUNNING));
        other.copy(session, Item.EMPTY, Store.STARTUP);
        other.copy(session, other.read(Store.STARTUP), Store.RUNNING);
        assertThat(other.read(Store.RUNNING)).isEqualTo(Item.EMPTY);
        assertFault(() -> device.copy(one, Item.EMPTY, Store.RUNNING), "operation-not-supported", "");
    }

    @Test
    void anEditThatGoesOnLeavesOutJustTheNodesAtFault() {
        edit(vrf("", "<rd>1:1</rd>"));
        List<RpcError> faults = new ArrayList<>();
        String table = "<vrf nc:operation='%s'><name>%s</name>%s</vrf>";
        Element edit = config("<vpn xmlns='urn:quern:vpn'>" + table.formatted("create", "V", "<rd>9:9</rd>") + table.formatted("create", "W", "<rd>2:2</rd><nothing/>")
                + table.formatted("delete", "X", "") + "</vpn>");
        device.edit(one, edit, "merge", NetconfDevice.Test.SET, faults::add);
        assertThat(faults).extracting(RpcError::tag, RpcError::path).containsExactly(tuple("data-exists", "/vpn/vrf[name='V']"),
                tuple("unknown-element", "/vpn/vrf[name='W']/nothing"), tuple("data-missing", "/vpn/vrf[name='X']"));
        assertThat(device.read(Store.CANDIDATE).below("vpn").all("vrf")).extracting(item -> item.leaf("rd")).containsExactly("1:1", "2:2");
        Item before = device.read(Store.CANDIDATE);
        assertFault(() -> device.edit(one, edit, "merge", NetconfDevice.Test.SET, EditConfig.STOP), "data-exists", "/vpn/vrf[name='V']");
        assertThat(device.read(Store.CANDIDATE)).isEqualTo(before);
    }

    @Test
    void locksKeepOthersOutAndGoWithTheirSession() {
        device.lock(one, Store.CANDIDATE);
        assertFault(() -> device.lock(two, Store.CANDIDATE), "lock-denied", "");
        assertFault(() -> device.edit(two, config(vrf("", "<rd>1:1</rd>")), "merge", NetconfDevice.Test.SET, EditConfig.STOP), "in-use", "");
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
    void aConfirmedCommitIsRolledBackWhenItsTimerRunsOut() {
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
        assertThatThrownBy(call).isInstanceOf(RpcError.class).satisfies(thrown -> {
            assertThat(((RpcError) thrown).tag()).as(thrown.getMessage()).isEqualTo(tag);
            assertThat(((RpcError) thrown).path()).isEqualTo(path);
        });
    }
}
