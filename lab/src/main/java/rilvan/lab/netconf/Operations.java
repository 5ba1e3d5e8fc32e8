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
import rilvan.lab.behaviour.Frames;
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

    /** What a family calls an operation of its own, what it takes and what it tells, each in the same order for all families. */
    private record Words(String operation, Operation does, List<String> takes, List<String> tells) {}

    private enum Operation {
        PING, PORT, WIRE, ROUTE, LOOPBACK
    }

    private static final List<Words> OWN = List.of(
            new Words("ping", Operation.PING, List.of("destination", "source", "vrf", "size"), List.of("sent", "received", "reason")),
            new Words("probe", Operation.PING, List.of("to", "from", "context", "octets"), List.of("asked", "heard", "why")),
            new Words("wire-state", Operation.WIRE, List.of("name", "peer"), List.of("up", "true", "false", "reason")),
            new Words("wire-look", Operation.WIRE, List.of("of", "far"), List.of("working", "on", "off", "why")),
            new Words("port-state", Operation.PORT, List.of("port"), List.of("up", "true", "false", "neighbor", "network", "area", "mtu")),
            new Words("port-look", Operation.PORT, List.of("port"), List.of("working", "on", "off", "heard", "net", "area", "octets")),
            new Words("route-look", Operation.ROUTE, List.of("vrf", "prefix"), List.of("present", "true", "false", "reason")),
            new Words("net-look", Operation.ROUTE, List.of("context", "net"), List.of("there", "on", "off", "why")),
            new Words("loopback-test", Operation.LOOPBACK, List.of("port", "unit", "tags", "far-system", "far-port", "far-unit", "far-tags", "size"),
                    List.of("sent", "received", "reason")),
            new Words("frame-probe", Operation.LOOPBACK, List.of("port", "index", "tags", "to-node", "to-port", "to-index", "to-tags", "octets"),
                    List.of("asked", "heard", "why")));
    private static final int SENT = 3;
    private static final int SMALLEST = 64;

    /** Operations of the family's own modules. */
    private String own(Element operation) {
        String name = operation.getLocalName();
        Optional<RpcDefinition> rpc = device.model().operation(operation.getNamespaceURI(), name);
        Words words = OWN.stream().filter(each -> each.operation().equals(name)).findFirst().filter(each -> rpc.isPresent())
                .orElseThrow(() -> Fault.protocol("operation-not-supported", "there is no " + operation.getLocalName()));
        String namespace = operation.getNamespaceURI();
        return switch (words.does()) {
            case PING -> {
                Forwarding.Ping ping = network.forwarding().ping(device.name(), text(operation, words.takes().get(2)).orElse(""),
                        text(operation, words.takes().get(1)), needed(operation, words.takes().get(0)), number(operation, words.takes().get(3)).orElse(SMALLEST));
                yield counted(words, namespace, ping.answered() ? Optional.empty() : Optional.of(ping.reason()));
            }
            case LOOPBACK -> {
                List<String> ends = words.takes().subList(0, 7).stream().map(each -> needed(operation, each)).toList();
                yield counted(words, namespace, network.frames().unanswered(new Frames.Place(device.name(), ends.get(0), ends.get(1), ends.get(2)),
                        new Frames.Place(ends.get(3), ends.get(4), ends.get(5), ends.get(6)), number(operation, words.takes().get(7)).orElse(SMALLEST)));
            }
            case WIRE -> {
                yield decided(words, namespace, network.frames().down(device.name(), needed(operation, words.takes().get(0)), needed(operation, words.takes().get(1))));
            }
            case PORT -> {
                Forwarding.PortState port = network.forwarding().port(device.name(), needed(operation, words.takes().get(0)));
                yield leaf(words.tells().get(0), namespace, words.tells().get(port.up() ? 1 : 2)) + unlessEmpty(words.tells().get(3), namespace, port.neighbour())
                        + unlessEmpty(words.tells().get(4), namespace, port.network()) + unlessEmpty(words.tells().get(5), namespace, port.area())
                        + unlessEmpty(words.tells().get(6), namespace, port.mtu());
            }
            case ROUTE -> {
                yield decided(words, namespace, network.forwarding().missing(device.name(), needed(operation, words.takes().get(0)), needed(operation, words.takes().get(1))));
            }
        };
    }

    private static String counted(Words words, String namespace, Optional<String> unanswered) {
        return leaf(words.tells().get(0), namespace, Integer.toString(SENT)) + leaf(words.tells().get(1), namespace, unanswered.isEmpty() ? Integer.toString(SENT) : "0")
                + unlessEmpty(words.tells().get(2), namespace, unanswered.orElse(""));
    }

    private static String decided(Words words, String namespace, Optional<String> not) {
        return leaf(words.tells().get(0), namespace, words.tells().get(not.isEmpty() ? 1 : 2)) + unlessEmpty(words.tells().get(3), namespace, not.orElse(""));
    }

    private static String unlessEmpty(String name, String namespace, String value) {
        return value.isEmpty() ? "" : leaf(name, namespace, value);
    }

    private static String needed(Element operation, String name) {
        return text(operation, name).orElseThrow(() -> Fault.application("missing-element", "/" + operation.getLocalName() + "/" + name, name + " is missing"));
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
