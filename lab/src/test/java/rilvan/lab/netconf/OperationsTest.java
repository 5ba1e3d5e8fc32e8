package rilvan.lab.netconf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.Mockito.mock;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.mockito.ArgumentMatchers;
import org.mockito.Mockito;
import rilvan.lab.behaviour.Convergence;
import rilvan.lab.behaviour.Wiring;
import rilvan.lab.config.EditConfig;
import rilvan.lab.config.Item;
import rilvan.lab.config.Xml;
import rilvan.lab.config.YangModel;
import rilvan.lab.device.ConfigurationChange;
import rilvan.lab.device.Faults;
import rilvan.lab.device.Faults.FaultPoint;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.device.Profile;

/** What is answered to a request, as RFC 6241 and those it is extended by have it: requests and replies as they stand on the wire. */
class OperationsTest {

    private static final Path DIALECTS = Path.of("../models/dialects");
    private static final Path DEVICES = Path.of("../models/demo/devices");
    private static final Map<String, YangModel> MODULES = new HashMap<>();

    private final ScheduledExecutorService timer = mock(ScheduledExecutorService.class);
    private final Map<String, NetconfDevice> devices = new HashMap<>();
    private final List<Item> saved = new ArrayList<>();
    private final List<ConfigurationChange> told = new ArrayList<>();
    private Convergence network;

    @BeforeAll
    static void modules() throws Exception {
        for (String family : List.of("quern", "tarn")) {
            MODULES.put(family, YangModel.read(DIALECTS.resolve(family).resolve("yang")));
        }
    }

    @BeforeEach
    void switchOn() throws Exception {
        ScheduledFuture<?> never = mock(ScheduledFuture.class);
        Mockito.when(timer.schedule(ArgumentMatchers.any(Runnable.class), ArgumentMatchers.anyLong(), ArgumentMatchers.any())).thenAnswer(call -> never);
        network = new Convergence(new Wiring(List.of()), timer, 0);
        start("quern", "haven-pe1");
        start("tarn", "olvar-pe1");
    }

    private void start(String family, String name) throws Exception {
        Item start = EditConfig.whole(MODULES.get(family), Xml.parse("<config>" + Files.readString(DEVICES.resolve(name + ".xml")) + "</config>"));
        NetconfDevice device = new NetconfDevice(name, Profile.read(DIALECTS.resolve(family)), MODULES.get(family), start, timer, () -> { }, saved::add);
        devices.put(family, device);
        network.start(device, family);
    }

    private Session session(String family) {
        return new Session(devices.get(family), devices.get(family).enter("engineer", () -> { }));
    }

    private final class Session {
        private final int id;
        private final Operations operations;

        Session(NetconfDevice device, int id) {
            this.id = id;
            this.operations = new Operations(device, network, id, told::add);
        }

        /** The content of the reply to an operation. */
        String ask(String operation) {
            String reply = operations.reply(Xml.parse("<rpc xmlns='urn:ietf:params:xml:ns:netconf:base:1.0' message-id='7'>" + operation + "</rpc>"));
            assertThat(reply).startsWith("<rpc-reply xmlns=\"urn:ietf:params:xml:ns:netconf:base:1.0\" message-id=\"7\">").endsWith("</rpc-reply>");
            return reply.substring(reply.indexOf('>') + 1, reply.length() - "</rpc-reply>".length());
        }

        void takes(String... requests) {
            for (String operation : requests) {
                assertThat(ask(operation)).as(operation).isEqualTo("<ok/>");
            }
        }
    }

    /** An error as its type, tag, path and message; anything else as it is. */
    private static String brief(String reply) {
        return reply.replaceAll("<rpc-error><error-type>(.*?)</error-type><error-tag>(.*?)</error-tag><error-severity>error</error-severity>"
                + "(?:<error-path>(.*?)</error-path>)?<error-message xml:lang=\"en\">(.*?)</error-message></rpc-error>", "$1 $2 at $3: $4").replace("at :", "nowhere:");
    }

    private static String edit(String target, String options, String config) {
        return "<edit-config><target><" + target + "/></target>" + options + "<config>" + config + "</config></edit-config>";
    }

    private static String vrf(String inner) {
        return "<vpn xmlns='urn:quern:vpn'><vrf><name>V</name>" + inner + "</vrf></vpn>";
    }

