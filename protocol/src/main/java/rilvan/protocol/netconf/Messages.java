package rilvan.protocol.netconf;

import com.ctc.wstx.stax.WstxOutputFactory;
import java.io.StringWriter;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;
import javax.xml.stream.XMLStreamConstants;
import javax.xml.stream.XMLStreamException;
import org.codehaus.stax2.XMLOutputFactory2;
import org.codehaus.stax2.XMLStreamReader2;
import org.codehaus.stax2.XMLStreamWriter2;
import rilvan.core.document.Xml;
import rilvan.core.environment.Answer;
import rilvan.core.environment.ConfigurationNotice;
import rilvan.core.environment.Request;

/** NETCONF messages as text (RFC 6241): hello, requests out, replies in. No document types, no external entities. */
final class Messages {

    static final String BASE = "urn:ietf:params:xml:ns:netconf:base:1.0";
    static final String BASE_1_0 = "urn:ietf:params:netconf:base:1.0";
    static final String BASE_1_1 = "urn:ietf:params:netconf:base:1.1";

    static final String NOTIFIES = "urn:ietf:params:netconf:capability:notification:1.0";
    /** To be told of changes from now on (RFC 5277 §2.1.1). */
    static final String SUBSCRIPTION = "<create-subscription xmlns=\"urn:ietf:params:xml:ns:netconf:notification:1.0\"/>";

    private static final String NOTICES = "urn:ietf:params:xml:ns:yang:ietf-netconf-notifications";
    private static final int LONGEST_BEGINNING = 300;
    private static final Pattern NOTIFICATION = Pattern.compile("\\A\\s*(<\\?[^>]*>\\s*)?<([\\w.-]+:)?notification[\\s>]");

    /** What is read of an error; the rest is each vendor's own. */
    private static final Set<String> FAULT = Set.of("error-severity", "error-tag", "error-path", "error-message");

    private static final XMLOutputFactory2 WRITERS = new WstxOutputFactory();

    private Messages() {}

    /** What the other side says first. */
    record Hello(String sessionId, Set<String> capabilities) {}

    /** A reply and the request it is for; absent where the device could not tell. */
    record Reply(Optional<String> messageId, Answer answer) {}

    /** A message that cannot be understood. */
    static final class Unreadable extends RuntimeException {
        Unreadable(String message) {
            super(message);
        }
    }

    static String hello() {
        return "<hello xmlns=\"" + BASE + "\"><capabilities><capability>" + BASE_1_0 + "</capability><capability>" + BASE_1_1
                + "</capability></capabilities></hello>";
    }

    static Hello readHello(String text) {
        return read(text, "hello", reader -> {
            String session = "";
            Set<String> capabilities = new HashSet<>();
            while (nextElement(reader)) {
                switch (reader.getLocalName()) {
                    case "session-id" -> session = reader.getElementText().strip();
                    case "capabilities" -> {
                        while (nextElement(reader)) {
                            capabilities.add(reader.getElementText().strip());
                        }
                    }
                    default -> reader.skipElement();
                }
            }
            return new Hello(session, capabilities);
        });
    }

    static String request(String messageId, Request request) {
        return "<rpc xmlns=\"" + BASE + "\" message-id=\"" + messageId + "\">" + operation(request) + "</rpc>";
    }

