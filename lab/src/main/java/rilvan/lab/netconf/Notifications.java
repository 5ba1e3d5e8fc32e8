package rilvan.lab.netconf;

import java.time.Instant;
import java.time.temporal.ChronoUnit;
import rilvan.lab.device.ConfigurationChange;

/** Changes as they are told to sessions that listen (RFC 5277 §4, RFC 6470 §2.2). */
final class Notifications {

    static final String NAMESPACE = "urn:ietf:params:xml:ns:netconf:notification:1.0";

    private Notifications() {}

    static String text(ConfigurationChange change, Instant at) {
        StringBuilder text = new StringBuilder("<notification xmlns=\"" + NAMESPACE + "\"><eventTime>" + at.truncatedTo(ChronoUnit.SECONDS)
                + "</eventTime><netconf-config-change xmlns=\"urn:ietf:params:xml:ns:yang:ietf-netconf-notifications\"><changed-by>");
        text.append(change.by().map(by -> "<username>" + by.user() + "</username><session-id>" + by.session() + "</session-id>").orElse("<server/>"))
                .append("</changed-by><datastore>running</datastore>");
        change.edits().forEach(edit -> text.append("<edit><target xmlns:n=\"").append(edit.namespace()).append("\">/n:").append(edit.name()).append("</target><operation>")
                .append(edit.operation()).append("</operation></edit>"));
        return text.append("</netconf-config-change></notification>").toString();
    }
}
