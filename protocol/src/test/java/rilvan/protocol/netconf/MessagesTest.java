package rilvan.protocol.netconf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import rilvan.core.environment.Answer;
import rilvan.core.environment.ConfigurationNotice;
import rilvan.core.environment.Request;

class MessagesTest {

    @ParameterizedTest
    @ValueSource(strings = {"<ok/>", ""})
    void aWarningDoesNotMakeARefusal(String ok) {
        assertThat(Messages.readReply("<rpc-reply xmlns='urn:ietf:params:xml:ns:netconf:base:1.0' message-id='1'><rpc-error><error-severity>"
                + "warning</error-severity><error-tag>x</error-tag><error-message>hot</error-message></rpc-error>" + ok + "</rpc-reply>").answer())
                .isEqualTo(new Answer.Done(List.of(new Answer.Fault("x", "", "hot"))));
    }

    @Test
    void dataKeepsNamespacesThatWereDeclaredAroundIt() {
        Answer.Data data = (Answer.Data) Messages.readReply("<nc:rpc-reply xmlns:nc='urn:ietf:params:xml:ns:netconf:base:1.0' xmlns:v='urn:v' "
                + "message-id='1'><nc:data><v:a><v:b>1</v:b></v:a></nc:data></nc:rpc-reply>").answer();
        assertThat(data.text()).contains("xmlns:v=\"urn:v\"");
    }

    /** What else an agent says with an error is its own (RFC 6241 §4.3), and what stands between elements says nothing. */
    @Test
    void anErrorIsReadWhateverStandsAroundItsFields() {
        assertThat(Messages.readReply("<?xml version='1.0'?>\n<rpc-reply xmlns='urn:ietf:params:xml:ns:netconf:base:1.0'> <!-- no id -->\n<rpc-error>"
                + "<error-type>protocol</error-type><error-severity>error</error-severity><error-tag> lock-denied </error-tag><error-path>/v:a/v:b</error-path>"
                + "<error-info><session-id>7</session-id><more><deep/></more></error-info><error-message xml:lang='en'>held &amp; busy</error-message></rpc-error></rpc-reply>"))
                .isEqualTo(new Messages.Reply(Optional.empty(), new Answer.Refused(List.of(new Answer.Fault("lock-denied", "/v:a/v:b", "held & busy")))));
    }

    @Test
    void theContentOfAReplyIsKeptAsItIs() {
        assertThat(Messages.readReply("<rpc-reply xmlns='urn:ietf:params:xml:ns:netconf:base:1.0' message-id='3'><answered xmlns='urn:x'>a &lt; b</answered>"
                + "<seen xmlns='urn:x'><by/></seen></rpc-reply>")).isEqualTo(new Messages.Reply(Optional.of("3"),
                new Answer.Data("<answered xmlns=\"urn:x\">a &lt; b</answered><seen xmlns=\"urn:x\"><by/></seen>")));
    }

    @Test
    void tokensCannotBreakOutOfTheirElement() {
        assertThat(Messages.request("1", new Request.Confirm("</persist-id><x>&"))).contains("&lt;/persist-id>&lt;x>&amp;");
    }

    @ParameterizedTest
    @ValueSource(strings = {"", "<a", "<hello/>", "<!DOCTYPE a [<!ENTITY e SYSTEM 'file:///etc/hostname'>]><rpc-reply>&e;</rpc-reply>"})
    void whatIsNoReplyIsUnreadable(String text) {
        assertThatThrownBy(() -> Messages.readReply(text)).isInstanceOf(Messages.Unreadable.class);
    }

    /** What a device tells of itself is told apart from what it was asked, however it is written (RFC 5277 §4, RFC 6470 §2.2). */
    @Test
    void noticesOfChanges() {
        String change = "<?xml version='1.0'?>\n<n:notification xmlns:n='urn:ietf:params:xml:ns:netconf:notification:1.0'><n:eventTime>2026-05-04T10:00:00Z</n:eventTime>"
                + "<netconf-config-change xmlns='urn:ietf:params:xml:ns:yang:ietf-netconf-notifications'><changed-by>%s</changed-by>%s<edit><target>/x</target></edit></netconf-config-change></n:notification>";
        assertThat(Messages.isNotification(change)).isTrue();
        assertThat(Messages.readNotice(change.formatted("<username>night-shift</username><session-id>7</session-id>", "<datastore>running</datastore>"))).contains(new ConfigurationNotice(Optional.of("night-shift")));
        assertThat(Messages.readNotice(change.formatted("<server/>", ""))).contains(new ConfigurationNotice(Optional.empty()));
        assertThat(Messages.readNotice(change.formatted("<server/>", "<datastore>startup</datastore>"))).isEmpty();
        assertThat(Messages.readNotice("<notification xmlns='urn:ietf:params:xml:ns:netconf:notification:1.0'><eventTime/><replayComplete/></notification>")).isEmpty();
        assertThat(Messages.isNotification("<rpc-reply message-id='1'><data><notification/></data></rpc-reply>")).isFalse();
        assertThat(Messages.isNotification("<notifications/>")).isFalse();
    }
}