    private static String operation(Request request) {
        if (request instanceof Request.Lock lock) {
            return "<lock><target>" + datastore(lock.datastore()) + "</target></lock>";
        } else if (request instanceof Request.Unlock unlock) {
            return "<unlock><target>" + datastore(unlock.datastore()) + "</target></unlock>";
        } else if (request instanceof Request.Read read) {
            String filter = read.filter().isEmpty() ? "" : "<filter type=\"subtree\">" + read.filter() + "</filter>";
            return "<get-config><source>" + datastore(read.datastore()) + "</source>" + filter + "</get-config>";
        } else if (request instanceof Request.Edit edit) {
            return "<edit-config><target><candidate/></target>" + (edit.tested() ? "<test-option>test-then-set</test-option>" : "")
                    + "<error-option>rollback-on-error</error-option><config>" + edit.config() + "</config></edit-config>";
        } else if (request instanceof Request.Change change) {
            return "<edit-config><target><running/></target><error-option>rollback-on-error</error-option><config>"
                    + change.config() + "</config></edit-config>";
        } else if (request instanceof Request.Save) {
            return "<copy-config><target><startup/></target><source><running/></source></copy-config>";
        } else if (request instanceof Request.Validate) {
            return "<validate><source><candidate/></source></validate>";
        } else if (request instanceof Request.ConfirmedCommit commit) {
            return "<commit><confirmed/><confirm-timeout>" + commit.seconds() + "</confirm-timeout><persist>"
                    + escape(commit.token()) + "</persist></commit>";
        } else if (request instanceof Request.Extend extend) {
            return "<commit><confirmed/><confirm-timeout>" + extend.seconds() + "</confirm-timeout><persist>" + escape(extend.token())
                    + "</persist><persist-id>" + escape(extend.token()) + "</persist-id></commit>";
        } else if (request instanceof Request.Confirm confirm) {
            return "<commit><persist-id>" + escape(confirm.token()) + "</persist-id></commit>";
        } else if (request instanceof Request.Cancel cancel) {
            return "<cancel-commit><persist-id>" + escape(cancel.token()) + "</persist-id></cancel-commit>";
        } else if (request instanceof Request.Commit) {
            return "<commit/>";
        } else if (request instanceof Request.Discard) {
            return "<discard-changes/>";
        } else if (request instanceof Request.EndSession end) {
            return "<kill-session><session-id>" + escape(end.sessionId()) + "</session-id></kill-session>";
        }
        return ((Request.Call) request).operation();
    }

    private static String datastore(Request.Datastore datastore) {
        return "<" + datastore.name().toLowerCase(Locale.ROOT) + "/>";
    }

    private static String escape(String text) {
        return text.replace("&", "&amp;").replace("<", "&lt;");
    }

    static Reply readReply(String text) {
        return read(text, "rpc-reply", reader -> new Reply(Optional.ofNullable(reader.getAttributeValue(null, "message-id")), answer(reader)));
    }

    /** Whether a message is none that was asked for (RFC 5277 §4). */
    static boolean isNotification(String text) {
        return text.lastIndexOf("notification", LONGEST_BEGINNING) >= 0 && NOTIFICATION.matcher(text).find();
    }

    /** That what a device runs was changed; absent where a notification tells of something else. */
    static Optional<ConfigurationNotice> readNotice(String text) {
        return read(text, "notification", reader -> {
            Optional<ConfigurationNotice> notice = Optional.empty();
            while (nextElement(reader)) {
                if (reader.getLocalName().equals("netconf-config-change") && reader.getNamespaceURI().equals(NOTICES)) {
                    notice = notice(reader);
                } else {
                    reader.skipElement();
                }
            }
            return notice;
        });
    }

    private static Optional<ConfigurationNotice> notice(XMLStreamReader2 reader) throws XMLStreamException {
        Optional<String> user = Optional.empty();
        // It is of what the device runs where nothing is said (RFC 6470 §2.2).
        String datastore = "running";
        while (nextElement(reader)) {
            switch (reader.getLocalName()) {
                case "changed-by" -> {
                    while (nextElement(reader)) {
                        if (reader.getLocalName().equals("username")) {
                            user = Optional.of(reader.getElementText().strip()).filter(name -> !name.isEmpty());
                        } else {
                            reader.skipElement();
                        }
                    }
                }
                case "datastore" -> datastore = reader.getElementText().strip();
                default -> reader.skipElement();
            }
        }
        return datastore.equals("running") ? Optional.of(new ConfigurationNotice(user)) : Optional.empty();
    }

