package rilvan.lab.netconf;

import java.util.List;
import java.util.Optional;
import org.opendaylight.yangtools.yang.model.api.RpcDefinition;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.w3c.dom.Attr;
import org.w3c.dom.Element;
import rilvan.lab.behaviour.Convergence;
import rilvan.lab.behaviour.Forwarding;
import rilvan.lab.config.Fault;
import rilvan.lab.config.Item;
import rilvan.lab.config.SubtreeFilter;
import rilvan.lab.config.Xml;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.device.NetconfDevice.Store;

/** What one session's requests do on its device (RFC 6241 §7 and §8). What is not done here is refused as such. */
final class Operations {

    private static final Logger LOG = LoggerFactory.getLogger(Operations.class);
    private static final String BASE = "urn:ietf:params:xml:ns:netconf:base:1.0";

    private final NetconfDevice device;
    private final Convergence network;
    private final int session;

    Operations(NetconfDevice device, Convergence network, int session) {
        this.device = device;
        this.network = network;
        this.session = session;
    }

    /** The whole rpc-reply for a request. */
    String reply(Element rpc) {
        StringBuilder reply = new StringBuilder("<rpc-reply xmlns=\"" + BASE + "\"");
        for (int i = 0; i < rpc.getAttributes().getLength(); i++) {
            Attr attribute = (Attr) rpc.getAttributes().item(i);
            if (!attribute.getName().startsWith("xmlns")) {
                reply.append(' ').append(attribute.getName()).append("=\"").append(escape(attribute.getValue())).append('"');
            }
        }
        reply.append('>');
        try {
            if (!rpc.hasAttribute("message-id")) {
                throw new Fault("rpc", "missing-attribute", "", "an rpc needs a message-id");
            }
            Element operation = Xml.elements(rpc).stream().findFirst()
                    .orElseThrow(() -> new Fault("rpc", "missing-element", "", "an rpc needs an operation"));
            reply.append(answer(operation));
        } catch (Fault fault) {
            reply.append(error(fault));
        } catch (RuntimeException e) {
            LOG.error("{}: the lab failed", device.name(), e);
            reply.append(error(Fault.application("operation-failed", "", "a fault of the lab's own; its log says more")));
        }
        return reply.append("</rpc-reply>").toString();
    }

    static String error(Fault fault) {
        return "<rpc-error><error-type>" + fault.type() + "</error-type><error-tag>" + fault.tag()
                + "</error-tag><error-severity>error</error-severity>"
                + (fault.path().isEmpty() ? "" : "<error-path>" + escape(fault.path()) + "</error-path>")
                + "<error-message xml:lang=\"en\">" + escape(fault.getMessage()) + "</error-message></rpc-error>";
    }

    private String answer(Element operation) {
        if (!BASE.equals(operation.getNamespaceURI())) {
            return own(operation);
        }
        switch (operation.getLocalName()) {
            case "get-config":
                return data(device.read(store(operation, "source")), operation);
            case "get":
                return data(device.read(Store.RUNNING), operation);
            case "edit-config":
                edit(operation);
                break;
            case "lock":
                device.lock(session, store(operation, "target"));
                break;
            case "copy-config":
                copy(operation);
                break;
            case "unlock":
                device.unlock(session, store(operation, "target"));
                break;
            case "validate":
                device.validate(store(operation, "source"));
                break;
            case "discard-changes":
                device.discard(session);
                break;
            case "commit":
                commit(operation);
                break;
            case "cancel-commit":
                device.cancel(session, text(operation, "persist-id"));
                break;
            case "kill-session":
                device.kill(session, number(operation, "session-id").orElseThrow(
                        () -> Fault.protocol("missing-element", "session-id is missing")));
                break;
            case "close-session":
                break;
            default:
                throw Fault.protocol("operation-not-supported", "this device does not support " + operation.getLocalName());
        }
        return "<ok/>";
    }

    private void edit(Element operation) {
        String onError = text(operation, "error-option").orElse("stop-on-error");
        if (onError.equals("continue-on-error")) {
            throw Fault.protocol("operation-not-supported", "continue-on-error is not supported");
        }
        String test = text(operation, "test-option").orElse("set");
        if (!test.matches("set|test-then-set")) {
            throw Fault.protocol("operation-not-supported", test + " is not supported");
        }
        Element config = child(operation, "config").orElseThrow(() -> Fault.protocol("missing-element", "config is missing"));
        String defaultOperation = text(operation, "default-operation").orElse("merge");
        if (store(operation, "target") == Store.CANDIDATE) {
            device.edit(session, config, defaultOperation, test.equals("test-then-set"));
        } else if (store(operation, "target") == Store.RUNNING) {
            device.change(session, config, defaultOperation);
        } else {
            throw Fault.protocol("operation-not-supported", "startup is not edited; copy running to it");
        }
    }