    @ParameterizedTest
    @CsvSource(delimiterString = " => ", quoteCharacter = '`', value = {
        "quern: <fly/>                                                    => protocol operation-not-supported nowhere: this device does not support fly",
        "quern: <ping xmlns='urn:nobody'/>                                => protocol operation-not-supported nowhere: there is no ping",
        "quern: <get-config/>                                             => protocol missing-element nowhere: source is missing",
        "quern: <get-config><source><startup/></source></get-config>      => protocol operation-not-supported nowhere: this device has no startup",
        "quern: <get-config><source><url/></source></get-config>          => protocol operation-not-supported nowhere: this device has no url",
        "quern: <get><filter type='xpath' select='/x'/></get>             => protocol operation-not-supported nowhere: filters are subtrees here",
        "quern: <get><with-defaults xmlns='urn:ietf:params:xml:ns:yang:ietf-netconf-with-defaults'>report-all</with-defaults></get> => protocol invalid-value nowhere: with-defaults is explicit here, and nothing else (RFC 6243)",
        "quern: <edit-config><target><running/></target><config/></edit-config> => protocol operation-not-supported nowhere: only the candidate can be edited",
        "quern: <edit-config><target><candidate/></target></edit-config>  => protocol missing-element nowhere: config is missing",
        "quern: <edit-config><target><candidate/></target><error-option>shrug</error-option><config/></edit-config> => protocol invalid-value nowhere: there is no such error-option",
        "quern: <edit-config><target><candidate/></target><default-operation>flip</default-operation><config/></edit-config> => protocol bad-attribute nowhere: there is no operation 'flip'",
        "quern: <commit><persist>t</persist></commit>                     => protocol invalid-value nowhere: persist goes with confirmed",
        "quern: <commit><persist-id>t</persist-id></commit>               => protocol invalid-value nowhere: no confirmed commit with this persist-id is pending",
        "quern: <commit><confirmed/><confirm-timeout>soon</confirm-timeout></commit> => protocol invalid-value nowhere: confirm-timeout is no number",
        "quern: <cancel-commit/>                                          => protocol operation-failed nowhere: no confirmed commit is pending",
        "quern: <unlock><target><running/></target></unlock>              => protocol operation-failed nowhere: this session does not hold the lock",
        "quern: <kill-session><session-id>99</session-id></kill-session>  => protocol invalid-value nowhere: there is no session 99",
        "quern: <copy-config><source><candidate/></source><target><running/></target></copy-config> => protocol operation-not-supported nowhere: only the candidate can be edited",
        "quern: <delete-config><target><running/></target></delete-config> => protocol operation-not-supported nowhere: only startup can be deleted",
        "quern: <get-schema xmlns='urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring'><identifier>quern-cheese</identifier></get-schema> => application invalid-value at /get-schema/identifier: there is no module quern-cheese",
        "quern: <get-schema xmlns='urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring'><identifier>quern-vpn</identifier><format>yin</format></get-schema> => application invalid-value at /get-schema/format: modules are there as yang",
        "quern: <ping xmlns='urn:quern:operations'/>                      => application missing-element at /ping/destination: destination is missing",
        "quern: <ping xmlns='urn:quern:operations'><destination>nowhere</destination></ping> => application invalid-value at /ping: 'nowhere' is not an IP address",
        "tarn: <get-config><source><candidate/></source></get-config>     => protocol operation-not-supported nowhere: this device has no candidate",
        "tarn: <edit-config><target><startup/></target><config/></edit-config> => protocol operation-not-supported nowhere: startup is not edited; copy running to it",
        "tarn: <edit-config><target><running/></target><test-option>test-only</test-option><config/></edit-config> => protocol operation-not-supported nowhere: this device knows no test-option; it checks every edit",
        "tarn: <create-subscription xmlns='urn:ietf:params:xml:ns:netconf:notification:1.0'/> => protocol operation-not-supported nowhere: this device sends no notifications",
        "tarn: <copy-config><source><config><wire-end-row xmlns='urn:tarn:config'><wire>w</wire><port>p</port><index>1</index></wire-end-row></config></source><target><startup/></target></copy-config> => application data-missing at /wire-end-row[wire='w'][port='p'][index='1']/wire: 'w' does not exist: /tc:wire-row/tc:wire has no such value",
    })
    void whatItCannotDoIsRefusedAndChangesNothing(String request, String error) {
        String family = request.substring(0, request.indexOf(':'));
        NetconfDevice device = devices.get(family);
        String before = device.running();
        assertThat(brief(session(family).ask(request.substring(family.length() + 1).strip()))).isEqualTo(error);
        assertThat(device.running()).isEqualTo(before);
        assertThat(saved).isEmpty();
    }

