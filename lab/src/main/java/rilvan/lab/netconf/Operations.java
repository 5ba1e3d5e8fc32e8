package rilvan.lab.netconf;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.function.Consumer;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.w3c.dom.Attr;
import org.w3c.dom.Element;
import rilvan.lab.behaviour.Convergence;
import rilvan.lab.behaviour.Forwarding;
import rilvan.lab.config.EditConfig;
import rilvan.lab.config.Item;
import rilvan.lab.config.RpcError;
import rilvan.lab.config.SubtreeFilter;
import rilvan.lab.config.Xml;
import rilvan.lab.device.ConfigurationChange;
import rilvan.lab.device.Faults;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.device.NetconfDevice.Store;
import rilvan.lab.device.Question;

/** What one session's requests do on its device (RFC 6241 §7 and §8). What is not done here is refused as such. */
final class Operations {

    private static final Logger LOG = LoggerFactory.getLogger(Operations.class);
    private static final String BASE = "urn:ietf:params:xml:ns:netconf:base:1.0";
    private static final String MONITORING = "urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring";

    private final NetconfDevice device;
    private final Convergence network;
    private final int session;
    private final Consumer<ConfigurationChange> told;

    /**
     * @param told what a change is told to once the session listens
     */
    Operations(NetconfDevice device, Convergence network, int session, Consumer<ConfigurationChange> told) {
        this.device = device;
        this.network = network;
        this.session = session;
        this.told = told;
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
                throw new RpcError("rpc", "missing-attribute", "", "an rpc needs a message-id");
            }
            Element operation = Xml.elements(rpc).stream().findFirst()
                    .orElseThrow(() -> new RpcError("rpc", "missing-element", "", "an rpc needs an operation"));
            reply.append(answer(operation));
        } catch (RpcError fault) {
            reply.append(error(fault));
        } catch (Faults.Pretended e) {
            reply.append("<ok/>");
        } catch (Faults.NotYet | Faults.Never e) {
            throw e;
        } catch (RuntimeException e) {
            LOG.error("{}: the lab failed", device.name(), e);
            reply.append(error(RpcError.application("operation-failed", "", "a fault of the lab's own; its log says more")));
        }
        return reply.append("</rpc-reply>").toString();
    }

    static String error(RpcError fault) {
        return "<rpc-error><error-type>" + fault.type() + "</error-type><error-tag>" + fault.tag()
                + "</error-tag><error-severity>error</error-severity>"
                + (fault.path().isEmpty() ? "" : "<error-path>" + escape(fault.path()) + "</error-path>")
                + "<error-message xml:lang=\"en\">" + escape(fault.getMessage()) + "</error-message></rpc-error>";
    }

    private String answer(Element operation) {
        if (MONITORING.equals(operation.getNamespaceURI()) && operation.getLocalName().equals("get-schema")) {
            return schema(operation);
        }
        if (Notifications.NAMESPACE.equals(operation.getNamespaceURI()) && operation.getLocalName().equals("create-subscription")) {
            return subscribe(operation);
        }
        if (!BASE.equals(operation.getNamespaceURI())) {
            return own(operation);
        }
        switch (operation.getLocalName()) {
            case "get-config":
                return data(device.read(store(operation, "source")), operation);
            case "get":
                return data(device.read(Store.RUNNING), operation);
            case "edit-config":
                return edit(operation);
            case "lock":
                device.lock(session, store(operation, "target"));
                break;
            case "copy-config":
                device.copy(session, source(operation), store(operation, "target"));
                break;
            case "delete-config":
                delete(operation);
                break;
            case "unlock":
                device.unlock(session, store(operation, "target"));
                break;
            case "validate":
                device.validate(source(operation));
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
                        () -> RpcError.protocol("missing-element", "session-id is missing")));
                break;
            case "close-session":
                break;
            default:
                throw RpcError.protocol("operation-not-supported", "this device does not support " + operation.getLocalName());
        }
        return "<ok/>";
    }

    /** From now on the session is told of changes (RFC 5277 §2.1.1); nothing of the past is kept. */
    private String subscribe(Element operation) {
        if (!device.profile().notifies()) {
            throw RpcError.protocol("operation-not-supported", "this device sends no notifications");
        }
        String stream = text(operation, "stream").orElse("NETCONF");
        if (!stream.equals("NETCONF") || List.of("filter", "startTime", "stopTime").stream().anyMatch(each -> child(operation, each).isPresent())) {
            throw RpcError.protocol("operation-not-supported", "there is the stream NETCONF, from now on, whole");
        }
        device.listen(session, told);
        return "<ok/>";
    }

    /** The text of a module of the device's (RFC 6022 §3.1). */
    private String schema(Element operation) {
        String format = text(operation, "format").orElse("yang");
        String module = needed(operation, "identifier");
        if (!format.endsWith("yang")) {
            throw RpcError.application("invalid-value", "/get-schema/format", "modules are there as yang");
        }
        return device.model().text(module).map(text -> leaf("data", MONITORING, text))
                .orElseThrow(() -> RpcError.application("invalid-value", "/get-schema/identifier", "there is no module " + module));
    }

    private String edit(Element operation) {
        List<RpcError> faults = new ArrayList<>();
        Consumer<RpcError> onFault = switch (text(operation, "error-option").orElse("stop-on-error")) {
            case "continue-on-error" -> faults::add;
            // Either way a fault leaves everything as it was: the one may do that, and the other promises it.
            case "stop-on-error", "rollback-on-error" -> EditConfig.STOP;
            default -> throw RpcError.protocol("invalid-value", "there is no such error-option");
        };
        String test = text(operation, "test-option").orElse("set");
        if (!test.matches("set|test-then-set|test-only")) {
            throw RpcError.protocol("operation-not-supported", test + " is not supported");
        }
        Element config = child(operation, "config").orElseThrow(() -> RpcError.protocol("missing-element", "config is missing"));
        String defaultOperation = text(operation, "default-operation").orElse("merge");
        if (store(operation, "target") == Store.CANDIDATE) {
            device.edit(session, config, defaultOperation, NetconfDevice.Test.valueOf(test.toUpperCase(Locale.ROOT).replace('-', '_')), onFault);
        } else if (store(operation, "target") == Store.RUNNING) {
            if (!test.equals("set")) {
                throw RpcError.protocol("operation-not-supported", "this device knows no test-option; it checks every edit");
            }
            device.change(session, config, defaultOperation, onFault);
        } else {
            throw RpcError.protocol("operation-not-supported", "startup is not edited; copy running to it");
        }
        return faults.isEmpty() ? "<ok/>" : faults.stream().map(Operations::error).collect(Collectors.joining());
    }

    /** What is copied or validated: a datastore, or a whole configuration that comes along (RFC 6241 §7.3, §8.6.4.1). */
    private Item source(Element operation) {
        Optional<Element> config = child(operation, "source").flatMap(source -> child(source, "config"));
        return config.map(whole -> EditConfig.whole(device.model(), whole)).orElseGet(() -> device.read(store(operation, "source")));
    }

    /** The device starts with nothing from now on (RFC 6241 §7.4). */
    private void delete(Element operation) {
        if (store(operation, "target") != Store.STARTUP) {
            throw RpcError.protocol("operation-not-supported", "only startup can be deleted");
        }
        device.copy(session, Item.EMPTY, Store.STARTUP);
    }

    private void commit(Element operation) {
        boolean confirmed = child(operation, "confirmed").isPresent();
        Optional<String> persist = text(operation, "persist");
        if (persist.isPresent() && !confirmed) {
            throw RpcError.protocol("invalid-value", "persist goes with confirmed");
        }
        Optional<Integer> timeout = confirmed ? Optional.of(number(operation, "confirm-timeout").orElse(600)) : Optional.empty();
        device.commit(session, timeout, persist, text(operation, "persist-id"));
    }

    private String data(Item held, Element operation) {
        Item config = device.profile().hidesDefaults() ? device.model().withoutDefaults(held) : held;
        Optional<Element> filter = child(operation, "filter");
        if (filter.isPresent() && filter.get().getAttribute("type").equals("xpath")) {
            throw RpcError.protocol("operation-not-supported", "filters are subtrees here");
        }
        String basic = device.profile().hidesDefaults() ? "trim" : "explicit";
        text(operation, "with-defaults").filter(mode -> !mode.equals(basic)).ifPresent(mode -> {
            throw RpcError.protocol("invalid-value", "with-defaults is " + basic + " here, and nothing else (RFC 6243)");
        });
        Item selected = filter.map(element -> SubtreeFilter.select(config, element)).orElse(config);
        return "<data>\n" + selected.xml() + "</data>";
    }

    private static Store store(Element operation, String role) {
        Element datastore = child(operation, role).flatMap(element -> Xml.elements(element).stream().findFirst())
                .orElseThrow(() -> RpcError.protocol("missing-element", role + " is missing"));
        return switch (datastore.getLocalName()) {
            case "running" -> Store.RUNNING;
            case "candidate" -> Store.CANDIDATE;
            case "startup" -> Store.STARTUP;
            default -> throw RpcError.protocol("operation-not-supported", "this device has no " + datastore.getLocalName());
        };
    }

    /**
     * What a family calls a question.
     *
     * @param takes leaves of the request in the order of {@link Question}; those that may be left out end in {@code ?}
     * @param leaves of the answer: how many were sent, how many came back, and why not; or whether it is so, the two words for
     *     that, why not, and whether that stays so until somebody changes something
     */
    private record Words(String operation, Question question, List<String> takes, List<String> leaves) {}

    private static final List<String> QUERN_COUNTS = List.of("sent", "received", "reason");
    private static final List<String> TARN_COUNTS = List.of("asked", "heard", "why");
    private static final List<String> QUERN_UP = List.of("up", "true", "false", "reason", "settled");
    private static final List<String> TARN_WORKING = List.of("working", "on", "off", "why", "lasting");
    private static final List<Words> OWN = List.of(
            new Words("ping", Question.PING, List.of("destination", "source?", "vrf?", "size?"), QUERN_COUNTS),
            new Words("probe", Question.PING, List.of("to", "from?", "context?", "octets?"), TARN_COUNTS),
            new Words("connect", Question.CONNECT, List.of("destination", "port", "source?", "vrf?"), QUERN_COUNTS),
            new Words("knock", Question.CONNECT, List.of("to", "door", "from?", "context?"), TARN_COUNTS),
            new Words("route-look", Question.ROUTE, List.of("prefix", "vrf?"), List.of("present", "true", "false", "reason", "settled")),
            new Words("net-look", Question.ROUTE, List.of("net", "context?"), List.of("there", "on", "off", "why", "lasting")),
            new Words("neighbor-state", Question.SESSION, List.of("address", "vrf"), QUERN_UP),
            new Words("peer-look", Question.SESSION, List.of("peer", "context"), TARN_WORKING),
            new Words("neighbor-prefixes", Question.PREFIXES, List.of("address", "vrf", "prefixes"), QUERN_UP),
            new Words("peer-nets-look", Question.PREFIXES, List.of("peer", "context", "nets"), TARN_WORKING),
            new Words("host-state", Question.HOSTS, List.of("bridge", "far-system", "far-port", "far-circuit"), QUERN_UP),
            new Words("far-stations-look", Question.HOSTS, List.of("domain", "to-node", "to-port", "to-index"), TARN_WORKING),
            new Words("vrf-peer-state", Question.EXCHANGE, List.of("peer", "vrf"), QUERN_UP),
            new Words("context-look", Question.EXCHANGE, List.of("far", "context"), TARN_WORKING),
            new Words("vrf-origins", Question.ORIGINS, List.of("vrf", "distinguishers?", "targets?"), QUERN_UP),
            new Words("sources-look", Question.ORIGINS, List.of("context", "marks?", "targets?"), TARN_WORKING),
            new Words("peers-state", Question.PEERS, List.of("name", "peers?"), QUERN_UP),
            new Words("fellows-look", Question.PEERS, List.of("of", "far?"), TARN_WORKING),
            new Words("wire-state", Question.WIRE, List.of("name", "peer", "flush?"), QUERN_UP),
            new Words("wire-look", Question.WIRE, List.of("of", "far", "withdraw?"), TARN_WORKING),
            new Words("standby-state", Question.STANDBY, List.of("name", "peer", "main", "flush?"), QUERN_UP),
            new Words("reserve-look", Question.STANDBY, List.of("of", "far", "main-far", "withdraw?"), TARN_WORKING),
            new Words("learning-state", Question.STATIONS, List.of("bridge", "mac-limit"), QUERN_UP),
            new Words("stations-look", Question.STATIONS, List.of("domain", "stations"), TARN_WORKING),
            new Words("loopback-test", Question.FRAMES, List.of("port", "circuit", "tags", "far-system", "far-port", "far-circuit", "far-tags", "size?"), QUERN_COUNTS),
            new Words("frame-probe", Question.FRAMES, List.of("port", "index", "tags", "to-node", "to-port", "to-index", "to-tags", "octets?"), TARN_COUNTS),
            new Words("one-way-test", Question.DELIVERY, List.of("port", "circuit", "tags", "far-system", "far-port", "far-circuit", "far-tags", "size?"), QUERN_COUNTS),
            new Words("frame-push", Question.DELIVERY, List.of("port", "index", "tags", "to-node", "to-port", "to-index", "to-tags", "octets?"), TARN_COUNTS),
            new Words("routed-test", Question.ROUTED, List.of("port", "circuit", "tags", "source", "far-system", "far-port", "far-circuit", "far-tags", "destination",
                    "size?"), QUERN_COUNTS),
            new Words("packet-probe", Question.ROUTED, List.of("port", "index", "tags", "from", "to-node", "to-port", "to-index", "to-tags", "to", "octets?"),
                    TARN_COUNTS),
            new Words("rate-test", Question.TREATMENT, List.of("port", "circuit", "rate", "class?"), QUERN_UP),
            new Words("shape-probe", Question.TREATMENT, List.of("port", "index", "shape", "class?"), TARN_WORKING),
            new Words("gateway-state", Question.GATEWAY, List.of("bridge", "address", "mac", "vrf"), QUERN_UP),
            new Words("gateway-look", Question.GATEWAY, List.of("domain", "address", "mac", "context"), TARN_WORKING),
            new Words("relay-state", Question.RELAY, List.of("bridge", "server"), QUERN_UP),
            new Words("relay-look", Question.RELAY, List.of("domain", "server"), TARN_WORKING),
            new Words("bundle-state", Question.BUNDLE, List.of("bundle", "members", "far-system"), QUERN_UP),
            new Words("trunk-look", Question.BUNDLE, List.of("trunk", "members", "to-node"), TARN_WORKING));

    /** What a family calls the state of a port, and the leaves of the answer. */
    private record PortWords(String operation, List<String> leaves) {}

    private static final List<PortWords> PORTS = List.of(
            new PortWords("port-state", List.of("up", "true", "false", "neighbor", "network", "area", "mtu", "hello", "dead", "stub", "bundled")),
            new PortWords("port-look", List.of("working", "on", "off", "heard", "net", "area", "octets", "hello", "dead", "stub", "trunked")));
    /** What a family calls following a packet, what it takes (an address, one to send from, a table), and the leaves for either way and for where it was lost. */
    private record TraceWords(String operation, List<String> takes, List<String> leaves) {}

    private static final List<TraceWords> TRACES = List.of(
            new TraceWords("trace", List.of("destination", "source", "vrf"), List.of("hop", "hop-back", "lost")),
            new TraceWords("path-probe", List.of("to", "from", "context"), List.of("node", "node-back", "lost")));
    private static final int SENT = 3;

    /** Operations of the family's own modules. */
    private String own(Element operation) {
        String name = operation.getLocalName();
        String namespace = operation.getNamespaceURI();
        if (device.model().operation(namespace, name).isPresent()) {
            for (Words words : OWN) {
                if (words.operation().equals(name)) {
                    return asked(words, operation, namespace);
                }
            }
            for (TraceWords words : TRACES) {
                if (words.operation().equals(name)) {
                    return trace(words, operation, namespace);
                }
            }
            for (PortWords words : PORTS) {
                if (words.operation().equals(name)) {
                    return port(words.leaves(), network.forwarding().port(device.name(), needed(operation, "port")), namespace);
                }
            }
        }
        throw RpcError.protocol("operation-not-supported", "there is no " + name);
    }

    private String asked(Words words, Element operation, String namespace) {
        List<String> says = words.takes().stream().map(leaf -> leaf.endsWith("?") ? text(operation, leaf.substring(0, leaf.length() - 1)).orElse("")
                : needed(operation, leaf)).toList();
        // Asked first: what takes effect meanwhile may have been too late for the answer.
        boolean settled = network.settled();
        Optional<String> not;
        try {
            not = network.not(words.question(), device.name(), says);
        } catch (IllegalArgumentException e) {
            throw RpcError.application("invalid-value", "/" + words.operation(), e.getMessage());
        }
        List<String> leaves = words.leaves();
        if (words.question().tries()) {
            return leaf(leaves.get(0), namespace, Integer.toString(SENT)) + leaf(leaves.get(1), namespace, not.isEmpty() ? Integer.toString(SENT) : "0")
                    + unlessEmpty(leaves.get(2), namespace, not.orElse(""));
        }
        return leaf(leaves.get(0), namespace, leaves.get(not.isEmpty() ? 1 : 2)) + unlessEmpty(leaves.get(3), namespace, not.orElse(""))
                + leaf(leaves.get(4), namespace, leaves.get(settled ? 1 : 2));
    }

    private String trace(TraceWords words, Element operation, String namespace) {
        Forwarding.Trace trace;
        try {
            trace = network.forwarding().trace(device.name(), text(operation, words.takes().get(2)).orElse(""), text(operation, words.takes().get(1)),
                    needed(operation, words.takes().get(0)));
        } catch (IllegalArgumentException e) {
            throw RpcError.application("invalid-value", "/" + words.operation(), e.getMessage());
        }
        StringBuilder answer = new StringBuilder();
        trace.there().forEach(hop -> answer.append(leaf(words.leaves().get(0), namespace, hop)));
        trace.back().forEach(hop -> answer.append(leaf(words.leaves().get(1), namespace, hop)));
        return answer.append(unlessEmpty(words.leaves().get(2), namespace, trace.lost())).toString();
    }

    private static String port(List<String> leaves, Forwarding.PortState port, String namespace) {
        StringBuilder told = new StringBuilder(leaf(leaves.get(0), namespace, leaves.get(port.up() ? 1 : 2)));
        String stub = port.stub().isEmpty() ? "" : leaves.get(port.stub().equals("yes") ? 1 : 2);
        List<String> values = List.of(port.neighbour(), port.network(), port.area(), port.mtu(), port.hello(), port.dead(), stub, leaves.get(port.bundled() ? 1 : 2));
        for (int i = 0; i < values.size(); i++) {
            told.append(unlessEmpty(leaves.get(i + leaves.size() - values.size()), namespace, values.get(i)));
        }
        return told.toString();
    }

    private static String unlessEmpty(String name, String namespace, String value) {
        return value.isEmpty() ? "" : leaf(name, namespace, value);
    }

    private static String needed(Element operation, String name) {
        return text(operation, name).orElseThrow(() -> RpcError.application("missing-element", "/" + operation.getLocalName() + "/" + name, name + " is missing"));
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
            throw RpcError.protocol("invalid-value", name + " is no number");
        }
    }

    private static String escape(String text) {
        return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;").replace("\"", "&quot;");
    }
}