    private static Answer answer(XMLStreamReader2 reader) throws XMLStreamException {
        List<Answer.Fault> faults = new ArrayList<>();
        List<Answer.Fault> warnings = new ArrayList<>();
        StringBuilder data = new StringBuilder();
        StringBuilder others = new StringBuilder();
        Set<String> said = new HashSet<>();
        Map<String, String> prefixes = prefixes(reader, Map.of());
        while (nextElement(reader)) {
            said.add(reader.getLocalName());
            switch (reader.getLocalName()) {
                case "rpc-error" -> {
                    Map<String, String> fields = fault(reader);
                    (fields.getOrDefault("error-severity", "").equals("warning") ? warnings : faults).add(new Answer.Fault(fields.getOrDefault("error-tag", ""),
                            fields.getOrDefault("error-path", ""), fields.getOrDefault("error-message", "")));
                }
                case "data" -> {
                    Map<String, String> around = prefixes(reader, prefixes);
                    while (nextElement(reader)) {
                        data.append(copied(reader, around));
                    }
                }
                case "ok" -> reader.skipElement();
                default -> others.append(copied(reader, prefixes));
            }
        }
        if (!faults.isEmpty()) {
            return new Answer.Refused(faults);
        }
        if (said.contains("data")) {
            return new Answer.Data(data.toString());
        }
        // A warning does not keep the operation from being done, but an agent may leave out the ok where it warns (§4.3, §4.4).
        return !warnings.isEmpty() || said.contains("ok") ? new Answer.Done(warnings) : new Answer.Data(others.toString());
    }

    private static Map<String, String> fault(XMLStreamReader2 reader) throws XMLStreamException {
        Map<String, String> fields = new HashMap<>();
        while (nextElement(reader)) {
            if (FAULT.contains(reader.getLocalName())) {
                fields.put(reader.getLocalName(), reader.getElementText().strip());
            } else {
                reader.skipElement();
            }
        }
        return fields;
    }

    /** Reads the outermost element, up to its end. */
    @FunctionalInterface
    private interface Parser<T> {
        T read(XMLStreamReader2 reader) throws XMLStreamException;
    }

    private static <T> T read(String text, String expected, Parser<T> reading) {
        try {
            XMLStreamReader2 reader = Xml.reader(text);
            while (!reader.isStartElement()) {
                if (reader.next() == XMLStreamConstants.DTD) {
                    throw new Unreadable("messages have no document type");
                }
            }
            if (!reader.getLocalName().equals(expected)) {
                throw new Unreadable("expected " + expected + ", not " + reader.getLocalName());
            }
            T read = reading.read(reader);
            while (reader.hasNext()) {
                reader.next();
            }
            return read;
        } catch (XMLStreamException e) {
            throw new Unreadable("no well-formed XML: " + e.getMessage().replaceAll("\\s+", " "));
        }
    }

    /** Goes on to the next element in the current one; false at its end. Text between them says nothing. */
    private static boolean nextElement(XMLStreamReader2 reader) throws XMLStreamException {
        while (reader.next() != XMLStreamConstants.END_ELEMENT) {
            if (reader.isStartElement()) {
                return true;
            }
        }
        return false;
    }

    /** The namespaces around the current element together with those it declares, by prefix. */
    private static Map<String, String> prefixes(XMLStreamReader2 reader, Map<String, String> around) {
        Map<String, String> prefixes = new HashMap<>(around);
        for (int i = 0; i < reader.getNamespaceCount(); i++) {
            prefixes.put(Objects.requireNonNullElse(reader.getNamespacePrefix(i), ""), Objects.requireNonNullElse(reader.getNamespaceURI(i), ""));
        }
        return prefixes;
    }

    /** The current element as text of its own, which declares the namespaces that were declared around it. */
    private static String copied(XMLStreamReader2 reader, Map<String, String> around) throws XMLStreamException {
        StringWriter text = new StringWriter();
        XMLStreamWriter2 writer = (XMLStreamWriter2) WRITERS.createXMLStreamWriter(text);
        int depth = reader.getDepth();
        Map<String, String> own = prefixes(reader, Map.of());
        writer.copyEventFromReader(reader, false);
        for (Map.Entry<String, String> outer : around.entrySet()) {
            if (!own.containsKey(outer.getKey())) {
                writer.writeNamespace(outer.getKey(), outer.getValue());
            }
        }
        while (reader.next() != XMLStreamConstants.END_ELEMENT || reader.getDepth() > depth) {
            writer.copyEventFromReader(reader, false);
        }
        writer.writeEndElement();
        writer.close();
        return text.toString();
    }
}