    @Test
    void aRequestNeedsANumberAndAnOperation() {
        Operations operations = session("quern").operations;
        assertThat(brief(operations.reply(Xml.parse("<rpc xmlns='urn:ietf:params:xml:ns:netconf:base:1.0'><get/></rpc>")))).contains("rpc missing-attribute nowhere: an rpc needs a message-id");
        assertThat(brief(operations.reply(Xml.parse("<rpc xmlns='urn:ietf:params:xml:ns:netconf:base:1.0' message-id='&lt;1&gt;' note='2'/>"))))
                .startsWith("<rpc-reply xmlns=\"urn:ietf:params:xml:ns:netconf:base:1.0\"").contains("message-id=\"&lt;1&gt;\"", "note=\"2\"",
                        "rpc missing-element nowhere: an rpc needs an operation");
    }

    @Test
    void aConfirmedCommitIsConfirmedByWhoeverKnowsItsToken() {
        Session one = session("quern");
        Session two = session("quern");
        one.takes("<lock><target><candidate/></target></lock>", "<lock><target><running/></target></lock>", edit("candidate", "", vrf("<rd>1:1</rd>")),
                "<validate><source><candidate/></source></validate>");
        assertThat(brief(two.ask("<lock><target><candidate/></target></lock>"))).isEqualTo("protocol lock-denied nowhere: session " + one.id + " holds the lock");
        assertThat(brief(two.ask("<commit/>"))).isEqualTo("protocol in-use nowhere: session " + one.id + " holds the lock");
        one.takes("<commit><confirmed/><confirm-timeout>60</confirm-timeout><persist>t</persist></commit>");
        two.takes("<kill-session><session-id>" + one.id + "</session-id></kill-session>");
        assertThat(saved).isEmpty();
        assertThat(brief(two.ask("<commit/>"))).isEqualTo("protocol in-use nowhere: a confirmed commit is pending; confirm it with its persist-id");
        two.takes("<commit><persist-id>t</persist-id></commit>");
        assertThat(saved).hasSize(1);
        assertThat(two.ask("<get-config><source><running/></source><filter>" + vrf("") + "</filter></get-config>").replaceAll("\\s", ""))
                .isEqualTo("<data><vpnxmlns=\"urn:quern:vpn\"><vrf><name>V</name><rd>1:1</rd></vrf></vpn></data>");
    }

    @Test
    void anEditThatGoesOnIsAnsweredWithAllThatItDidNotDo() {
        Session one = session("quern");
        String mixed = "<vpn xmlns='urn:quern:vpn' xmlns:nc='urn:ietf:params:xml:ns:netconf:base:1.0'><vrf nc:operation='delete'><name>X</name></vrf>"
                + "<vrf><name>V</name><rd>1:1</rd><colour/></vrf></vpn>";
        assertThat(brief(one.ask(edit("candidate", "<error-option>continue-on-error</error-option>", mixed)))).isEqualTo(
                "application data-missing at /vpn/vrf[name='X']: there is nothing to delete"
                        + "application unknown-element at /vpn/vrf[name='V']/colour: there is no colour here in urn:quern:vpn");
        assertThat(one.ask("<get-config><source><candidate/></source></get-config>")).contains("<rd>1:1</rd>");
        one.takes("<discard-changes/>");
        assertThat(brief(one.ask(edit("candidate", "<error-option>rollback-on-error</error-option>", mixed)))).startsWith("application data-missing");
        assertThat(one.ask("<get-config><source><candidate/></source></get-config>")).doesNotContain("1:1");
    }