    private void copy(Element operation) {
        if (store(operation, "source") != Store.RUNNING || store(operation, "target") != Store.STARTUP) {
            throw Fault.protocol("operation-not-supported", "only running can be copied, and only to startup");
        }
        device.saveRunning(session);
    }

    private void commit(Element operation) {
        boolean confirmed = child(operation, "confirmed").isPresent();
        Optional<String> persist = text(operation, "persist");
        if (persist.isPresent() && !confirmed) {
            throw Fault.protocol("invalid-value", "persist goes with confirmed");
        }
        Optional<Integer> timeout = confirmed ? Optional.of(number(operation, "confirm-timeout").orElse(600)) : Optional.empty();
        device.commit(session, timeout, persist, text(operation, "persist-id"));
    }

    private String data(Item held, Element operation) {
        Item config = device.profile().hidesDefaults() ? device.model().withoutDefaults(held) : held;
        Optional<Element> filter = child(operation, "filter");
        if (filter.isPresent() && filter.get().getAttribute("type").equals("xpath")) {
            throw Fault.protocol("operation-not-supported", "filters are subtrees here");
        }
        Item selected = filter.map(element -> SubtreeFilter.select(config, element)).orElse(config);
        return "<data>\n" + selected.xml() + "</data>";
    }

    private static Store store(Element operation, String role) {
        Element datastore = child(operation, role).flatMap(element -> Xml.elements(element).stream().findFirst())
                .orElseThrow(() -> Fault.protocol("missing-element", role + " is missing"));
        return switch (datastore.getLocalName()) {
            case "running" -> Store.RUNNING;
            case "candidate" -> Store.CANDIDATE;
            case "startup" -> Store.STARTUP;
            default -> throw Fault.protocol("operation-not-supported", "this device has no " + datastore.getLocalName());
        };
    }

    /** What a family calls the parts of its own operation that pings. */
    private record Words(String operation, String to, String from, String table, String times, String asked, String heard, String why) {}

    private static final List<Words> PINGS = List.of(
            new Words("ping", "destination", "source", "vrf", "count", "sent", "received", "reason"),
            new Words("probe", "to", "from", "context", "times", "asked", "heard", "why"));

    /** Operations of the family's own modules. */
    private String own(Element operation) {
        String name = operation.getLocalName();
        Optional<RpcDefinition> rpc = device.model().operation(operation.getNamespaceURI(), name);
        Words words = PINGS.stream().filter(each -> each.operation().equals(name)).findFirst().filter(each -> rpc.isPresent())
                .orElseThrow(() -> Fault.protocol("operation-not-supported", "there is no " + operation.getLocalName()));
        String destination = text(operation, words.to()).orElseThrow(() ->
                Fault.application("missing-element", "/" + name + "/" + words.to(), words.to() + " is missing"));
        int count = number(operation, words.times()).orElse(3);
        Forwarding.Ping ping = network.forwarding().ping(device.name(), text(operation, words.table()).orElse(""),
                text(operation, words.from()), destination);
        String namespace = operation.getNamespaceURI();
        return leaf(words.asked(), namespace, Integer.toString(count)) + leaf(words.heard(), namespace, ping.answered() ? Integer.toString(count) : "0")
                + (ping.answered() ? "" : leaf(words.why(), namespace, ping.reason()));
    }

    private static String leaf(String name, String namespace, String value) {
        return "<" + name + " xmlns=\"" + namespace + "\">" + escape(value) + "</" + name + ">";
    }

    private static Optional<Element> child(Element parent, String name) {
        return Xml.elements(parent).stream().filter(element -> element.getLocalName().equals(name)).findFirst();
    }

    private static Optional<String> text(Element parent, String name) {
        return child(parent, name).map(Xml::text).filter(text -> !text.isEmpty());
    }

    private static Optional<Integer> number(Element parent, String name) {
        try {
            return text(parent, name).map(Integer::valueOf);
        } catch (NumberFormatException e) {
            throw Fault.protocol("invalid-value", name + " is no number");
        }
    }

    private static String escape(String text) {
        return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;").replace("\"", "&quot;");
    }
}
