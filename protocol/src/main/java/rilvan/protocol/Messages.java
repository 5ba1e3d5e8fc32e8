package rilvan.protocol;

import java.io.StringReader;
import java.io.StringWriter;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import javax.xml.parsers.DocumentBuilder;
import javax.xml.parsers.DocumentBuilderFactory;
import javax.xml.parsers.ParserConfigurationException;
import javax.xml.transform.OutputKeys;
import javax.xml.transform.Transformer;
import javax.xml.transform.TransformerException;
import javax.xml.transform.TransformerFactory;
import javax.xml.transform.dom.DOMSource;
import javax.xml.transform.stream.StreamResult;
import org.w3c.dom.Element;
import org.w3c.dom.Node;
import org.xml.sax.InputSource;
import org.xml.sax.SAXException;
import rilvan.core.outside.Answer;
import rilvan.core.outside.Request;

/** NETCONF messages as text (RFC 6241): hello, requests out, replies in. No document types, no external entities. */
final class Messages {

    static final String BASE = "urn:ietf:params:xml:ns:netconf:base:1.0";
    static final String BASE_1_0 = "urn:ietf:params:netconf:base:1.0";
    static final String BASE_1_1 = "urn:ietf:params:netconf:base:1.1";

    // Made once a thread: making one takes longer than most messages take to read.
    private static final ThreadLocal<DocumentBuilder> PARSERS = ThreadLocal.withInitial(Messages::parser);
    private static final TransformerFactory WRITERS = TransformerFactory.newDefaultInstance();

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

    private static DocumentBuilder parser() {
        DocumentBuilderFactory factory = DocumentBuilderFactory.newDefaultInstance();
        factory.setNamespaceAware(true);
        factory.setExpandEntityReferences(false);
        factory.setXIncludeAware(false);
        try {
            factory.setFeature("http://apache.org/xml/features/disallow-doctype-decl", true);
            DocumentBuilder parser = factory.newDocumentBuilder();
            parser.setErrorHandler(null);
            return parser;
        } catch (ParserConfigurationException e) {
            throw new IllegalStateException("the XML parser cannot be made safe", e);
        }
    }

    static String hello() {
        return "<hello xmlns=\"" + BASE + "\"><capabilities><capability>" + BASE_1_0 + "</capability><capability>" + BASE_1_1
                + "</capability></capabilities></hello>";
    }

    static Hello readHello(String text) {
        Element root = parse(text);
        if (!root.getLocalName().equals("hello")) {
            throw new Unreadable("expected a hello, not " + root.getLocalName());
        }
        Set<String> capabilities = new HashSet<>();
        for (Element list : elements(root)) {
            if (list.getLocalName().equals("capabilities")) {
                elements(list).forEach(capability -> capabilities.add(capability.getTextContent().strip()));
            }
        }
        return new Hello(text(root, "session-id"), capabilities);
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
        } else if (request instanceof Request.CommitProvisionally commit) {
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
        Element root = parse(text);
        if (!root.getLocalName().equals("rpc-reply")) {
            throw new Unreadable("expected a reply, not " + root.getLocalName());
        }
        Optional<String> id = root.hasAttribute("message-id") ? Optional.of(root.getAttribute("message-id")) : Optional.empty();
        List<Element> content = elements(root);
        List<Answer.Fault> faults = new ArrayList<>();
        List<Answer.Fault> warnings = new ArrayList<>();
        for (Element element : content) {
            if (element.getLocalName().equals("rpc-error")) {
                (text(element, "error-severity").equals("warning") ? warnings : faults)
                        .add(new Answer.Fault(text(element, "error-tag"), text(element, "error-path"), text(element, "error-message")));
            }
        }
        if (!faults.isEmpty()) {
            return new Reply(id, new Answer.Refused(faults));
        }
        Optional<Element> data = content.stream().filter(element -> element.getLocalName().equals("data")).findFirst();
        if (data.isPresent()) {
            return new Reply(id, new Answer.Data(inner(elements(data.get()))));
        }
        // A warning does not keep the operation from being done, but an agent may leave out the ok where it warns (§4.3, §4.4).
        if (!warnings.isEmpty() || content.stream().anyMatch(element -> element.getLocalName().equals("ok"))) {
            return new Reply(id, new Answer.Done(warnings));
        }
        return new Reply(id, new Answer.Data(inner(content)));
    }

    private static String inner(List<Element> elements) {
        StringWriter text = new StringWriter();
        try {
            Transformer writer;
            synchronized (WRITERS) {
                writer = WRITERS.newTransformer();
            }
            writer.setOutputProperty(OutputKeys.OMIT_XML_DECLARATION, "yes");
            for (Element element : elements) {
                writer.transform(new DOMSource(element), new StreamResult(text));
            }
        } catch (TransformerException e) {
            throw new Unreadable(e.getMessage());
        }
        return text.toString();
    }

    private static Element parse(String text) {
        try {
            return PARSERS.get().parse(new InputSource(new StringReader(text))).getDocumentElement();
        } catch (SAXException e) {
            throw new Unreadable("no well-formed XML: " + e.getMessage());
        } catch (java.io.IOException e) {
            throw new IllegalStateException(e);
        }
    }

    private static List<Element> elements(Element parent) {
        List<Element> elements = new ArrayList<>();
        for (Node node = parent.getFirstChild(); node != null; node = node.getNextSibling()) {
            if (node instanceof Element element) {
                elements.add(element);
            }
        }
        return elements;
    }

    private static String text(Element parent, String name) {
        return elements(parent).stream().filter(element -> element.getLocalName().equals(name)).findFirst()
                .map(element -> element.getTextContent().strip()).orElse("");
    }
}