    @Test
    void whatIsSavedApartIsCopiedAndDeleted() {
        Session one = session("tarn");
        one.takes(edit("running", "", "<port-row xmlns='urn:tarn:config'><port>p</port><note>x</note><admin>on</admin></port-row>"));
        String mine = "<filter><port-row xmlns='urn:tarn:config'><port>p</port></port-row></filter>";
        // What is the default is held and not shown (RFC 6243 §2.2).
        assertThat(one.ask("<get-config><source><running/></source>" + mine + "</get-config>")).contains("<note>x</note>").doesNotContain("admin");
        assertThat(one.ask("<get-config><source><startup/></source>" + mine + "</get-config>")).doesNotContain("<note>x</note>");
        one.takes("<copy-config><source><running/></source><target><startup/></target></copy-config>");
        assertThat(one.ask("<get-config><source><startup/></source>" + mine + "</get-config>")).contains("<note>x</note>");
        one.takes("<delete-config><target><startup/></target></delete-config>", "<copy-config><source><startup/></source><target><running/></target></copy-config>");
        assertThat(devices.get("tarn").running()).isEmpty();
        assertThat(saved).hasSize(2);
    }

    @Test
    void aModuleIsHandedOutAsItIsWritten() throws Exception {
        String reply = session("quern").ask("<get-schema xmlns='urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring'><identifier>quern-vpn</identifier></get-schema>");
        assertThat(Xml.text(Xml.parse(reply)).strip()).isEqualTo(Files.readString(DIALECTS.resolve("quern/yang/quern-vpn.yang")).strip());
    }

    @Test
    void whoeverSubscribesIsToldOfWhatIsRunningFromThenOn() {
        Session one = session("quern");
        Session two = session("quern");
        two.takes("<create-subscription xmlns='urn:ietf:params:xml:ns:netconf:notification:1.0'/>");
        assertThat(brief(two.ask("<create-subscription xmlns='urn:ietf:params:xml:ns:netconf:notification:1.0'/>"))).endsWith("this session listens already");
        assertThat(brief(one.ask("<create-subscription xmlns='urn:ietf:params:xml:ns:netconf:notification:1.0'><startTime>2026-01-01T00:00:00Z</startTime></create-subscription>")))
                .endsWith("there is the stream NETCONF, from now on, whole");
        one.takes(edit("candidate", "", vrf("<rd>1:1</rd>")), "<commit/>");
        assertThat(told).hasSize(1);
    }

    @Test
    void faultsBefallTheStepTheyAreArmedAt() {
        Faults faults = devices.get("quern").faults();
        Session one = session("quern");
        faults.once(FaultPoint.EDIT, new Faults.Trouble.Refusal("no room", "/vpn/vrf[name='V']/rd"));
        assertThat(brief(one.ask(edit("candidate", "", vrf("<rd>1:1</rd>"))))).isEqualTo("application operation-failed at /vpn/vrf[name='V']/rd: no room");
        faults.once(FaultPoint.EDIT, new Faults.Trouble.Pretence());
        one.takes(edit("candidate", "", vrf("<rd>1:1</rd>")));
        assertThat(one.ask("<get-config><source><candidate/></source></get-config>")).doesNotContain("1:1");
        one.takes(edit("candidate", "", vrf("<rd>1:1</rd>")));
        assertThat(one.ask("<get-config><source><candidate/></source></get-config>")).contains("1:1");
    }

    @Test
    void eachFamilyTellsOfTheNetworkInItsOwnWords() {
        assertThat(session("quern").ask("<ping xmlns='urn:quern:operations'><destination>203.0.113.1</destination></ping>"))
                .isEqualTo("<sent xmlns=\"urn:quern:operations\">3</sent><received xmlns=\"urn:quern:operations\">3</received>");
        assertThat(session("tarn").ask("<probe xmlns='urn:tarn:config'><to>203.0.113.1</to></probe>")).startsWith("<asked xmlns=\"urn:tarn:config\">3</asked>"
                + "<heard xmlns=\"urn:tarn:config\">0</heard><why xmlns=\"urn:tarn:config\">olvar-pe1 has no route");
        assertThat(session("quern").ask("<trace xmlns='urn:quern:operations'><destination>203.0.113.1</destination></trace>"))
                .isEqualTo("<hop xmlns=\"urn:quern:operations\">haven-pe1</hop><hop-back xmlns=\"urn:quern:operations\">haven-pe1</hop-back>");
        assertThat(session("tarn").ask("<knock xmlns='urn:tarn:config'><to>203.0.113.1</to><door>179</door></knock>")).contains("<heard xmlns=\"urn:tarn:config\">0</heard>");
        assertThat(session("quern").ask("<port-state xmlns='urn:quern:operations'><port>core-1</port></port-state>"))
                .startsWith("<up xmlns=\"urn:quern:operations\">false</up><network xmlns=\"urn:quern:operations\">");
    }
}
